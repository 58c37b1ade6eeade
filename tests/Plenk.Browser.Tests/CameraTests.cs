using System.Text.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>A camera from footage, and one from lines, on the page.</summary>
[Collection("site")]
public sealed class CameraTests(Site site)
{
    private Task<long> Shot(string code) => site.Shot(code);

    [Fact]
    public async Task A_pan_is_tracked_solved_cleaned_and_taken_back()
    {
        long id = await Shot("BTH_0050");
        using Sheet page = site.Open();
        page.GoShot(id, 1);
        // A part of the range is enough here.
        page.Run(
            "const done = import('/js/state.js').then((m) => m.save((d) => { d.range = { first: 1022, last: 1041 }; return d; })); return true;"
        );
        page.UntilState("state.document.range.last === 1041");
        page.Step(2);
        page.Until("document.body.textContent.includes('Nothing is tracked yet')");

        // A matte, corner by corner, keyed by pulling one of them in another frame.
        page.Press("Draw a matte");
        foreach (var (x, y) in new[] { (300.0, 60.0), (420, 60), (420, 140), (300, 140) })
        {
            page.ClickPicture(x, y);
        }
        page.PressAndSave("Close the shape");
        page.Run("document.getElementById('at').value = '1040'; document.getElementById('at').dispatchEvent(new Event('change'));");
        page.UntilState("state.frame === 1040");
        string revision = page.State("state.revision");
        page.Drag(page.OnPage(420, 140), page.OnPage(450, 170), steps: 3);
        page.UntilState($"state.revision > {revision}");
        Assert.Equal("2", page.State("state.document.mattes[0].keys.length"));
        Assert.Equal(450, page.StateJson("state.document.mattes[0].keys[1].corners[4]").GetDouble(), 1.0);

        // Tracking stands in the tray with its progress; the tracks are drawn, the live ones counted along the rail.
        page.Press("Track the plate");
        page.Until("document.querySelector('#tray .bar') !== null", 20);
        page.UntilState("state.document.tracks !== null", 120);
        page.Until("document.querySelectorAll('#overlay path').length > 3");
        page.UntilReadings();
        var (live, verdict) = page.Reading("camera.live");
        Assert.Equal("within", verdict);
        Assert.InRange(double.Parse(live.Split(' ')[0], System.Globalization.CultureInfo.InvariantCulture), 60, 1000);
        page.Shows("#rail-title", "Live tracks");

        // Solved as the artist chose: it turns.
        Assert.Equal("true", page.State("state.document.solving.turns"));
        page.Choose("Lens", "k1");
        page.Press("Solve the camera");
        page.UntilState("state.document.camera !== null", 120);
        page.Until("document.getElementById('solve-report') !== null");
        JsonElement solve = await site.Json($"/api/shots/{id}/solve");
        Assert.Equal(30, solve.GetProperty("focalMm").GetDouble(), 0.7);
        page.Shows("#solve-report", "turning");
        page.Shows("#solve-report", "left out");
        page.UntilReadings();
        Assert.NotEqual("nothing yet", page.Reading("camera.solve").Verdict);

        // Its curves in the rail.
        page.Choose("In the rail", "the camera’s turn", saves: false);
        page.Until("document.getElementById('rail-title').textContent.includes('turn since the first frame')");
        Assert.Equal(
            "3",
            page.Run(
                "return String([...document.querySelectorAll('#rail svg path')].filter((p) => p.getAttribute('fill') === 'none').length)"
            )
        );

        // Cleaning says what would go and what would be left before it does; it can be undone.
        string before = page.State("state.document.solve.tracksUsed");
        string forecast = page.Text("#cleaning");
        Assert.Matches(@"\d+ of \d+ tracks would go; [\d.]+ px would become about [\d.]+ px", forecast);
        page.Press("Leave them out and solve again");
        page.UntilState($"state.document.solving.leftOut.length > 0 && state.document.solve.tracksUsed < {before}", 120);
        page.Press("Undo");
        page.UntilState($"state.document.solve.tracksUsed === {before}");
        page.Press("Undo");
        page.UntilState("state.document.solving.leftOut.length === 0");

        // A wrong choice is told and the last good solve stays.
        page.Choose("The camera", "travels");
        page.Press("Solve again");
        page.Until("document.querySelector('#told .told')?.textContent.includes('turns but does not travel') === true", 120);
        Assert.Contains("stays", page.Told);
        Assert.Equal(before, page.State("state.document.solve.tracksUsed"));

        // A track is chosen by its mark, told, cut and brought back.
        JsonElement track = (await site.Json($"/api/shots/{id}/frames/1040/tracks"))
            .EnumerateArray()
            .First(t =>
                t.GetProperty("last").GetInt32() == 1041
                && t.GetProperty("first").GetInt32() < 1036
                && t.GetProperty("fate").GetString() == "used"
            );
        page.ClickPicture(track.GetProperty("x").GetDouble(), track.GetProperty("y").GetDouble());
        page.UntilState("state.chosen.track !== null");
        // Its mark is carried to another place, where it is corrected in this frame.
        string held = page.State("state.revision");
        double at = track.GetProperty("x").GetDouble(),
            row = track.GetProperty("y").GetDouble();
        page.Drag(page.OnPage(at, row), page.OnPage(at + 9, row + 5), steps: 3);
        page.UntilState($"state.revision > {held}");
        JsonElement moved = (await site.Json($"/api/shots/{id}/frames/1040/tracks"))
            .EnumerateArray()
            .First(t => t.GetProperty("id").GetInt32() == track.GetProperty("id").GetInt32());
        Assert.InRange(moved.GetProperty("x").GetDouble() - at, 6, 12);
        page.PressAndSave("Undo");
        page.PressAndSave("Cut it after 1040");
        page.PressAndSave("Undo");
        page.PressAndSave("Make it a survey point");
        Assert.Equal(
            "true",
            page.State($"state.document.surveyPoints.some((p) => p.name === 'T{track.GetProperty("id")}' && p.clicks.length > 3)")
        );
        page.PressAndSave("Undo");
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
    }

