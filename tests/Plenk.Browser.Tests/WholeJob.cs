using System.Globalization;
using Plenk.Core.Geometry;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>What jobs that go from a plate to its hand-over on the real pages have in common.</summary>
public abstract class WholeJob(Site site) : IDisposable
{
    protected string Folder { get; } = Path.Combine(Path.GetTempPath(), $"plenk-comp-{Guid.NewGuid():N}");

    protected Site Site { get; } = site;

    public void Dispose()
    {
        if (Directory.Exists(Folder))
        {
            Directory.Delete(Folder, recursive: true);
        }
        GC.SuppressFinalize(this);
    }

    protected static string D(double v) => v.ToString("R", CultureInfo.InvariantCulture);

    protected static void Triple(Sheet page, string name, Vec3 values)
    {
        foreach (var (axis, value) in new[] { ("X", values.X), ("Y", values.Y), ("Z", values.Z) })
        {
            if (Math.Abs(double.Parse(page.Value($"{name} {axis}"), CultureInfo.InvariantCulture) - value) > 1e-9)
            {
                page.Type($"{name} {axis}", D(value));
            }
        }
    }

    protected static void Built(Sheet page, string button, string name, Vec3 place, Vec3 turned, Vec3 size)
    {
        page.PressAndSave(button);
        page.Type("Name", name);
        Triple(page, "Place", place);
        Triple(page, "Turned", turned);
        Triple(page, "Size", size);
    }

    protected static void Lettered(Sheet page, int number, string text, string capitals, Vec3 colour, Vec3 place)
    {
        page.PressAndSave("Set lettering");
        page.UntilState($"state.document.elements.length === {number}");
        page.Type("Text", text);
        page.Type("Capitals are", capitals);
        page.Type("Thick", "0");
        page.Tick("it takes no light: its colours are seen as they are");
        Triple(page, "Colour", colour);
        Triple(page, "Place", place);
    }

    /// <summary>A new shot with its frames and its camera.</summary>
    /// <param name="atOnce">The frames are chosen at once: the sheet may be drawn a second time under them.</param>
    protected Sheet Begun(string code, string[] frames, string camera, bool atOnce = false)
    {
        Sheet page = Site.Open();
        page.Go("/");
        page.Find("[name=code]").SendKeys(code);
        page.Press("Begin the shot");
        page.Until("document.body.dataset.ready !== undefined");
        if (!atOnce)
        {
            page.Shows("#next", "bring the plate in");
        }
        page.BringIn("Bring these frames in", frames);
        page.UntilState($"(state.document.plate?.frames ?? []).length === {frames.Length}", 120);
        page.Step(2);
        page.BringIn("Bring this camera in", camera);
        page.UntilState("state.document.camera !== null", 60);
        return page;
    }

    /// <summary>A screen behind the figure is keyed where it is plain; what is left stands before all.</summary>
    protected static void ScreenKeyed(Sheet page)
    {
        page.Step(6);
        page.Open("mattes");
        page.Press("Key a coloured screen");
        page.ClickPicture(60, 60);
        page.UntilState("state.document.mattes.length === 1");
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        page.NoErrors();
    }

    protected async Task<ExrPicture> Layers(string url)
    {
        Directory.CreateDirectory(Folder);
        string file = Path.Combine(Folder, $"{Guid.NewGuid():N}.exr");
        await File.WriteAllBytesAsync(file, await Site.Http.GetByteArrayAsync(url));
        return ExrFile.Read(file);
    }

    protected static float[] Channel(ExrPicture picture, string name) => picture.Channels.First(c => c.Name == name).Values;

    /// <summary>A frame handed over in the page: where its files are.</summary>
    protected async Task<(ExrPicture Exr, CodeImage Png)> HandedOver(Sheet page, int first, int last, int frame)
    {
        page.Step(8);
        page.Type("First frame", first.ToString(CultureInfo.InvariantCulture), saves: false);
        page.Type("Last frame", last.ToString(CultureInfo.InvariantCulture), saves: false);
        page.Press("Render frames");
        page.Until($"document.querySelector('.render a[href$=\"{frame}.exr\"]') !== null", 300);
        string exr = page.Property($".render a[href$='{frame}.exr']", "href"),
            png = page.Property($".render a[href$='{frame}.png']", "href");
        return (await Layers(exr), RasterFile.Read(await Site.Http.GetByteArrayAsync(png), "comp"));
    }

    /// <summary>comp = elements over (background · shadow · touch + added + mirror), to half floats.</summary>
    protected static void Recombines(ExrPicture exr)
    {
        float[]? Any(string name) => exr.Channels.FirstOrDefault(c => c.Name == name)?.Values;
        float[] alpha = Channel(exr, "elements.A");
        float[]? touch = Any("touch.Y");
        foreach (string c in (string[])["R", "G", "B"])
        {
            float[] comp = Channel(exr, $"comp.{c}"),
                over = Channel(exr, $"elements.{c}"),
                background = Channel(exr, $"background.{c}"),
                shadow = Channel(exr, $"shadow.{c}"),
                added = Channel(exr, $"added.{c}");
            float[]? mirror = Any($"mirror.{c}");
            for (int i = 0; i < comp.Length; i++)
            {
                float under = background[i] * shadow[i] * (touch?[i] ?? 1) + added[i] + (mirror?[i] ?? 0);
                Assert.Equal(comp[i], over[i] + (1 - alpha[i]) * under, 1e-3f * MathF.Max(1, comp[i]));
            }
        }
    }
}
