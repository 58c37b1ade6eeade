using System.Globalization;
using System.Text.Json;
using OpenQA.Selenium;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>The whole path on the demo footage by mouse: from an empty shot to rendered frames, the pictures checked by numbers.</summary>
[Collection("site")]
public sealed class WalkTests(Site site)
{
    private static string D(double v) => v.ToString("0.######", CultureInfo.InvariantCulture);

    [Fact]
    public async Task From_an_empty_shot_to_rendered_frames_by_mouse()
    {
        using JsonDocument truthFile = JsonDocument.Parse(File.ReadAllText(Path.Combine(Site.Demo, "truth.json")));
        JsonElement truth = truthFile.RootElement;
        Vec3 V(JsonElement e) => new(e[0].GetDouble(), e[1].GetDouble(), e[2].GetDouble());
        using Sheet page = site.Open();

        // Front page: the demo shot is there; a new one begins.
        page.Go("/");
        page.Shows("main", "BTH_0040");
        page.Find("[name=code]").SendKeys("WALK_0010");
        page.Press("Begin the shot");
        page.Until("document.querySelector('#sheet h3') !== null");
        long id = long.Parse(page.Driver.Url.Split('/')[^1].Split('?')[0], CultureInfo.InvariantCulture);
        page.Shows("#sheet", "drop its frames on the picture");

        // 1 Plate, from a permitted folder.
        page.Until("document.querySelector(\"select[aria-label='Folder on the server'] option\") !== null");
        page.Run(
            "const s = document.querySelector(\"select[aria-label='Folder on the server']\"); s.value = [...s.options].find((o) => o.value.endsWith('BTH_0040/plate')).value;"
        );
        page.Type("Focal length", "28", saves: false);
        page.PressAndSave("Bring the folder in");
        Assert.Equal("72", page.State("state.document.plate.frames.length"));
        Assert.Equal("28", page.State("state.document.plate.focalMm"));

        // 2 Camera and survey points; floor, origin, axis, scale.
        page.Step(2);
        page.Shows("#sheet", "Bring a camera in");
        page.BringIn("Bring this camera in", Path.Combine(Site.Demo, "solve.json"));
        page.UntilState("state.document.camera !== null && state.document.camera.samples.length === 72");
        page.BringIn("Bring survey points in", Path.Combine(Site.Demo, "survey.csv"));
        page.UntilState("state.document.surveyPoints.length === 17");
        foreach (string point in (string[])["O", "F2", "F3", "F4", "F5", "F6"])
        {
            page.Row(point);
            page.PressAndSave("It lies on the floor");
            page.Row(point);
        }
        page.Choose("Origin", "O");
        // One end alone says nothing, and is kept on the page.
        page.Choose("Axis from", "O", saves: false);
        page.Choose("Axis to", "F3");
        page.Choose("Length from", "O", saves: false);
        page.Choose("Length to", "F2");
        page.Type("It measures", "270 cm");
        Assert.Equal("2.7", page.State("state.document.orientation.scale.metres"));
        page.UntilReadings();
        Assert.Equal("within", page.Reading("camera.reprojection").Verdict);
        Assert.Equal("within", page.Reading("camera.floor").Verdict);

        // The camera now stands where the truth has it.
        ShotDocument shot = await Document(id);
        ShotCamera camera = ShotCamera.Of(shot)!;
        Assert.True(camera.TryAt(1036, out Pose pose, out Pinhole pinhole));
        JsonElement frame1036 = truth.GetProperty("frames").EnumerateArray().First(f => f.GetProperty("frame").GetInt32() == 1036);
        double[] m = [.. frame1036.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())];
        Assert.InRange((pose.Position - new Vec3(m[3], m[7], m[11])).Length, 0, 0.005);

        // A point by clicking alone, in two frames; its place is the truth's within what half a pixel of clicking allows.
        Vec3 corner = V(truth.GetProperty("survey").GetProperty("S2"));
        foreach (int frame in (int[])[1001, 1072])
        {
            GoToFrame(page, frame);
            camera.TryAt(frame, out Pose p, out Pinhole lens);
            Assert.True(lens.TryProject(p, corner, out double x, out double y));
            if (frame == 1001)
            {
                page.Press("New point by clicking");
            }
            else
            {
                page.Press($"Click P1 at {frame}");
            }
            string before = page.State("state.revision");
            // Beside it there are marks; a begun click takes the place under the pointer, not the mark.
            page.ClickPicture(x, y);
            page.UntilState($"state.revision > {before}");
        }
        shot = await Document(id);
        Vec3 found = ShotCamera.Of(shot)!.SourceToWorld.Apply(shot.SurveyPoints.First(p => p.Name == "P1").Position!.Value);
        Assert.InRange((found - corner).Length, 0, 0.15);

