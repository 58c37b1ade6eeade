using System.Text.Json;
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

    /// <summary>A flat text in its own colour, set as the element of a number.</summary>
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
        Lettered(page, 1, "H", "1.2", new(0.9, 0.1, 0.1), new(-1.3, 0, -6.2));
        page.Press("Lay flat on its back");
        page.UntilState("Math.abs(state.document.elements[0].rotationYxzDegrees[0] + 90) < 1e-6");

        // The second stands in it and comes up, a letter after the other.
        page.Open("bring-element");
        Lettered(page, 2, "III", "1", new(0.1, 0.1, 0.9), new(0.7, 0, -6));
        page.Open("letters");
        page.Tick("its letters move each by itself");
        page.UntilState("!!state.document.elements[1].letters");
        page.Run("import('/js/state.js').then((m) => m.setFrame(1001))");
        page.UntilState("state.frame === 1001");
        page.Press("They rise from below, from 1001 on");
        page.UntilState("state.document.curves.length === 1");
        page.Type("Each later by", "4");
        // Straight up in eight frames: the second key is pulled to the fourth frame after it.
        page.Open("curves");
        page.Until("document.querySelector('[name=keys-from]') !== null", 20);
        page.Type("From frame", "1013", saves: false);
        page.Type("to frame", "1013", saves: false);
        page.Type("Later by", "-4", saves: false);
        page.PressAndSave("Move these keys");
        page.Choose("How it goes on at 1001", "straight");
        page.Choose("How it goes on at 1009", "straight");
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
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

    /// <summary>A part with a room behind it, cut out of the chosen one of two pieces by corners that are clicked where they are seen.</summary>
    private static void Cut(Sheet page, Vec3[] corners)
    {
        page.Press("Click its corners");
        foreach (Vec3 c in corners)
        {
            var (x, y) = FilmedYard.Seen(c.X, c.Y, c.Z, FilmedYard.First);
            page.ClickPicture(x, y);
        }
        page.Until("[...document.querySelectorAll('#sheet button')].some((b) => b.textContent === 'Cut it loose' && !b.disabled)", 20);
        page.PressAndSave("Cut it loose");
        page.UntilState("state.document.pieces.length === 4");
    }

    [Fact]
    public async Task A_door_is_cut_loose_from_its_wall_and_swings_open_on_what_is_behind_it()
    {
        var files = FilmedYard.Write(Folder);
        using Sheet page = Begun("DOOR_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "ground", new(0, 0, -7), default, new(16, 1, 14));
        Built(page, "Add a plane", "wall", new(0, 1.5, -FilmedYard.WallAt), new(90, 0, 0), new(12, 1, 8));
        page.Run("import('/js/state.js').then((m) => m.setFrame(1001))");
        page.UntilState("state.frame === 1001");

        // The door is clicked where it is seen, and hinged on its left edge; behind it is a dark room.
        var (left, right, top) = FilmedYard.Door;
        page.Open("cut");
        page.Type("Thick", "0.05", saves: false);
        page.Type("Dark room behind the hole", "2", saves: false);
        Cut(
            page,
            [.. new[] { (left, 0.0), (right, 0.0), (right, top), (left, top) }.Select(c => new Vec3(c.Item1, c.Item2, -FilmedYard.WallAt))]
        );
        Assert.Equal("part of wall", page.Value("Name"));
        page.Type("Name", "door");

        // Shut at 1001, open by 70° at 1011.
        page.PressLabelled("Key Stands open at 1001");
        page.UntilState("state.document.curves.length === 1");
        page.Run("import('/js/state.js').then((m) => m.setFrame(1011))");
        page.Until("location.search.includes('frame=1011')");
        page.Type("Stands open", "70");

        // Something stands in the room.
        page.Step(6);
        Lettered(page, 1, "H", "1", new(0.9, 0.8, 0.1), new(1, 0, -8.6));
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        // Shut, the frame is the plate's.
        var (shut, _) = await HandedOver(page, 1001, 1001, 1001);
        double worst = 0;
        for (int i = 0; i < shut.Width * shut.Height; i++)
        {
            double[] plate = FilmedYard.Plate(i % shut.Width + 0.5, i / shut.Width + 0.5, 1001);
            double off = Math.Abs(Channel(shut, "comp.G")[i] - plate[1]);
            worst = Math.Max(worst, off > 0.02 && !NearDoor(i % shut.Width, i / shut.Width, 1001) ? off : 0);
        }
        int middle = Index(shut, FilmedYard.Seen(0.9, 1.2, -FilmedYard.WallAt, 1001));
        double[] door = FilmedYard.Plate(middle % shut.Width + 0.5, middle / shut.Width + 0.5, 1001);
        say.WriteLine(
            $"shut: {worst:0.0000} off outside the door's rim; its middle {Channel(shut, "comp.B")[middle]:0.0000} of {door[2]:0.0000}"
        );
        Assert.Equal(0, worst);
        Assert.Equal(door[2], Channel(shut, "comp.B")[middle], 0.01);
        Assert.Equal(0, Channel(shut, "elements.A")[middle]);

        // Open, its free edge is where a door of its width stands then, and what is behind it is seen, dark but for the letter.
        const int frame = 1011;
        var (open, _) = await HandedOver(page, frame, frame, frame);
        float[] alpha = Channel(open, "elements.A"),
            red = Channel(open, "comp.R");
        double a = 70 * Math.PI / 180,
            wide = right - left;
        // Its back's corner is seen past its front's: 5 cm behind.
        var (ex, _) = FilmedYard.Seen(
            left + wide * Math.Cos(a) + 0.05 * Math.Sin(a),
            1.8,
            -FilmedYard.WallAt + wide * Math.Sin(a) - 0.05 * Math.Cos(a),
            frame
        );
        var (_, ey) = FilmedYard.Seen(left, 1.8, -FilmedYard.WallAt + wide * Math.Sin(a) / 2, frame);
        double edge = DarkFrom(open, (int)ey);
        int dark = Index(open, FilmedYard.Seen(1.35, 1.9, -FilmedYard.WallAt, frame)),
            bar = Index(open, FilmedYard.Seen(1, 0.5, -8.6, frame));
        say.WriteLine(
            $"open: free edge at {edge:0.0}, {ex:0.0} by the rule of sines; behind it {red[dark]:0.000}, the letter {red[bar]:0.000}"
        );
        Assert.Equal(ex, edge, 1.0);
        Assert.InRange(red[dark], 0, 0.03);
        Assert.Equal(0.9f, red[bar], 0.02f);
        Assert.True(alpha[bar] > 0.98);
        page.NoErrors();

        // And back.
        page.Step(3);
        page.Press("Undo");
        page.UntilState("state.canRedo");
    }

    [Fact]
    public async Task A_floor_breaks_under_what_falls_on_it_and_lies_in_the_pit_below()
    {
        var files = FilmedYard.Write(Folder);
        using Sheet page = Begun("FLOOR_0010", files.Frames, files.Camera);
        page.Step(3);
        Built(page, "Add a plane", "wall", new(0, 1.5, -FilmedYard.WallAt), new(90, 0, 0), new(12, 1, 8));
        Built(page, "Add a plane", "ground", new(0, 0, -7), default, new(16, 1, 14));
        page.Run("import('/js/state.js').then((m) => m.setFrame(1001))");
        page.UntilState("state.frame === 1001");
        const double left = -1.6,
            right = -0.2,
            near = -6.1,
            far = -7.5;
        page.Open("cut");
        page.Type("Thick", "0.15", saves: false);
        page.Choose("Hinged on its", "nothing", saves: false);
        page.Type("Dark room behind the hole", "0.6", saves: false);
        Cut(page, [new(left, 0, near), new(right, 0, near), new(right, 0, far), new(left, 0, far)]);
        page.Type("Name", "slab");
        page.Step(5);
        page.PressAndSave("Add a sun");
        page.PressAndSave("Add a sky");

        // A weight of iron, 30 cm over the slab.
        page.Step(6);
        string weight = Path.Combine(Folder, "weight.obj");
        File.WriteAllText(
            weight,
            "o weight\nv -.2 0 -.2\nv .2 0 -.2\nv .2 .4 -.2\nv -.2 .4 -.2\nv -.2 0 .2\nv .2 0 .2\nv .2 .4 .2\nv -.2 .4 .2\n"
                + "f 5 6 7 8\nf 2 1 4 3\nf 6 2 3 7\nf 1 5 8 4\nf 8 7 3 4\nf 1 2 6 5\n"
        );
        page.BringIn("Bring an element in", weight);
        page.UntilState("state.document.elements.length === 1", 60);
        Triple(page, "Place", new(-0.9, 0.3, -6.8));

        page.Step(3);
        page.Open("break");
        page.Type("Into", "30", saves: false);
        page.Choose("Struck by", "weight, which falls", saves: false);
        page.Press("Break it from 1001 on");
        page.UntilState("state.document.elements.length === 2", 120);
        page.Open("break");
        page.Shows("#sheet", "It breaks from 1006 on into 30 parts");
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();

        // Free fall for 0.247 s, 5.94 frames: it is broken in the sixth; until then the weight's keys are those of gravity.
        Assert.Equal("1006", page.State("state.document.pieces.find((p) => p.name === 'slab').goneFrom"));
        double y = double.Parse(
            page.State("state.document.curves.find((c) => c.id.endsWith('position')).keys.find((k) => k.frame === 1004).triple[1]"),
            System.Globalization.CultureInfo.InvariantCulture
        );
        Assert.Equal(0.3 - 9.80665 / 2 * Math.Pow(3 / 24.0, 2), y, 1e-4);

        page.Step(6);
        page.Row(page.State("state.document.elements.find((e) => e.broke).id"));
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);

        var (before, _) = await HandedOver(page, 1003, 1003, 1003);
        var (after, _) = await HandedOver(page, 1012, 1012, 1012);
        int whole = 0,
            dark = 0,
            parts = 0,
            moved = 0;
        for (double z = far + 0.15; z < near - 0.1; z += 0.05)
        {
            for (double x = left + 0.1; x < right - 0.1; x += 0.05)
            {
                if (x < -0.55)
                {
                    continue; // the weight, and the side that its shadow falls on
                }
                int b = Index(before, FilmedYard.Seen(x, 0, z, 1003)),
                    a = Index(after, FilmedYard.Seen(x, 0, z, 1012));
                double[] was = FilmedYard.Plate(b % before.Width + 0.5, b / before.Width + 0.5, 1003),
                    plate = FilmedYard.Plate(a % after.Width + 0.5, a / after.Width + 0.5, 1012);
                whole += Math.Abs(Channel(before, "comp.G")[b] - was[1]) < 0.03 ? 0 : 1;
                double now = Channel(after, "comp.G")[a];
                dark += now < 0.05 ? 1 : 0;
                parts += Channel(after, "elements.A")[a] > 0.9 ? 1 : 0;
                moved += Math.Abs(now - plate[1]) > 0.03 ? 1 : 0;
            }
        }
        say.WriteLine($"before: {whole} spots are not the plate’s; after: {moved} are other, {dark} dark, {parts} covered by parts");
        Assert.Equal(0, whole);
        // A part that lies as it lay is as it was filmed: it has its own colour, and the same light.
        Assert.True(moved > 10 && parts > 100, $"{moved} moved, {parts} parts");
        Recombines(after);
        page.NoErrors();

        // Broken anew with what flies off it and dust where parts hit: cards that come, grow and go by their keys.
        page.Step(3);
        page.Run("import('/js/state.js').then((m) => m.setFrame(1001))");
        page.UntilState("state.frame === 1001");
        page.Open("break");
        page.Type("Scraps thrown off", "150", saves: false);
        page.Type("Clouds of dust", "2", saves: false);
        // A crack along a line that is clicked on it; what was typed stays meanwhile.
        page.Press("Click a line that they follow");
        foreach (double z in (double[])[-7.3, -6.3])
        {
            var spot = FilmedYard.Seen(-0.45, 0, z, 1001);
            page.ClickPicture(spot.X, spot.Y);
        }
        page.Shows("#sheet", "Cracks follow a line of 2 places");
        page.Press("Break it from 1001 on");
        page.UntilState("state.document.elements.filter((e) => e.dustOf).length === 2", 120);
        Assert.Equal("150", page.State("state.document.elements.find((e) => e.broke).broke.scraps"));
        JsonElement crack = page.StateJson("state.document.elements.find((e) => e.broke).broke.cracks[0]");
        Assert.Equal(2, crack.GetArrayLength());
        Assert.Equal(-0.45, crack[0][0].GetDouble(), 0.02);
        Assert.Equal(-7.3, crack[0][2].GetDouble(), 0.1);
        Assert.Equal(
            "true",
            page.State(
                "state.document.elements.filter((e) => e.dustOf).every((e) => e.fromFrame >= 1006 && state.document.curves.filter((c) => c.id.startsWith(`elements/${e.id}/`)).length === 3)"
            )
        );
        page.Step(6);
        page.Run("import('/js/state.js').then((m) => m.setFrame(1014))");
        page.Until("document.getElementById('picture').dataset.quality === document.body.dataset.finest", 120);
        page.NoErrors();

        // Whole again, by a press.
        page.Step(3);
        page.Open("break");
        page.PressAndSave("Have it whole again");
        page.UntilState("state.document.elements.length === 1");
    }

    private static bool NearDoor(int x, int y, int frame)
    {
        var (l, t) = FilmedYard.Seen(FilmedYard.Door.Left, FilmedYard.Door.Top, -FilmedYard.WallAt, frame);
        var (r, f) = FilmedYard.Seen(FilmedYard.Door.Right, 0, -FilmedYard.WallAt, frame);
        return x > l - 4 && x < r + 4 && y > t - 4 && y < f + 4;
    }

    /// <summary>Where, from the right of the hole leftwards, the dark behind it ends in a row.</summary>
    private static double DarkFrom(ExrPicture exr, int y)
    {
        float[] red = Channel(exr, "comp.R"),
            blue = Channel(exr, "comp.B");
        int x = (int)FilmedYard.Seen(1.3, 1.8, -FilmedYard.WallAt, 1011).X;
        Assert.True(blue[y * exr.Width + x] < 0.05, "the room is not seen");
        while (red[y * exr.Width + x] + blue[y * exr.Width + x] < 0.1f)
        {
            x--;
        }
        return x + 1;
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
