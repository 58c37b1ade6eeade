using Plenk.Core.Geometry;
using Plenk.Core.Tracking.Outlines;
using Plenk.Formats.Exr;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>A far ridge outlined once, followed, locked, with a sign behind it: from plate to hand-over.</summary>
[Collection("site")]
public sealed class OutlineTests(Site site) : WholeJob(site)
{
    [Fact]
    public async Task A_ridge_is_outlined_once_followed_corrected_locked_and_hides_what_stands_behind_it()
    {
        var files = FilmedRidge.Write(Folder);
        using Sheet page = Begun("RIDGE_0010", files.Frames, files.Camera);

        // Letters 80 m away, whose lower half is behind the ridge.
        page.Step(5);
        page.PressAndSave("Add a sun");
        page.Step(6);
        Lettered(page, 1, "III", "14", new(0.9, 0.1, 0.1), new(0, 5, -80));

        page.Open("mattes");
        page.Press("Draw a matte");
        double Row(double x) => FilmedRidge.Row(x, FilmedRidge.First);
        var corners = new List<(double X, double Y)> { (-14, Row(-14)) };
        for (double x = 4; x < FilmedRidge.Width; x += 17)
        {
            corners.Add((x, Row(x)));
        }
        corners.AddRange([(494, Row(494)), (494, 260), (-14, 260)]);
        foreach (var (x, y) in corners)
        {
            page.ClickPicture(x, y);
        }
        page.Press("Close the shape");
        page.UntilState($"state.document.mattes.length === 1 && state.document.mattes[0].keys[0].corners.length === {2 * corners.Count}");
        page.Type("Name", "ridge");

        // A point more, and one less; both come back.
        page.Open("outline-points");
        page.Press("Put points in");
        page.ClickPicture(200, Row(200) + 1);
        page.UntilState($"state.document.mattes[0].keys[0].corners.length === {2 * corners.Count + 2}");
        page.Press("Take points away");
        page.ClickPicture(200, Row(200));
        page.UntilState($"state.document.mattes[0].keys[0].corners.length === {2 * corners.Count}");
        page.Find("#picture").SendKeys(OpenQA.Selenium.Keys.Escape);

        page.Press("Follow it through the picture");
        page.UntilState($"(state.document.mattes[0].followed ?? []).length === {FilmedRidge.Count - 1}", 180);
        page.Shows("#sheet", "Least sure");
        Assert.Contains("true", page.State("String(state.document.mattes[0].keys.length <= 4)"));

        // The least sure is put right by hand, and it is followed again from both.
        int last = FilmedRidge.First + FilmedRidge.Count - 1;
        page.Run($"import('/js/state.js').then((m) => m.setFrame({last}))");
        page.UntilState($"state.frame === {last}");
        double fx = page.StateJson("state.document.mattes[0].keys.at(-1).corners[20]").GetDouble(),
            fy = page.StateJson("state.document.mattes[0].keys.at(-1).corners[21]").GetDouble();
        page.Drag(page.OnPage(fx, fy), page.OnPage(fx + 5, FilmedRidge.Row(fx + 5, last)), steps: 4);
        page.UntilState($"state.document.mattes[0].keys.some((k) => k.frame === {last} && !k.found)");
        page.Press("Follow it through the picture");
        page.UntilState($"(state.document.mattes[0].followed ?? []).length === {FilmedRidge.Count - 2}", 180);

        page.Tick("what lies in it stands before what is added");
        page.PressAndSave("Freeze", 120);
        page.UntilState("!!state.document.mattes[0].frozen", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        foreach (int frame in (int[])[FilmedRidge.First + 3, last])
        {
            var (exr, _) = await HandedOver(page, frame, frame, frame);
            float[] alpha = Channel(exr, "elements.A");
            int w = exr.Width,
                over = 0,
                under = 0,
                wrong = 0;
            for (int y = 0; y < exr.Height; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    double off = y + 0.5 - FilmedRidge.Row(x + 0.5, frame);
                    over += off < -2 && alpha[y * w + x] > 0.9f ? 1 : 0;
                    under += off > 2 ? 1 : 0;
                    wrong += off > 2 && alpha[y * w + x] > 0.1f ? 1 : 0;
                }
            }
            Assert.True(over > 200, $"{frame}: {over} px of the letters stand above the ridge");
            Assert.True(wrong < 0.0005 * under, $"{frame}: {wrong} px of the letters stand before the ridge");
        }
    }