        // 3 Set: a plane by numbers, moved from above; a plane through points; then the surveyed mesh, and those go again.
        page.Step(3);
        page.PressAndSave("Add a plane");
        page.Type("Size X", "2 m");
        page.Type("Place Y", "50 cm");
        Assert.Equal("2,0.5", page.State("[state.document.pieces[0].size[0], state.document.pieces[0].position[1]]"));
        Assert.Equal("true", page.State("document.querySelectorAll('#overlay path').length > 0"));
        page.PressAndSave("Delete");
        page.Press("Through points");
        foreach (string point in (string[])["O", "F2", "F5", "F4"])
        {
            page.Row(point);
        }
        page.PressAndSave("Plane through them");
        Assert.Equal("Plane", page.State("state.document.pieces[0].kind"));
        Assert.InRange(double.Parse(page.State("Math.abs(state.document.pieces[0].position[1])"), CultureInfo.InvariantCulture), 0, 0.02);
        page.UntilState("document.querySelector('#sheet').innerText.includes('root mean square')");
        page.Press("Through points");
        page.PressAndSave("Delete");
        page.BringIn("Bring a mesh in", Path.Combine(Site.Demo, "set.obj"));
        page.UntilState("state.document.pieces.length === 25");
        // Walls, steps and cubicles by numbers.
        foreach (
            Piece built in JsonSerializer
                .Deserialize<List<Piece>>(File.ReadAllText(Path.Combine(Site.Demo, "pieces.json")), ShotJson.Options)!
                .Where(p => p.Kind != PieceKind.Mesh)
        )
        {
            page.PressAndSave(built.Kind == PieceKind.Box ? "Add a box" : "Add a plane");
            Triple(page, "Place", built.Position);
            Triple(page, "Turned", built.RotationYxzDegrees);
            Triple(page, "Size", built.Size);
        }
        foreach (string unseen in (string[])["wall_south", "roof"])
        {
            page.Row(unseen);
            page.Tick("only blocks light");
            page.Row(unseen);
        }

        // 4 Projection.
        page.Step(4);
        page.Shows("#sheet", "Nothing is projected yet");
        GoToFrame(page, 1036);
        page.PressAndSave("Lay frame 1036 on the set");
        page.UntilReadings();
        Assert.Equal("within", page.Reading("projection.match").Verdict);

        // 5 Light, by the truth's numbers.
        page.Step(5);
        JsonElement lights = truth.GetProperty("lights");
        Vec3 sun = V(lights.GetProperty("towards_sun")),
            irradiance = V(lights.GetProperty("sun_irradiance")),
            sky = V(lights.GetProperty("sky_radiance")),
            fill = V(lights.GetProperty("fill_radiance"));
        page.PressAndSave("Add a sun");
        page.Type("Azimuth, from north", D((Rotations.Degrees(Math.Atan2(sun.X, -sun.Z)) + 360) % 360) + "°");
        page.Type("Elevation", D(Rotations.Degrees(Math.Asin(sun.Y))));
        page.Type("Angular size", D(lights.GetProperty("sun_angular_diameter_degrees").GetDouble()));
        Strength(page, "Irradiance", irradiance);
        page.PressAndSave("Add a sky");
        page.Row("sky_1");
        Strength(page, "Radiance", sky);
        page.PressAndSave("Add a fill");
        page.Row("fill_1");
        Strength(page, "Radiance", fill);

        // 6 Contact: the bell, clicked onto the basin's floor, laid on it.
        page.Step(6);
        page.BringIn("Bring an element in", Path.Combine(Site.Demo, "bell.glb"));
        page.UntilState("state.document.elements.length === 1");
        Vec3 stand = V(truth.GetProperty("bell").GetProperty("position"));
        Assert.True(pinhole.TryProject(pose, stand, out double footX, out double footY));
        page.Press("Click where it stands");
        string revision = page.State("state.revision");
        page.ClickPicture(footX, footY);
        page.UntilState($"state.revision > {revision}");
        page.PressAndSave("Lay on the surface");
        page.PressAndSave("Lower until it touches");
        JsonElement stood = page.StateJson("state.document.elements[0].position");
        Assert.InRange((V(stood) - stand).Length, 0, 0.08); // one page pixel is 3 cm there
        // The exact place, by numbers, for the pictures below.
        page.Type("Place X", D(stand.X));
        page.Type("Place Z", D(stand.Z));
        page.PressAndSave("Lay on the surface");
        page.UntilReadings();
        Assert.Equal("within", page.Reading("contact.gap").Verdict);

