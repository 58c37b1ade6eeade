using System.Globalization;
using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;
using Xunit.Abstractions;

namespace Plenk.Browser.Tests;

/// <summary>Whole jobs on the real pages, from the plate to the hand-over, and what is delivered read back.</summary>
[Collection("site")]
public sealed class OneCompTests(Site site, ITestOutputHelper say) : WholeJob(site)
{
    /// <summary>A painting laid on one piece, also where others stand before it.</summary>
    private static void Painted(Sheet page, string file, string piece)
    {
        page.Open("paint");
        string revision = page.State("state.revision");
        page.BringIn($"Bring {FilmedBefore.First} back", file);
        page.UntilState($"state.revision > {revision}", 120);
        string id = page.State("state.document.projections[0].id");
        page.Row(id);
        // Its fields, not those of the one before it.
        page.Until($"document.querySelector('[data-at=\"projections/{id}/name\"]') !== null");
        page.Type("Name", $"{piece} painted");
        page.Open("pieces");
        page.Tick(piece);
        page.Tick("behind what stands before its pieces too");
        page.Tick("its picture has grain already");
    }

    [Fact]
    public async Task A_filmed_figure_stands_before_a_painted_city_that_replaces_the_screen()
    {
        var files = FilmedBefore.Write(Folder);
        using Sheet page = Begun("TOWN_0010", files.Frames, files.Camera, atOnce: true);

        // A card far away, one nearer, and a house: what the city is painted on.
        page.Step(3);
        Built(page, "Add a plane", "sky", new(0, FilmedBefore.Eye, -FilmedBefore.SkyAt), new(90, 0, 0), new(120, 1, 80));
        Built(page, "Add a plane", "towers", new(0, FilmedBefore.Eye, -FilmedBefore.TowersAt), new(90, 0, 0), new(30, 1, 20));
        var h = FilmedBefore.House;
        Built(
            page,
            "Add a box",
            "house",
            new((h.Left + h.Right) / 2, h.Foot, -FilmedBefore.HouseAt - 1),
            default,
            new(h.Right - h.Left, h.Top - h.Foot, 2)
        );

        page.Step(4);
        Painted(page, files.Sky, "sky");
        Painted(page, files.Towers, "towers");
        Painted(page, files.House, "house");
        page.Open("seen");
        page.Choose("Behind all", "nothing: the comp has alpha");
        page.PressAndSave("See all");
        page.Shows("#sheet", "3 of 3 are seen");

        // The screen is keyed; what is left stands before all.
        ScreenKeyed(page);

        foreach (int frame in (int[])[FilmedBefore.First, FilmedBefore.First + FilmedBefore.Count - 1])
        {
            var (exr, png) = await HandedOver(page, frame, frame, frame);
            Check(exr, png, frame);
            Recombines(exr);
        }

        // The towers were not there when this was shot: they leave as what is new.
        page.Step(3);
        page.Row(page.State("state.document.pieces.find((p) => p.name === 'towers').id"));
        page.Tick("was not there when this was shot: it throws its shadow on what was");
        int other = FilmedBefore.First + 1;
        var (parted, _) = await HandedOver(page, other, other, other);
        Recombines(parted);
        float[] towers = Channel(parted, "pieces.A");
        Assert.Contains(1f, towers);
        Assert.Contains(0f, towers);
        Assert.Equal(towers, Channel(parted, "elements.A"));
        page.NoErrors();
    }

