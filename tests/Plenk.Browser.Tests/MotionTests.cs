using Plenk.Core.Geometry;
using Plenk.Formats.Exr;
using Xunit;
using Xunit.Abstractions;

namespace Plenk.Browser.Tests;

/// <summary>Whole jobs in which things move, from the plate to the hand-over, and what is delivered read back.</summary>
[Collection("site")]
public sealed class MotionTests(Site site, ITestOutputHelper say) : WholeJob(site)
{
    private static int Index(ExrPicture exr, (double X, double Y) at) => (int)at.Y * exr.Width + (int)at.X;

    /// <summary>Rows that coverage between two columns reaches over, with parts of pixels.</summary>
    private static (double Top, double Foot) Reach(float[] alpha, ExrPicture exr, int left, int right)
    {
        float[] rows =
        [
            .. Enumerable.Range(0, exr.Height).Select(y => alpha.AsSpan(y * exr.Width + left, right - left + 1).ToArray().Max()),
        ];
        int top = Array.FindIndex(rows, a => a > 0),
            foot = Array.FindLastIndex(rows, a => a > 0);
        Assert.True(top >= 0, $"nothing is seen between {left} and {right}");
        return (top + 1 - rows[top], foot + rows[foot]);
    }

    [Fact]
    public async Task A_title_lies_on_the_road_and_another_rises_out_of_it_letter_by_letter()
    {
        var files = FilmedYard.Write(Folder);
        using Sheet page = Begun("ROAD_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "road", new(0, 0, -8), default, new(16, 1, 16));
        page.Step(5);
        page.PressAndSave("Add a sun");

        // The first lies on the road, its head away from the camera.
        page.Step(6);
        page.PressAndSave("Set lettering");
        page.UntilState("state.document.elements.length === 1");
        page.Type("Text", "H");
        page.Type("Capitals are", "1.2");
        page.Type("Thick", "0");
        page.Tick("it takes no light: its colours are seen as they are");
        Triple(page, "Colour", new(0.9, 0.1, 0.1));
        Triple(page, "Place", new(-1.3, 0, -6.2));
        page.Press("Lay flat on its back");
        page.UntilState("Math.abs(state.document.elements[0].rotationYxzDegrees[0] + 90) < 1e-6");

        // The second stands in it and comes up, a letter after the other.
        page.Open("bring-element");
        page.PressAndSave("Set lettering");
        page.UntilState("state.document.elements.length === 2");
        page.Type("Text", "III");
        page.Type("Capitals are", "1");
        page.Type("Thick", "0");
        page.Tick("it takes no light: its colours are seen as they are");
        Triple(page, "Colour", new(0.1, 0.1, 0.9));
        Triple(page, "Place", new(0.7, 0, -6));
        page.Open("letters");
        page.Tick("its letters move each by itself");
        page.UntilState("!!state.document.elements[1].letters");
        page.Run("import('/js/state.js').then((m) => m.setFrame(1001))");
        page.UntilState("state.frame === 1001");
        page.Press("They rise from below, from 1001 on");
        page.UntilState("state.document.curves.length === 1");
        page.Type("Each later by", "4");
        // Straight up in eight frames: the second key is pulled to the fourth frame after it.
        page.Until("document.querySelector('[name=keys-from]') !== null", 20);
        page.Type("From frame", "1013", saves: false);
        page.Type("to frame", "1013", saves: false);
        page.Type("Later by", "-4", saves: false);
        page.PressAndSave("Move these keys");
        page.Choose("How it goes on at 1001", "straight");
        page.Choose("How it goes on at 1009", "straight");
        page.Until("document.getElementById('picture').dataset.quality === 'full'", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        const int frame = 1009;
        var (exr, _) = await HandedOver(page, frame, frame, frame);
        float[] alpha = Channel(exr, "elements.A"),
            red = Channel(exr, "comp.R"),
            blue = Channel(exr, "comp.B");
        // The H lies from its place away: its bar between the legs is seen where the ground there is.
        int bar = Index(exr, FilmedYard.Seen(-1.3, 0.002, -6.2 - 0.6, frame));
        Assert.Equal((1, 0.9f), (alpha[bar], red[bar]), (a, b) => Math.Abs(a.Item1 - b.Item1) + Math.Abs(a.Item2 - b.Item2) < 0.01);
        var (lt, lf) = Reach(alpha, exr, 60, 190);
        double head = FilmedYard.Seen(0, 0.002, -7.4, frame).Y,
            foot = FilmedYard.Seen(0, 0.002, -6.2, frame).Y;
        // Of the others the first is up, the second half way, the third has not begun.
        int[] columns = Columns(exr, alpha, blue);
        double up = FilmedYard.Seen(0, 1, -6, frame).Y,
            half = FilmedYard.Seen(0, 1 - 0.75, -6, frame).Y,
            ground = FilmedYard.Seen(0, 0, -6, frame).Y;
        var (t1, f1) = Reach(alpha, exr, columns[0], columns[0]);
        var (t2, f2) = Reach(alpha, exr, columns[1], columns[1]);
        say.WriteLine(
            $"H: {lt:0.00} to {lf:0.00}, {head:0.00} to {foot:0.00} by similar triangles; I: {t1:0.00} to {f1:0.00} ({up:0.00} to {ground:0.00}), {t2:0.00} to {f2:0.00} ({half:0.00})"
        );
        Assert.Equal(head, lt, 0.5);
        Assert.Equal(foot, lf, 0.5);
        Assert.Equal(2, columns.Length);
        Assert.Equal(up, t1, 0.5);
        Assert.Equal(half, t2, 0.5);
        Assert.Equal(ground, f1, 0.7);
        Assert.Equal(ground, f2, 0.7);
        Recombines(exr);
        page.NoErrors();
    }

    /// <summary>Middles of the upright bars, from the left.</summary>
    private static int[] Columns(ExrPicture exr, float[] alpha, float[] blue)
    {
        int y = (int)FilmedYard.Seen(0, 0.1, -6, FilmedYard.First).Y;
        bool Is(int x) => alpha[y * exr.Width + x] > 0.99f && blue[y * exr.Width + x] > 0.7f;
        var middles = new List<int>();
        for (int x = 0; x < exr.Width; x++)
        {
            if (Is(x))
            {
                int from = x;
                while (Is(x + 1))
                {
                    x++;
                }
                middles.Add((from + x) / 2);
            }
        }
        return [.. middles];
    }
}