        // Before and after: where the truth says the bell darkens the floor, the shown picture darkens, and nowhere else.
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        ExrPicture measured = ExrFile.Read(Path.Combine(Site.Demo, "truth.1036.exr"));
        float[] shadow = Channel(measured, "shadow.G"),
            bell = Channel(measured, "bell.A");
        var (dark, open) = Places(shadow, bell, measured.Width, measured.Height);
        double[] after = [.. dark.Concat(open).Select(p => page.Shown(2 * p.X + 1, 2 * p.Y + 1, 1)[1])];
        page.Press("Before");
        page.Until("document.querySelector('[data-compare=before]').getAttribute('aria-pressed') === 'true'");
        double[] plate = [.. dark.Concat(open).Select(p => page.Shown(2 * p.X + 1, 2 * p.Y + 1, 1)[1])];
        for (int i = 0; i < dark.Count; i++)
        {
            double ratio = Linear(after[i]) / Linear(plate[i]),
                told = shadow[dark[i].Y * measured.Width + dark[i].X];
            // 8-bit codes, reduced to the page's size
            Assert.True(
                Math.Abs(ratio - told) < 0.12,
                $"at {2 * dark[i].X}, {2 * dark[i].Y} the picture falls to {ratio:0.000} of the plate (codes {after[i]:0.0} of {plate[i]:0.0}), the truth says {told:0.000}"
            );
        }
        for (int i = dark.Count; i < after.Length; i++)
        {
            Assert.InRange(after[i] - plate[i], -1.0, 1.0);
        }

        // 8 Hand over: one frame rendered; its holdout edge is the column's edge.
        page.Step(8);
        page.Type("First frame", "1036", saves: false);
        page.Type("Last frame", "1036", saves: false);
        page.Press("Render frames");
        page.Until("document.querySelector('.render a[href$=\".exr\"]') !== null", 180);
        string exr = page.Property(".render a[href$='.exr']", "href"),
            png = page.Property(".render a[href$='.png']", "href");
        CheckColumnEdge(await Layers(exr), measured);
        CheckUntouched(
            RasterFile.Read(await site.Http.GetByteArrayAsync(png), "comp"),
            RasterFile.Read(File.ReadAllBytes(Directory.GetFiles(Path.Combine(Site.Demo, "plate"), "*1036*")[0]), "plate"),
            shadow,
            bell,
            measured.Width
        );

