using System.Globalization;
using System.IO.Compression;
using System.Xml.Linq;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Xunit;
using Xunit.Abstractions;

namespace Plenk.Browser.Tests;

/// <summary>A frame painted in layers outside, and back as a city in depth: from the plate to the hand-over, read back.</summary>
[Collection("site")]
public sealed class PaintTests(Site site, ITestOutputHelper say) : WholeJob(site)
{
    private const double GroundEnds = 24;

    /// <summary>Codes of the layer that is multiplied over the whole painting.</summary>
    private static readonly double[] Dusk = [0.9, 0.75, 0.6];

    private static double[] Street(double px, double py) => [0.2 + 0.1 * Math.Sin(0.07 * px), 0.18, 0.15 + 0.05 * Math.Sin(0.09 * py)];

    private static double[]? House(double px, double py)
    {
        double x = (px - FilmedBefore.Width / 2.0) / FilmedBefore.Focal * FilmedBefore.HouseAt,
            y = FilmedBefore.Eye - (py - FilmedBefore.Height / 2.0) / FilmedBefore.Focal * FilmedBefore.HouseAt;
        var h = FilmedBefore.House;
        return x >= h.Left && x <= h.Right && y >= h.Foot && y <= h.Top ? FilmedBefore.HouseFront(px, py) : null;
    }

    private static double[]? NewHouse(double px, double py) => House(px, py) is null ? null : [0.1, 0.3 + 0.2 * Math.Sin(0.2 * px), 0.5];

    /// <summary>Multiplied as codes, which is how the file has it.</summary>
    private static double[] Toned(double[] light) =>
        [.. light.Select((v, c) => ColorEncodings.ToLinear(ColorEncoding.Srgb, (float)(Code(v) * Dusk[c]))).Select(v => (double)v)];

    private static double Code(double light) => ColorEncodings.ToCode(ColorEncoding.Srgb, (float)light, 16) / 65535.0;

    /// <summary>What a paint program would save: our own file with layers of its own above the plate's, by other hands than ours.</summary>
    private string Painted(byte[] ora, string name, params (string Name, string File, string Op)[] layers)
    {
        string path = Path.Combine(Folder, name);
        File.WriteAllBytes(path, ora);
        using ZipArchive zip = ZipFile.Open(path, ZipArchiveMode.Update);
        ZipArchiveEntry entry = zip.GetEntry("stack.xml")!;
        XDocument document;
        using (Stream from = entry.Open())
        {
            document = XDocument.Load(from);
        }
        XElement stack = document.Root!.Element("stack")!;
        Assert.StartsWith("guide plate of CITY_0010 at 1001", (string?)stack.Elements("layer").Last().Attribute("name"));
        foreach (var (layer, file, op) in layers)
        {
            zip.CreateEntryFromFile(file, $"data/{layer}.png");
            stack.AddFirst(
                new XElement(
                    "layer",
                    new XAttribute("name", layer),
                    new XAttribute("src", $"data/{layer}.png"),
                    new XAttribute("x", 0),
                    new XAttribute("y", 0),
                    new XAttribute("composite-op", op)
                )
            );
        }
        entry.Delete();
        using Stream to = zip.CreateEntry("stack.xml").Open();
        document.Save(to);
        return path;
    }