    [Fact]
    public void A_door_is_outlined_by_strokes_corrected_and_drawn_along_its_edges()
    {
        var files = FilmedYard.Write(Folder);
        using Sheet page = Begun("DOOR_0060", files.Frames, files.Camera);
        var (left, top) = FilmedYard.Seen(FilmedYard.Door.Left, FilmedYard.Door.Top, -FilmedYard.WallAt, FilmedYard.First);
        var (right, foot) = FilmedYard.Seen(FilmedYard.Door.Right, 0, -FilmedYard.WallAt, FilmedYard.First);
        double Overlap(int matte)
        {
            string key = $"state.document.mattes[{matte}].keys[0]";
            double[] Numbers(string of) => [.. page.StateJson(of).EnumerateArray().Select(v => v.GetDouble())];
            double[] xy = Numbers($"{key}.corners"),
                h = Numbers($"{key}.handles");
            var curve = new Curve(
                [
                    .. Enumerable
                        .Range(0, xy.Length / 2)
                        .Select(i => new Knot(xy[2 * i], xy[2 * i + 1], h[4 * i], h[4 * i + 1], h[4 * i + 2], h[4 * i + 3])),
                ],
                true
            );
            float[] own = OutlineCoverage.Of(curve, FilmedYard.Width, FilmedYard.Height);
            double both = 0,
                either = 0;
            for (int i = 0; i < own.Length; i++)
            {
                int x = i % FilmedYard.Width,
                    y = i / FilmedYard.Width;
                double real =
                    Math.Clamp(Math.Min(x + 1, right) - Math.Max(x, left), 0, 1)
                    * Math.Clamp(Math.Min(y + 1, foot) - Math.Max(y, top), 0, 1);
                (both, either) = (both + Math.Min(own[i], real), either + Math.Max(own[i], real));
            }
            return both / either;
        }
        void Stroke(double x0, double y0, double x1, double y1) => page.Drag(page.OnPage(x0, y0), page.OnPage(x1, y1), steps: 6);

        page.Step(6);
        page.Open("mattes");
        page.Press("Find by strokes");
        Stroke(left + 12, top + 12, right - 12, foot - 12);
        page.UntilState("state.document.mattes.length === 1 && state.document.mattes[0].keys[0].strokes.length === 1", 30);
        page.Open("outline-strokes");
        page.Press("Not this");
        Stroke(left - 20, top, left - 20, foot - 4);
        page.UntilState("state.document.mattes[0].keys[0].strokes.length === 2", 30);
        // The hand stays for the next one.
        Stroke(left - 10, foot + 14, right + 10, foot + 14);
        page.UntilState("state.document.mattes[0].keys[0].strokes.length === 3", 30);
        page.Shows("#sheet", "% sure");
        Assert.InRange(Overlap(0), 0.95, 1);
        Assert.Empty(page.AccessibilityFaults());
        page.Find("#picture").SendKeys(OpenQA.Selenium.Keys.Escape);

        // A stroke is undone like anything else; a point that is pulled stays, and what it was found from is let go.
        page.Press("Undo");
        page.UntilState("state.document.mattes[0].keys[0].strokes.length === 2", 30);
        page.Press("Redo");
        page.UntilState("state.document.mattes[0].keys[0].strokes.length === 3", 30);

        page.Press("Draw along edges");
        foreach (
            var (x, y) in (ReadOnlySpan<(double, double)>)
                [(left + 2, top - 2), (right - 2, top + 1), (right + 2, foot - 1), (left, foot + 2)]
        )
        {
            int before = int.Parse(page.State("String(state.page.edge ?? 0)"), System.Globalization.CultureInfo.InvariantCulture);
            page.ClickPicture(x, y);
            page.UntilState($"Number(state.page.edge ?? 0) > {before}", 20);
        }
        page.Press("Close the shape");
        page.UntilState("state.document.mattes.length === 2", 30);
        Assert.InRange(Overlap(1), 0.96, 1);
        page.NoErrors();

        // Strokes that say both are answered, and nothing is changed.
        page.Row("matte_1");
        page.Press("This");
        Stroke(left - 20, top, left - 20, foot - 4);
        page.Shows("#sheet", "lie over one another near");
        Assert.Equal("3", page.State("String(state.document.mattes[0].keys[0].strokes.length)"));
    }
}