    [Fact]
    public async Task A_rendered_sequence_is_lit_again_throws_its_shadow_and_is_delivered()
    {
        var files = FilmedBefore.Write(Folder);
        string[] rendered = RenderedBall.Write(Folder);
        using Sheet page = Begun("RELIT_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "floor", new(0, 0, -9), default, new(14, 1, 12));

        // The sun that was there, from behind the camera; and a lamp that was not.
        page.Step(5);
        page.PressAndSave("Add a sun");
        page.Type("Azimuth, from north", "150°");
        page.Type("Elevation", "40");
        page.Press("Hang a point");
        page.ClickPicture(240, 230);
        page.UntilState("state.document.lights.length === 2");
        page.Row("point_1");
        page.Type("Intensity", D(RenderedBall.Intensity));
        Triple(page, "Place", new(RenderedBall.Lamp.X, RenderedBall.Lamp.Y, RenderedBall.Lamp.Z));

        // Its passes are in centimetres with Z up: found on arrival.
        page.Step(6);
        page.BringIn("Bring rendered frames in", rendered);
        page.UntilState("state.document.elements.length === 1", 120);
        Assert.Equal("0.01", page.State("state.document.elements[0].passes.metres"));
        page.Open("relit");
        page.Shows("#sheet", "0.01 m a unit");
        page.Tick("its surface throws shadow onto set and elements");
        page.Tick("lit again from its positions and normals");
        page.Tick("point 1point"); // its name, and its kind at the end of the line
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        // Its layers, by a key and by name, beside the comp.
        page.Find("#picture").SendKeys("l");
        page.UntilState("state.compare === 'layer:comp'");
        page.Open("layers");
        page.Choose("Look at", "shadow", saves: false);
        page.Choose("It is seen", "beside the comp", saves: false);
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        page.Shows("#seen", "layer shadow | comp");
        page.Choose("Look at", "the comp", saves: false);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        const int frame = FilmedBefore.First + 3;
        var (exr, _) = await HandedOver(page, frame, frame, frame);
        string[] rgb = ["R", "G", "B"];
        float[][] comp = [.. rgb.Select(c => Channel(exr, $"comp.{c}"))],
            element = [.. rgb.Select(c => Channel(exr, $"element.{c}"))];
        float[] alpha = Channel(exr, "element.A"),
            shadow = Channel(exr, "shadow.G");
        double squares = 0;
        int lit = 0;
        for (int y = 0; y < exr.Height; y++)
        {
            for (int x = 0; x < exr.Width; x++)
            {
                int i = y * exr.Width + x;
                double a = RenderedBall.Coverage(x, y, frame);
                Assert.Equal(a, alpha[i], 1e-3);
                if (RenderedBall.Added(x, y, frame, a) is not { } added)
                {
                    continue;
                }
                double[] was = RenderedBall.Rendered(a);
                for (int c = 0; c < 3; c++)
                {
                    double off = element[c][i] - (was[c] + added[c]);
                    squares += off * off;
                    lit++;
                }
            }
        }
        double psnr = -10 * Math.Log10(squares / lit);
        // By similar triangles: the shadow of the ball's middle on the floor, towards (sin 150°, …, −cos 150°) · cos 40°.
        double az = 150 * Math.PI / 180,
            el = 40 * Math.PI / 180,
            way = RenderedBall.Y / Math.Sin(el);
        var (sx, sy) = (RenderedBall.X - way * Math.Sin(az) * Math.Cos(el), RenderedBall.Z + way * Math.Cos(az) * Math.Cos(el));
        double px = FilmedBefore.Width / 2.0 + (sx - FilmedBefore.CameraX(frame)) / -sy * FilmedBefore.Focal,
            py = FilmedBefore.Height / 2.0 + FilmedBefore.Eye / -sy * FilmedBefore.Focal;
        float dark = shadow[(int)py * exr.Width + (int)px],
            open = shadow[250 * exr.Width + 400];
        say.WriteLine(
            $"lit again: {psnr:0.0} dB against the closed form; shadow at {px:0}, {py:0}: {dark:0.000}, away from it {open:0.000}"
        );
        Assert.True(psnr >= 55, $"{psnr:0.0} dB");
        Assert.InRange(dark, 0, 0.3);
        Assert.Equal(1, open, 1e-3);
        Recombines(exr);
    }

    [Fact]
    public async Task Who_was_filmed_in_another_shot_stands_in_this_one_over_what_lies_on_its_floor()
    {
        // The other shot: a figure before a green screen, keyed there.
        var files = FilmedBefore.Write(Folder);
        using (Sheet other = Begun("SCREEN_0010", files.Frames, files.Camera))
        {
            other.Step(6);
            other.Open("mattes");
            other.Press("Key a coloured screen");
            other.ClickPicture(60, 60);
            other.UntilState("state.document.mattes.length === 1");
        }
        // This one: an even grey place with a floor.
        const ushort grey = 140;
        string[] frames =
        [
            .. Enumerable
                .Range(FilmedBefore.First, FilmedBefore.Count)
                .Select(f => Picture($"place.{f}.png", FilmedBefore.Width, FilmedBefore.Height, grey, grey, grey)),
        ];
        using Sheet page = Begun("PLACE_0010", frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "floor", new(0, 0, -9), default, new(14, 1, 12));
        page.Step(6);
        page.Open("mattes");
        string name = page.State(
            "[...document.querySelectorAll('[name=filmedIn] option')].find((o) => o.textContent.startsWith('SCREEN_0010')).textContent"
        );
        page.Choose("Shot where somebody was filmed", name.Trim(), saves: false);
        page.PressAndSave("Bring in who was filmed there");
        page.Shows("#sheet", "Filmed in SCREEN_0010");
        // Its foot is below the picture: that is said, and its place typed.
        page.Press($"Stand it where its foot is at {FilmedBefore.First}");
        page.Shows("#told", "it goes on below the picture");
        Assert.All(page.Errors(), e => Assert.Contains("422", e));
        Triple(page, "Stands at", new(-0.2, 0, -FilmedBefore.FigureAt));

        // A picture that lies on the floor and is multiplied with it.
        page.BringIn("Bring a card in", Picture("mark.png", 64, 64, 188, 99, 255));
        page.UntilState("state.document.elements.length === 1");
        page.Tick("it lies flat: on a floor, a wall, a lid");
        page.Type("Wide", "1.6");
        Triple(page, "Place", new(0.8, 0, -8));
        page.Choose("It lies", "multiplied");

        // Letters of a font of one's own, hollow.
        page.Open("bring-element");
        page.PressAndSave("Set lettering");
        page.UntilState("state.document.elements.length === 2");
        page.BringIn("Bring a font in", Font());
        page.UntilState("!!state.document.elements[1].text.fontMedia");
        page.Shows("#sheet", "In Source Serif 4");
        Triple(page, "Place", new(-2, 0, -12));
        Assert.Equal("-2,0,-12", page.State("state.document.elements[1].position.join()"));
        page.Type("Stroke", "0.03");
        page.Tick("the stroke alone");
        page.Press("Undo");
        page.UntilState("state.document.elements[1].text.hollow === false");
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        const int frame = FilmedBefore.First + 2;
        var (exr, png) = await HandedOver(page, frame, frame, frame);
        double place = ColorEncodings.ToLinear(ColorEncoding.Srgb, grey / 255f),
            furthest = 0;
        int whole = 0;
        for (int y = 0; y < exr.Height; y++)
        {
            for (int x = 0; x < exr.Width; x++)
            {
                var (a, c) = FilmedBefore.Figure(x + 0.5, y + 0.5, frame);
                int i = y * exr.Width + x;
                if (a >= 1)
                {
                    // Its own codes, as they were filmed.
                    whole++;
                    for (int k = 0; k < 3; k++)
                    {
                        furthest = Math.Max(
                            furthest,
                            Math.Abs(png.Codes[i * png.Channels + k] / (double)((1 << png.Bits) - 1) - Code(c[k]))
                        );
                    }
                }
            }
        }
        Assert.True(whole > 3000);
        Assert.InRange(furthest, 0, 0.5 / 255 + 1e-3);
        float[] comp(string channel) => Channel(exr, $"comp.{channel}");
        // The mark's middle, by similar triangles: its colours times what is there.
        int mx = (int)((0.8 - FilmedBefore.CameraX(frame)) / 8 * FilmedBefore.Focal + FilmedBefore.Width / 2.0),
            my = (int)(FilmedBefore.Eye / 8 * FilmedBefore.Focal + FilmedBefore.Height / 2.0),
            at = my * exr.Width + mx;
        foreach (var (channel, code) in ((string, int)[])[("R", 188), ("G", 99), ("B", 255)])
        {
            Assert.Equal(place * ColorEncodings.ToLinear(ColorEncoding.Srgb, code / 255f), comp(channel)[at], 2e-3);
        }
        Assert.Contains(Channel(exr, "element.A"), a => a > 0.9f);
        Recombines(exr);
        page.NoErrors();
    }

    private static double Code(double linear) => ColorEncodings.ToCode(ColorEncoding.Srgb, (float)linear, 16) / 65535.0;

    private string Picture(string name, int width, int height, ushort red, ushort green, ushort blue)
    {
        Directory.CreateDirectory(Folder);
        string path = Path.Combine(Folder, name);
        ushort[] colour = [red, green, blue];
        File.WriteAllBytes(
            path,
            RasterFile.ToPng(new CodeImage(width, height, 3, 8, [.. Enumerable.Range(0, 3 * width * height).Select(i => colour[i % 3])]))
        );
        return path;
    }

    /// <summary>One of the shipped fonts as somebody else's file.</summary>
    private string Font()
    {
        using Stream from = typeof(OpenTypeFont).Assembly.GetManifestResourceStream("Plenk.Formats.Lettering.serif.woff")!;
        using var bytes = new MemoryStream();
        from.CopyTo(bytes);
        string path = Path.Combine(Folder, "own.ttf");
        File.WriteAllBytes(path, OpenTypeFont.Read(bytes.ToArray(), "own.woff").Named("Source Serif 4"));
        return path;
    }

    [Fact]
    public async Task What_stood_before_the_wall_is_taken_out_over_the_range_and_the_comp_stands_over_what_is_left()
    {
        var files = FilmedBefore.Write(Folder);
        string[] mattes = FilmedBefore.Mattes(Folder);
        using Sheet page = Begun("TAKEN_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "wall", new(0, FilmedBefore.Eye, -FilmedBefore.HouseAt), new(90, 0, 0), new(30, 1, 20));
        page.Step(6);
        page.Open("mattes");
        page.Find("input[type=file][aria-label='Pictures of a matte']").SendKeys(string.Join('\n', mattes));
        page.Press("Bring pictures in as a matte");
        page.UntilState("state.document.mattes.length === 1", 60);

        // The middle frames, which is not enough to hand the range over.
        page.Step(4);
        page.Open("clean-plate");
        page.Tick("figure");
        page.Type("From", "1002", saves: false);
        page.Type("to", "1004", saves: false);
        page.Press("Make the clean plate");
        page.UntilState("state.document.cleanPlate.frames.length === 3", 120);
        const int frame = FilmedBefore.First + 2;
        page.Run($"import('/js/state.js').then((m) => m.setFrame({frame}))");
        page.Until($"location.search.includes('frame={frame}')");
        page.Press("Clean plate"); // looked at, and plates are always finest
        page.Until("document.getElementById('picture').dataset.quality === 'full'", 60);
        page.PressAndSave("Comp over it");
        page.Open("seen");
        page.Shows("#sheet", "1001,1005 have no clean plate");
        Assert.Empty(page.AccessibilityFaults());
        page.Step(8);
        page.Type("First frame", "1001", saves: false);
        page.Type("Last frame", "1003", saves: false);
        page.Press("Render frames");
        page.Shows("#told", "1001 has none");
        page.Errors(); // the refusal is told by the browser too

        var (exr, _) = await HandedOver(page, frame, frame, frame);
        int inside = 0;
        for (int i = 0; i < exr.Width * exr.Height; i++)
        {
            double figure = FilmedBefore.Figure(i % exr.Width + 0.5, i / exr.Width + 0.5, frame).Alpha;
            double[] plate = FilmedBefore.Plate(i % exr.Width, i / exr.Width, frame),
                meant = figure > 0 ? FilmedBefore.Plate(0, 0, frame) : plate; // the screen is even
            inside += figure > 0 ? 1 : 0;
            foreach (var (c, k) in new[] { ("R", 0), ("G", 1), ("B", 2) })
            {
                float comp = Channel(exr, $"comp.{c}")[i];
                Assert.Equal(comp, Channel(exr, $"background.{c}")[i]);
                double off =
                    ColorEncodings.ToCode(ColorEncoding.Srgb, comp, 8) - ColorEncodings.ToCode(ColorEncoding.Srgb, (float)meant[k], 8);
                Assert.InRange(Math.Abs(off), 0, figure > 0 ? 1 : 0);
            }
        }
        Assert.True(inside > 5000, $"{inside} pixels were taken out");

        // Back by a press, and there again.
        page.Step(4);
        page.Press("Undo");
        page.UntilState("state.document.background === 'Plate'");
        page.Press("Redo");
        page.UntilState("state.document.background === 'Clean'");
        page.NoErrors();
    }

    /// <summary>What the city and the figure are by the footage's own arithmetic, against what was delivered.</summary>
    private void Check(ExrPicture exr, CodeImage png, int frame)
    {
        int w = FilmedBefore.Width,
            h = FilmedBefore.Height;
        Assert.Equal((w, h), (exr.Width, exr.Height));
        string[] rgb = ["R", "G", "B"];
        float[][] comp = [.. rgb.Select(c => Channel(exr, $"comp.{c}"))],
            background = [.. rgb.Select(c => Channel(exr, $"background.{c}"))];
        float[] alpha = Channel(exr, "comp.A");
        Assert.All(alpha, a => Assert.Equal(1, a, 2e-3));
        Assert.All(Channel(exr, "elements.A"), a => Assert.Equal(0, a));
        int inside = 0,
            codes = 0;
        double sky = 0,
            edge = 0,
            screen = 0;
        int skies = 0,
            edges = 0;
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                for (int c = 0; c < 3; c++)
                {
                    Assert.Equal(background[c][i], comp[c][i]);
                }
                var (figure, own) = FilmedBefore.Figure(x + 0.5, y + 0.5, frame);
                double[] city = City(x + 0.5, y + 0.5, frame, out bool even);
                if (figure >= 1)
                {
                    inside++;
                    double[] plate = FilmedBefore.Plate(x, y, frame);
                    codes += Enumerable.Range(0, 3).All(c => Math.Abs(comp[c][i] - plate[c]) < 0.004) ? 1 : 0;
                }
                else if (figure <= 0 && even)
                {
                    skies++;
                    sky += Enumerable.Range(0, 3).Max(c => Math.Abs(comp[c][i] - city[c]) / city[c]);
                    // Nothing of the screen's green is left over.
                    screen = Math.Max(screen, comp[1][i] - city[1]);
                }
                else if (figure is > 0.05 and < 0.95 && even)
                {
                    edges++;
                    edge += Enumerable.Range(0, 3).Max(c => Math.Abs(comp[c][i] - (figure * own[c] + (1 - figure) * city[c])));
                }
            }
        }
        say.WriteLine(
            $"{frame}: figure {codes} of {inside} px as filmed; city off by {100 * sky / skies:0.000} % of {skies} px, {screen:0.0000} green left; edge off by {edge / edges:0.0000} of {edges} px"
        );
        Assert.True(codes > 0.995 * inside, $"{codes} of {inside} pixels of the figure are as filmed");
        Assert.InRange(sky / skies, 0, 0.004);
        Assert.InRange(edge / edges, 0, 0.03);
        Assert.InRange(screen, -1, 0.02);
        // The towers stand where a card 14 m away has moved to.
        double moved = EdgeOf(comp[2], w, 110, frame),
            meant = FilmedBefore.Shift(frame, FilmedBefore.TowersAt);
        say.WriteLine($"{frame}: towers {moved:0.00} px to the left, {meant:0.00} by similar triangles");
        Assert.Equal(meant, moved, 0.15);
        Assert.Equal((w, h, 16), (png.Width, png.Height, png.Bits));
    }

