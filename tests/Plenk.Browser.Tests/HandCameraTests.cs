using System.Globalization;
using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Formats.Exr;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>A camera that is set by hand through a door's four corners, followed by eye, and used: from plate to hand-over.</summary>
[Collection("site")]
public sealed class HandCameraTests(Site site) : WholeJob(site)
{
    private static readonly (double Left, double Right, double Top) Door = FilmedYard.Door;

    /// <summary>Foot left, foot right, head right, head left, as the yard's own arithmetic has them.</summary>
    private static (double X, double Y)[] Corners(int frame) =>
        [
            .. new[] { (Door.Left, 0), (Door.Right, 0), (Door.Right, Door.Top), (Door.Left, Door.Top) }.Select(c =>
                FilmedYard.Seen(c.Item1, c.Item2, -FilmedYard.WallAt, frame)
            ),
        ];

    private static Vec3 Place(Sheet page, int sample)
    {
        JsonElement m = page.StateJson($"state.document.camera.samples[{sample}].cameraToWorld");
        return new(m[3].GetDouble(), m[7].GetDouble(), m[11].GetDouble());
    }

    [Fact]
    public async Task Through_a_door_s_corners_it_is_found_followed_and_handed_over_with_what_stands_there()
    {
        var files = FilmedYard.Write(Folder);
        using Sheet page = Site.Open();
        page.Go("/");
        page.Find("[name=code]").SendKeys("HAND_0010");
        page.Press("Begin the shot");
        page.Until("document.body.dataset.ready !== undefined");
        page.Type("Focal length", "36", saves: false);
        page.BringIn("Bring these frames in", files.Frames);
        page.UntilState($"(state.document.plate?.frames ?? []).length === {files.Frames.Length}", 120);
        page.Step(2);
        page.Open("hand-camera");
        page.Type("First edge", "1.2", saves: false);
        page.Choose("It", "stands upright", saves: false);
        page.Press("Click its four corners");
        foreach (var (x, y) in Corners(FilmedYard.First))
        {
            page.ClickPicture(x, y);
        }
        // Seen frontally it does not tell the focal length: said, and what was clicked stays.
        page.Until("document.getElementById('told').textContent.includes('do not tell the focal length')");
        page.Run("document.querySelector('[name=holdFocal]').click()");
        page.Press("Take the camera they give");
        page.UntilState("!!state.document.camera?.hand?.rectangle");
        // The first corner is the origin: the yard's camera is at (0, 1.6, 0), its door's foot at (0.3, 0, −8). A pixel there is 17 mm.
        Assert.InRange((Place(page, 0) - new Vec3(-0.3, FilmedYard.Eye, 8)).Length, 0, 0.2);
        Assert.Equal("1", page.State("state.document.pieces.length"));
        Assert.Equal(2.1, page.StateJson("Math.abs(state.document.camera.hand.rectangle.upMetres)").GetDouble(), 0.03);

        // In the last frame the whole is pulled to where the door is then.
        const int last = FilmedYard.First + FilmedYard.Count - 1;
        page.Run($"import('/js/state.js').then((m) => m.setFrame({last}))");
        page.UntilState($"state.frame === {last}");
        var (fx, fy) = FilmedYard.Seen(0.9, 1, -FilmedYard.WallAt, FilmedYard.First);
        var (tx, ty) = FilmedYard.Seen(0.9, 1, -FilmedYard.WallAt, last);
        page.Until("document.querySelectorAll('#overlay text').length >= 4");
        page.Drag(page.OnPage(fx, fy), page.OnPage(tx, ty), steps: 4);
        page.UntilState("state.document.curves.length === 2");
        double went = Place(page, FilmedYard.Count - 1).X - Place(page, 0).X;
        Assert.Equal(FilmedYard.CameraX(last), went, 0.03);
        Assert.Empty(page.AccessibilityFaults());

        // A drag against the grid is a key too, and is taken back.
        page.Choose("A drag", "raises and lowers it", saves: false);
        string revision = page.State("state.revision");
        page.Drag(page.OnPage(240, 230), page.OnPage(240, 240), steps: 3);
        page.UntilState($"state.revision > {revision}");
        Assert.True(Math.Abs(Place(page, FilmedYard.Count - 1).Y - FilmedYard.Eye) > 0.1);
        page.PressAndSave("Undo");
        page.Choose("A drag", "does nothing", saves: false);

        // A letter on the ground, a metre and a half before the wall, in both frames where the yard has that place.
        page.Step(3);
        Built(page, "Add a plane", "ground", new(0, 0, 4), default, new(16, 1, 16));
        page.Step(5);
        page.PressAndSave("Add a sun");
        page.Step(6);
        Lettered(page, 1, "I", "1", new(0.1, 0.1, 0.9), new(0.2, 0, 1.5));
        // The one refusal that was meant.
        Assert.All(page.Errors(), e => Assert.Contains("camera/hand/rectangle", e, StringComparison.Ordinal));
        foreach (int frame in (int[])[FilmedYard.First, last])
        {
            var (exr, _) = await HandedOver(page, frame, frame, frame);
            var (middle, foot) = Seen(Channel(exr, "elements.A"), exr);
            var (x, y) = FilmedYard.Seen(0.5, 0, -6.5, frame);
            Assert.Equal(x, middle, 4.0);
            Assert.Equal(y, foot, 3.0);
            string sheet = await Site.Http.GetStringAsync(page.Property(".render a[href$='.html']", "href"));
            Assert.Contains("set by hand", sheet, StringComparison.Ordinal);
        }
    }

    /// <summary>The middle column of what covers, and its lowest row.</summary>
    private static (double Middle, double Foot) Seen(float[] alpha, ExrPicture exr)
    {
        int w = exr.Width;
        double sum = 0,
            weight = 0,
            foot = 0;
        for (int i = 0; i < alpha.Length; i++)
        {
            sum += alpha[i] * (i % w + 0.5);
            weight += alpha[i];
            foot = alpha[i] > 0.5 ? Math.Max(foot, i / w + 1) : foot;
        }
        Assert.True(weight > 50, string.Create(CultureInfo.InvariantCulture, $"{weight} px are covered"));
        return (sum / weight, foot);
    }
}