        // Undo across a page load.
        int pieces = (await Document(id)).Elements.Count;
        page.GoShot(id, 6, 1036);
        page.PressAndSave("Undo");
        Assert.Equal(pieces, (await Document(id)).Elements.Count);
        page.PressAndSave("Redo");
        page.NoErrors();
    }

    private async Task<ShotDocument> Document(long id) =>
        ShotJson.Read((await site.Json($"/api/shots/{id}")).GetProperty("document").GetRawText());

    private static void GoToFrame(Sheet page, int frame)
    {
        IWebElement at = page.Find("#at");
        at.SendKeys(Keys.Control + "a");
        at.SendKeys(frame.ToString(CultureInfo.InvariantCulture) + Keys.Enter);
        page.UntilState($"state.frame === {frame}");
    }

    private static void Triple(Sheet page, string name, Vec3 values)
    {
        foreach (var (axis, value) in new[] { ("X", values.X), ("Y", values.Y), ("Z", values.Z) })
        {
            // What stands there already is no change, and makes no revision.
            if (Math.Abs(double.Parse(page.Value($"{name} {axis}"), CultureInfo.InvariantCulture) - value) > 1e-9)
            {
                page.Type($"{name} {axis}", D(value));
            }
        }
    }

    private static void Strength(Sheet page, string name, Vec3 rgb)
    {
        double top = Math.Max(rgb.X, Math.Max(rgb.Y, rgb.Z));
        page.Type(name, D(top));
        foreach (var (axis, value) in new[] { ("X", rgb.X), ("Y", rgb.Y), ("Z", rgb.Z) })
        {
            if (value < top)
            {
                page.Type($"Colour {axis}", D(value / top));
            }
        }
    }

    private async Task<ExrPicture> Layers(string url)
    {
        string file = Path.GetTempFileName();
        try
        {
            await File.WriteAllBytesAsync(file, await site.Http.GetByteArrayAsync(url));
            return ExrFile.Read(file);
        }
        finally
        {
            File.Delete(file);
        }
    }

    private static float[] Channel(ExrPicture picture, string name) => picture.Channels.First(c => c.Name == name).Values;

    private static double Linear(double code)
    {
        double v = code / 255;
        return v <= 0.04045 ? v / 12.92 : Math.Pow((v + 0.055) / 1.055, 2.4);
    }

    /// <summary>Places in the middle of an even patch: eight in deep shadow, eight the bell does not touch.</summary>
    private static (List<(int X, int Y)> Dark, List<(int X, int Y)> Open) Places(float[] shadow, float[] bell, int width, int height)
    {
        List<(int, int)> dark = [],
            open = [];
        for (int y = 20; y < height - 20; y += 2)
        {
            for (int x = 20; x < width - 20; x += 2)
            {
                float lowest = 2,
                    highest = -1,
                    covered = 0;
                for (int dy = -3; dy <= 3; dy++)
                {
                    for (int dx = -3; dx <= 3; dx++)
                    {
                        float s = shadow[(y + dy) * width + x + dx];
                        (lowest, highest) = (Math.Min(lowest, s), Math.Max(highest, s));
                        covered += bell[(y + dy) * width + x + dx];
                    }
                }
                if (covered > 0)
                {
                    continue;
                }
                if (highest < 0.6f && highest - lowest < 0.1f)
                {
                    dark.Add((x, y));
                }
                if (lowest > 0.9999f)
                {
                    open.Add((x, y));
                }
            }
        }
        static List<(int, int)> Spread(List<(int, int)> all) => [.. Enumerable.Range(0, 8).Select(i => all[i * (all.Count - 1) / 7])];
        Assert.True(dark.Count >= 8, $"the truth has {dark.Count} places in deep shadow");
        return (Spread(dark), Spread(open));
    }

    /// <summary>Row by row: where the bell's coverage begins beside the column, ours and the truth's, in pixels of the plate.</summary>
    private static void CheckColumnEdge(ExrPicture ours, ExrPicture truth)
    {
        float[] element = Channel(ours, "element.A"),
            holdout = Channel(ours, "holdout.A"),
            bell = Channel(truth, "bell.A");
        var off = new List<double>();
        for (int y = 0; y < truth.Height; y++)
        {
            // Only rows where the column cuts the bell: our coverage before holdout goes on where the held out one ends.
            int row = 2 * y * ours.Width;
            double Held(int x) => (element[row + x] - holdout[row + x] + element[row + ours.Width + x] - holdout[row + ours.Width + x]) / 2;
            double? mine = Edge(Held, ours.Width),
                theirs = Edge(x => bell[y * truth.Width + x], truth.Width);
            if (mine is not { } a || theirs is not { } b || a < 4 || holdout[row + (int)a - 2] < 0.5)
            {
                continue;
            }
            off.Add(Math.Abs(a - 2 * b));
        }
        Assert.True(off.Count > 10, $"only {off.Count} rows show the bell beside the column");
        Assert.InRange(off.Max(), 0, 1);
    }

    /// <summary>Where a rise from 0 crosses a half, between pixel centres.</summary>
    private static double? Edge(Func<int, double> coverage, int width)
    {
        for (int x = 1; x < width; x++)
        {
            double a = coverage(x - 1),
                b = coverage(x);
            if (a < 0.5 && b >= 0.5)
            {
                return x - 0.5 + (0.5 - a) / (b - a);
            }
        }
        return null;
    }

    /// <summary>Where the truth has neither bell nor shadow, nor has a neighbour, the comp holds the plate's own codes.</summary>
    private static void CheckUntouched(CodeImage comp, CodeImage plate, float[] shadow, float[] bell, int width)
    {
        int same = 0,
            counted = 0,
            by = ((1 << comp.Bits) - 1) / ((1 << plate.Bits) - 1); // 8-bit codes in 16 bits are 257 times as large
        for (int y = 0; y < comp.Height; y++)
        {
            for (int x = 0; x < comp.Width; x++)
            {
                int i = y / 2 * width + x / 2;
                if (bell[i] > 0 || shadow[i] < 1)
                {
                    continue;
                }
                counted++;
                int p = (y * comp.Width + x) * 3;
                if (
                    comp.Codes[p] == by * plate.Codes[p]
                    && comp.Codes[p + 1] == by * plate.Codes[p + 1]
                    && comp.Codes[p + 2] == by * plate.Codes[p + 2]
                )
                {
                    same++;
                }
            }
        }
        Assert.True(counted > 100_000);
        Assert.True(same > 0.97 * counted, $"{same} of {counted} untouched pixels are the plate's");
    }
}