    private const int Side = 3;

    /// <summary>The city at a place of a frame; even: no edge of it is within two pixels.</summary>
    private static double[] City(double px, double py, int frame, out bool even)
    {
        static (int What, double[] Color) At(double px, double py, int frame)
        {
            // The house by where it stands in space: its front, and what is seen of its side, which nothing is held against.
            var h = FilmedBefore.House;
            for (double away = FilmedBefore.HouseAt; away <= FilmedBefore.HouseAt + 2; away += 0.05)
            {
                double x = FilmedBefore.CameraX(frame) + (px - FilmedBefore.Width / 2.0) / FilmedBefore.Focal * away,
                    y = FilmedBefore.Eye - (py - FilmedBefore.Height / 2.0) / FilmedBefore.Focal * away;
                if (x > h.Left && x < h.Right && y > h.Foot && y < h.Top)
                {
                    return away == FilmedBefore.HouseAt
                        ? (0, FilmedBefore.HouseFront(px + FilmedBefore.Shift(frame, FilmedBefore.HouseAt), py))
                        : (Side, [1, 1, 1]);
                }
            }
            if (FilmedBefore.Towers(px + FilmedBefore.Shift(frame, FilmedBefore.TowersAt), py) is { } tower)
            {
                return (1, tower);
            }
            return (2, FilmedBefore.Sky(px + FilmedBefore.Shift(frame, FilmedBefore.SkyAt), py));
        }
        var (what, color) = At(px, py, frame);
        even = what != Side;
        for (int k = 0; k < 8 && even; k++)
        {
            even = At(px + 2.5 * Math.Cos(k * Math.PI / 4), py + 2.5 * Math.Sin(k * Math.PI / 4), frame).What == what;
        }
        return color;
    }

    /// <summary>How far the first tower's left edge in a row has moved to the left of where it was painted.</summary>
    private static double EdgeOf(float[] blue, int width, int row, int frame)
    {
        // Painted at 60 k − 600: the one at 60 px.
        for (int x = 30; x < 70; x++)
        {
            float a = blue[row * width + x],
                b = blue[row * width + x + 1];
            if (a > 0.3 && b <= 0.3)
            {
                return 60 - (x + 0.5 + (a - 0.3) / (a - b));
            }
        }
        throw new InvalidOperationException($"no tower stands in row {row} of {frame}");
    }
}