    [Fact]
    public async Task A_frame_painted_in_layers_comes_back_as_a_city_in_depth()
    {
        var files = FilmedBefore.Write(Folder);
        using Sheet page = Begun("CITY_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "ground", new(0, 0, -GroundEnds / 2), default, new(40, 1, GroundEnds));

        // Out in layers, painted by other hands, and back.
        page.Step(4);
        page.Open("paint");
        page.Type("It goes on beyond the frame by", FilmedBefore.Beyond.ToString(CultureInfo.InvariantCulture), saves: false);
        page.Keyboard(OpenQA.Selenium.Keys.Tab);
        page.Until($"document.querySelector('a[href*=\"kind=OpenRaster\"][href*=\"beyond={FilmedBefore.Beyond}\"]') !== null");
        byte[] sent = await Site.Http.GetByteArrayAsync(page.Property("a[href*='kind=OpenRaster']", "href"));
        string dusk = FilmedBefore.Painted(Folder, "dusk.png", (_, _) =>
                [.. Dusk.Select(c => (double)ColorEncodings.ToLinear(ColorEncoding.Srgb, (float)c))]
            ),
            street = FilmedBefore.Painted(Folder, "street.png", (x, y) => y > FilmedBefore.Height / 2.0 ? Street(x, y) : null);
        string first = Painted(
            sent,
            "city.ora",
            ("sky", files.Sky, "svg:src-over"),
            ("street", street, "svg:src-over"),
            ("towers", files.Towers, "svg:src-over"),
            ("house", FilmedBefore.Painted(Folder, "front.png", House), "svg:src-over"),
            ("dusk", dusk, "svg:multiply")
        );
        page.Type("Nothing under it: at", "60", saves: false);
        page.BringIn("Bring layers back", first);
        page.UntilState("state.document.projections.length === 4", 120);
        page.Shows("#told", "sky: nothing of the set is under it; it stands at 60 m");
        page.Shows("#told", "dusk (blended as Multiply) was worked into the layers under it");
        Assert.Equal("house,towers,street,sky", page.State("state.document.projections.map((p) => p.layer).join()"));
        Assert.Equal("1001", page.State("[...new Set(state.document.projections.map((p) => p.frame))].join()"));

        // Where their feet stand on the ground: the house's front, and the towers by their lowest row.
        double Away(string layer) =>
            -double.Parse(
                page.State(
                    $"state.document.pieces.find((p) => p.name === '{layer}').position.z ?? state.document.pieces.find((p) => p.name === '{layer}').position[2]"
                ),
                CultureInfo.InvariantCulture
            );
        Assert.Equal(FilmedBefore.HouseAt, Away("house"), 0.1);
        Assert.Equal(FilmedBefore.Eye * FilmedBefore.Focal / (200 - FilmedBefore.Height / 2.0), Away("towers"), 0.15);

        // The street lies on the ground, which is seen; a card is moved by its distance, and back by undo.
        page.Row(page.State("state.document.projections.find((p) => p.layer === 'street').id"));
        page.Shows("#sheet", "It stands on a card of its own");
        page.PressAndSave("Lay it on the set");
        page.UntilState("state.document.pieces.length === 4");
        page.Shows("#sheet", "It is laid on the set.");
        page.Row(page.State("state.document.projections.find((p) => p.layer === 'towers').id"));
        double found = Away("towers");
        page.Type("Its card stands at", "11", saves: false);
        page.PressAndSave("Move it there");
        Assert.Equal(11, Away("towers"), 1e-6);
        page.PressAndSave("Stand it where the set is under it");
        Assert.Equal(found, Away("towers"), 1e-6);
        page.Open("seen");
        page.Choose("Behind all", "nothing: the comp has alpha");
        page.PressAndSave("See all");
        ScreenKeyed(page);

        foreach (int frame in (int[])[FilmedBefore.First, FilmedBefore.First + FilmedBefore.Count - 1])
        {
            var (exr, _) = await HandedOver(page, frame, frame, frame);
            Check(exr, frame, found, House);
            Recombines(exr);
        }

        // A newer file: the house is painted anew, all else stays where it was put.
        page.Step(4);
        page.Open("paint");
        string newer = Painted(
            await Site.Http.GetByteArrayAsync(page.Property("a[href*='kind=OpenRaster']", "href")),
            "city2.ora",
            ("new house", FilmedBefore.Painted(Folder, "front2.png", NewHouse), "svg:src-over")
        );
        Renamed(newer, "house", "old house");
        Renamed(newer, "new house", "house");
        string revision = page.State("state.revision");
        page.BringIn("Bring layers back", newer);
        page.UntilState($"state.revision > {revision}", 120);
        page.Shows("#told", "1 new, 4 replaced");
        // What the old one was painted over by is not needed twice.
        page.Row(page.State("state.document.projections.find((p) => p.layer === 'old house').id"));
        page.PressAndSave("Switch off");
        Assert.Equal(found, Away("towers"), 1e-6);
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        int again = FilmedBefore.First + 2;
        var (anew, _) = await HandedOver(page, again, again, again);
        Check(anew, again, found, NewHouse, toned: false);
        page.NoErrors();
    }

    /// <summary>A layer of a file on disk named otherwise, as an artist would.</summary>
    private static void Renamed(string path, string from, string to)
    {
        using ZipArchive zip = ZipFile.Open(path, ZipArchiveMode.Update);
        ZipArchiveEntry entry = zip.GetEntry("stack.xml")!;
        XDocument document;
        using (Stream s = entry.Open())
        {
            document = XDocument.Load(s);
        }
        document.Descendants("layer").First(e => (string?)e.Attribute("name") == from).SetAttributeValue("name", to);
        entry.Delete();
        using Stream written = zip.CreateEntry("stack.xml").Open();
        document.Save(written);
    }

    /// <summary>What was delivered, against the paintings moved by similar triangles; pixels by an edge are not held against anything.</summary>
    /// <param name="toned">The house came under the layer that is multiplied.</param>
    private void Check(ExrPicture exr, int frame, double towersAt, Func<double, double, double[]?> house, bool toned = true)
    {
        int w = FilmedBefore.Width,
            h = FilmedBefore.Height;
        float[][] comp = [.. new[] { "R", "G", "B" }.Select(c => Channel(exr, $"comp.{c}"))];
        (int What, double[] Color) At(double px, double py)
        {
            double[]? Moved(Func<double, double, double[]?> layer, double away) => layer(px + FilmedBefore.Shift(frame, away), py);
            double ground = FilmedBefore.Eye * FilmedBefore.Focal / (py - h / 2.0);
            return Moved(house, FilmedBefore.HouseAt) is { } front ? (4, toned ? Toned(front) : front)
                : Moved(FilmedBefore.Towers, towersAt) is { } tower && !(ground > 0 && ground < towersAt) ? (3, Toned(tower))
                : ground > 0 && ground < GroundEnds ? (2, Toned(Street(px + FilmedBefore.Shift(frame, ground), py)))
                : (1, Toned(FilmedBefore.Sky(px + FilmedBefore.Shift(frame, 60), py)));
        }
        var off = new double[5];
        var leans = new double[5];
        var count = new int[5];
        for (int y = 3; y < h - 3; y++)
        {
            for (int x = 3; x < w - 3; x++)
            {
                var (what, colour) = At(x + 0.5, y + 0.5);
                const int side = 3;
                bool even = (
                    new (int, int)[]
                    {
                        (-side, -side),
                        (side, -side),
                        (-side, side),
                        (side, side),
                        (0, -side),
                        (0, side),
                        (-side, 0),
                        (side, 0),
                    }
                ).All(d => At(x + 0.5 + d.Item1, y + 0.5 + d.Item2).What == what);
                if (
                    !even
                    || Enumerable.Range(0, 9).Any(k => FilmedBefore.Figure(x + 3 * (k % 3) - 2.5, y + 3 * (k / 3) - 2.5, frame).Alpha > 0)
                )
                {
                    continue;
                }
                int i = y * w + x;
                off[what] += Enumerable.Range(0, 3).Max(c => Math.Abs(comp[c][i] - colour[c]) / colour[c]);
                leans[what] += Enumerable.Range(0, 3).Average(c => (comp[c][i] - colour[c]) / colour[c]);
                count[what]++;
            }
        }
        for (int what = 1; what <= 4; what++)
        {
            // The plate's grain is on it, which leans to no side.
            double mean = off[what] / count[what],
                lean = leans[what] / count[what];
            string name = new[] { "", "sky", "street", "towers", "house" }[what];
            say.WriteLine($"{frame}: {name} off by {100 * mean:0.000} %, leaning by {100 * lean:0.000} %, of {count[what]} px");
            Assert.True(count[what] > 500, $"{name}: {count[what]} px");
            Assert.True(
                mean < 0.04 && Math.Abs(lean) < 0.002,
                $"{frame}, {name}: off by {100 * mean:0.00} %, leaning by {100 * lean:0.00} %"
            );
        }
    }
}
