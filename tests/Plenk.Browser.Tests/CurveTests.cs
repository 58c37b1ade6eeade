using System.Globalization;
using OpenQA.Selenium;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Values are keyed over frames on the real pages: by the keyboard at their fields, in the rail, by their list.</summary>
[Collection("site")]
public sealed class CurveTests(Site site)
{
    private static void Go(Sheet page, int frame)
    {
        page.Run($"import('/js/state.js').then((m) => m.setFrame({frame}))");
        page.UntilState($"state.frame === {frame}");
        page.Until($"document.querySelector('#sheet-body [title*=\" at {frame}\"]') !== null");
    }

    /// <summary>Alt+K at a field sets a key of the frame there, or takes it away.</summary>
    private static void Key(Sheet page, string label)
    {
        string revision = page.State("state.revision");
        page.Run(
            "[...document.querySelectorAll('#sheet-body .field')].find((f) => f.textContent.trim().startsWith(arguments[0])).querySelector('input').focus()",
            label
        );
        page.Chord(Keys.Alt, "k");
        page.UntilState($"state.revision > {revision}");
    }

    /// <summary>The comp of a frame as it is shown, once it is as bright as it should be.</summary>
    private static double Comp(Sheet page, int frame, Func<double, bool> asItShould)
    {
        Go(page, frame);
        DateTime end = DateTime.UtcNow.AddSeconds(90);
        double shown;
        do
        {
            Thread.Sleep(200);
            shown = page.Shown(700, 300).Average();
        } while (!asItShould(shown) && DateTime.UtcNow < end);
        Assert.True(asItShould(shown), $"{shown:0} at {frame}");
        return shown;
    }

    [Fact]
    public async Task A_grade_of_everything_is_keyed_pulled_in_the_rail_moved_and_undone()
    {
        using Sheet page = await site.Open("BTH_0040", 7, 1030);
        int before = int.Parse(page.State("state.revision"), CultureInfo.InvariantCulture);
        page.Choose("Step to add", "Grade of everything", saves: false);
        page.PressAndSave("Add this step");
        page.Type("Exposure", "-2");
        Go(page, 1030);
        Key(page, "Exposure");
        Assert.Equal("[1030]", page.State("JSON.stringify(state.document.curves[0].keys.map((k) => k.frame))"));
        Go(page, 1050);
        // What is typed where a value is keyed becomes a key of that frame.
        page.Type("Exposure", "0");
        Assert.Equal("-2,0", page.State("state.document.curves[0].keys.map((k) => k.value).join()"));
        Go(page, 1040);
        page.Until("document.querySelector('#sheet-body .field:has(button.key.keyed) input')?.value === '-1'");
        page.Shows("#rail-title", "Grade of everything: exposure, stops");
        // The picture: two stops darker at the one than at the other, where it is the plate.
        page.Press("Before");
        Go(page, 1050);
        page.UntilState("state.compare === 'before'");
        Thread.Sleep(500);
        double plate = page.Shown(700, 300).Average();
        page.Press("After");
        double light = Comp(page, 1050, v => Math.Abs(v - plate) < 0.1 * plate);
        Comp(page, 1030, v => v < 0.7 * light);
        // A key is pulled up in the rail.
        string revision = page.State("state.revision");
        string[] dot = page.State(
                "(() => { const c = document.querySelectorAll('#rail svg circle')[0].getBoundingClientRect(); return [c.x + c.width / 2, c.y + c.height / 2].map(Math.round).join(); })()"
            )
            .Split(',');
        (int X, int Y) at = (int.Parse(dot[0], CultureInfo.InvariantCulture), int.Parse(dot[1], CultureInfo.InvariantCulture));
        page.Drag(at, (at.X, at.Y - 20));
        page.UntilState($"state.revision > {revision}");
        Assert.Equal("true", page.State("state.document.curves[0].keys[0].value > -1.9"));
        // Both go on by four frames, and twice as far apart.
        Go(page, 1030);
        page.Type("Later by", "4", saves: false);
        page.Type("Stretched", "2", saves: false);
        page.PressAndSave("Move these keys");
        Assert.Equal("[1034,1074]", page.State("JSON.stringify(state.document.curves[0].keys.map((k) => k.frame))"));
        // A wrong key is refused at its field and nothing is kept.
        page.PressAndSave("Undo");
        Go(page, 1030);
        Assert.Empty(page.AccessibilityFaults());
        page.PressAndSave("Take all keys off");
        Assert.Equal("0", page.State("state.document.curves.length"));
        page.NoErrors();
        while (
            int.Parse(page.State("state.revision"), CultureInfo.InvariantCulture) > before
            && page.State("state.canUndo") == "true"
            && page.State("state.document.finish.steps.length") != "1"
        )
        {
            page.PressAndSave("Undo");
        }
        Assert.Equal("0", page.State("state.document.curves.length"));
    }
}