    [Fact]
    public async Task A_still_follows_its_lines()
    {
        long id = await Shot("BTH_0060");
        using Sheet page = site.Open();
        page.GoShot(id, 2);
        page.Until("document.getElementById('still-report') !== null");
        page.ShowsLike("#still-report", @"focal length 2[34]\.\d+ mm ± 0\.\d+");
        page.Shows("#still-report", "above the floor");
        Assert.Empty(page.AccessibilityFaults());
        double focal = page.StateJson("state.document.camera.samples[0].focalPx").GetDouble();
        // An end is pulled off its edge: the report follows while it is pulled, and what is let go is kept; undo brings it back.
        JsonElement line = page.StateJson("state.document.still.lines.find((l) => l.axis === 'z')");
        var at = page.OnPage(line.GetProperty("x1").GetDouble(), line.GetProperty("y1").GetDouble());
        string revision = page.State("state.revision"),
            told = page.Text("#still-report");
        page.Drag(at, (at.X + 14, at.Y + 12), steps: 4);
        page.UntilState($"state.revision > {revision}");
        page.Until($"document.getElementById('still-report')?.innerText !== {JsonSerializer.Serialize(told)}");
        Assert.NotEqual(focal, page.StateJson("state.document.camera.samples[0].focalPx").GetDouble());
        page.PressAndSave("Undo");
        Assert.Equal(focal, page.StateJson("state.document.camera.samples[0].focalPx").GetDouble(), 1e-6);
        // A line too short is refused in words, and the camera stays.
        page.Press("Along x (6)");
        page.ClickPicture(500, 500);
        page.ClickPicture(501, 500);
        page.Until("document.body.textContent.includes('draw it along more of its edge')");
        Assert.Equal(focal, page.StateJson("state.document.camera.samples[0].focalPx").GetDouble(), 1e-6);
        page.NoErrors();
    }
}
