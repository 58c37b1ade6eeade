using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Closing the match, notes, and handing over, on the real pages.</summary>
[Collection("site")]
public sealed class FinishTests(Site site)
{
    private Task<Sheet> Bell(int step) => site.Open("BTH_0040", step, 1036);

    private static void Back(Sheet page, int to)
    {
        while (
            int.Parse(page.State("state.revision")) > to
            && page.State("state.canUndo") == "true"
            && page.State("JSON.stringify(state.document.finish.steps.map((s) => s.id))") != "[\"grain_1\"]"
        )
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task Steps_are_added_in_the_order_of_light_measured_and_undone()
    {
        using Sheet page = await Bell(7);
        int before = int.Parse(page.State("state.revision"));
        page.Choose("Step to add", "Haze by distance", saves: false);
        page.PressAndSave("Add this step");
        page.Choose("Step to add", "Grade", saves: false);
        page.PressAndSave("Add this step");
        // As light meets them, whatever the order they came in.
        page.Until("[...document.querySelectorAll('#sheet [data-row]')].map((r) => r.dataset.row).join(' ') === 'grade_1 haze_1 grain_1'");
        page.Type("Exposure", "1");
        Assert.Equal("1", page.State("state.document.finish.steps.find((s) => s.id === 'grade_1').grade.stops"));
        page.Type("Strength", "0.5");
        Assert.Equal("0.5", page.State("state.document.finish.steps.find((s) => s.id === 'grade_1').strength"));
        page.Until("document.getElementById('step-effect')?.textContent.includes('element’s mean goes from')", 60);
        Assert.Contains("of the picture, by", page.State("document.getElementById('step-effect').textContent"));
        page.Open("objects-grade_1");
        page.Until("document.querySelectorAll('[data-fold=objects-grade_1] input[type=checkbox]').length > 2", 20);
        page.Tick("Diving bell");
        Assert.Equal("bell", page.State("state.document.finish.steps.find((s) => s.id === 'grade_1').objects.join()"));
        page.Tick("Diving bell");
        page.Press("Without it");
        Assert.Equal("without:grade_1", page.State("state.compare"));
        page.Until("document.getElementById('seen').textContent.includes('without one thing')", 20);
        page.Press("It alone");
        page.Until("document.getElementById('seen').textContent.includes('one step alone')", 20);
        page.PressAndSave("Take it away");
        page.Choose("Look at", "exposure in false colour", saves: false);
        page.Until("document.getElementById('seen').textContent.includes('exposure')", 20);
        page.Open("finish-scopes");
        page.Until("document.querySelector('#scopes svg') !== null", 60);
        // Element drawn through, plate dashed, the base line; the brightness has its dots.
        Assert.Equal(
            "3,1",
            page.State(
                "[document.querySelectorAll('#scopes svg:nth-of-type(1) path').length, document.querySelectorAll('#scopes svg:nth-of-type(1) path[stroke-dasharray]').length].join()"
            )
        );
        Assert.Equal("", page.State("[...document.querySelectorAll('#scopes svg')].map((s) => s.textContent.trim()).join('')"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        Back(page, before);
    }

    [Fact]
    public async Task The_element_is_brought_to_the_plate_in_one_press()
    {
        using Sheet page = await Bell(7);
        int before = int.Parse(page.State("state.revision"));
        page.Press("Bring to the plate");
        page.Until("(document.querySelector('#told .told') || {}).textContent?.includes('Grain as the plate')", 180);
        // What is as the plate already is left: nothing was saved.
        Assert.Equal(before, int.Parse(page.State("state.revision")));
        Assert.Contains("Black level", page.State("document.querySelector('#told .told').textContent"));
        page.NoErrors();
        Back(page, before);
    }

    [Fact]
    public async Task Frames_are_kept_for_playing_told_and_forgotten_with_the_next_change()
    {
        using Sheet page = await Bell(7);
        int before = int.Parse(page.State("state.revision"));
        const string kept = "document.getElementById('kept').textContent";
        page.Press("Play");
        page.Until($"/^[1-9]\\d* of 72 frames kept, coarse, \\d+ MB/.test({kept})", 90);
        page.Press("Stop");
        page.Press("Keep no more");
        string had = page.State(kept);
        Assert.DoesNotContain("Keep no more", had);
        page.Choose("Step to add", "Glow", saves: false);
        page.PressAndSave("Add this step", 150);
        page.Until($"{kept} === ''", 20);
        page.NoErrors();
        Back(page, before);
    }

    [Fact]
    public async Task The_range_fills_in_by_itself_near_frames_first_and_plays_at_the_rate_of_the_shot()
    {
        using Sheet page = await Bell(7);
        const string kept = "document.getElementById('kept').textContent";
        Assert.Equal("", page.State(kept));
        page.State("document.body.dataset.finest = 'full'");
        page.State("import('/js/state.js').then((m) => m.tell('frame')) && 0");
        page.Until($"/^([5-9]|[1-9]\\d) of 72 frames kept, coarse, \\d+ MB/.test({kept})", 120);
        page.State("document.body.dataset.finest = 'middle'");
        // A neighbour that is kept stands there in the same breath, from the page itself.
        page.State(
            """
            (window.near = null, Promise.all([import('/js/state.js'), import('/js/comp.js')]).then(([s, { comp }]) => {
              s.setFrame(s.state.frame + 1);
              window.near = comp.shown?.frame === s.state.frame;
            }), 0)
            """.ReplaceLineEndings(" ")
        );
        page.Until("window.near !== null");
        Assert.Equal("true", page.State("window.near"));
        page.Press("Play");
        // By the page's own clock, twice while it plays.
        double[] At() =>
            [
                .. page.State("`${performance.now()} ${state.frame}`")
                    .Split(' ')
                    .Select(v => double.Parse(v, System.Globalization.CultureInfo.InvariantCulture)),
            ];
        double[] early = At();
        page.Until($"performance.now() > {FormattableString.Invariant($"{early[0] + 2000:0}")}", 20);
        double[] late = At();
        double due = (late[0] - early[0]) * 24 / 1000,
            off = (late[1] - early[1] - due) % 72;
        off = Math.Abs(
            off < -36 ? off + 72
            : off > 36 ? off - 72
            : off
        );
        Assert.True(off < 6, $"from {early[1]} to {late[1]}; {due:0.0} frames were due");
        page.Press("Stop");
        page.NoErrors();
    }

    [Fact]
    public async Task Readings_over_the_range_run_in_the_tray_and_are_stopped_there()
    {
        using Sheet page = await Bell(7);
        page.Press("Measure over the range");
        page.Until("document.getElementById('tray').textContent.includes('Readings over the range')", 30);
        page.Until("[...document.querySelectorAll('#tray button')].some((b) => b.textContent === 'Stop')", 10);
        page.Press("Stop");
        page.Until("!document.getElementById('tray').dataset.live", 60);
        Assert.Contains("stopped", page.State("(state.jobs.find((j) => j.kind === 'finish-range') || {}).state"));
        page.NoErrors();
    }

    [Fact]
    public async Task A_note_is_pinned_answered_and_resolved_and_another_revision_stands_beside()
    {
        using Sheet page = await Bell(8);
        int before = int.Parse(page.State("state.revision"));
        page.Press("Pin a note at 1036");
        page.ClickPicture(600, 400);
        page.UntilState("state.document.notes.length === 1");
        page.Type("Note", "edge of the chain");
        page.Type("Answer", "softer now");
        page.PressAndSave("It is resolved");
        Assert.Equal(
            "edge of the chain|softer now|true",
            page.State("state.document.notes.map((n) => `${n.text}|${n.answers[0].text}|${n.resolved}`).join()")
        );
        page.Open("versions");
        page.Press("Show that one");
        Assert.Equal("version", page.State("state.compare"));
        page.Press("Side by side");
        page.Until("document.getElementById('seen').textContent.includes('| this one')", 30);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        while (
            int.Parse(page.State("state.revision")) > before
            && page.State("state.canUndo") == "true"
            && page.State("state.document.notes.length") != "0"
        )
        {
            page.PressAndSave("Undo");
        }
    }
}
