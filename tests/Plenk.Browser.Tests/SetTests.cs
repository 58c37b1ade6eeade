using System.Text.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>
/// The set and its projections on the page: pieces drawn in the picture, measured, copied; what covers them; and the set around.
/// </summary>
[Collection("site")]
public sealed class SetTests(Site site)
{
    private Task<long> Shot(string code) => site.Shot(code);

    [Fact]
    public async Task Pieces_are_drawn_measured_copied_and_locked()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0040"), 3, 1036);
        page.Until("document.querySelectorAll('#sheet [data-row]').length > 5");
        string before = page.State("state.document.pieces.length");

        // An outline on the pool's edge, where the floor is; its walls get a door; crossing itself it is refused and nothing is lost.
        page.Press("Draw an outline on the floor");
        foreach (var (x, y) in new[] { (300.0, 640.0), (800, 640), (850, 700), (250, 700) })
        {
            page.ClickPicture(x, y);
            page.Until("document.body.textContent.includes('Click in the picture')");
        }
        page.Until("[...document.querySelectorAll('#sheet button')].some((b) => b.textContent === 'Close the outline' && !b.disabled)");
        page.PressAndSave("Close the outline");
        JsonElement outline = page.StateJson("state.document.pieces.at(-1)");
        Assert.Equal(("Outline", 8), (outline.GetProperty("kind").GetString(), outline.GetProperty("corners").GetArrayLength()));
        page.PressAndSave("Cut a door");
        Assert.Equal("1", page.State("state.document.pieces.at(-1).openings.length"));
        string revision = page.State("state.revision");
        page.Type("to", "500", saves: false);
        page.Keyboard(OpenQA.Selenium.Keys.Enter);
        page.Until("document.querySelector('#told .told')?.textContent.includes('reaches beyond it') === true");
        Assert.Equal(revision, page.State("state.revision"));
        page.Type("Walls’ height", "3 m");
        Assert.Equal(3, page.StateJson("state.document.pieces.at(-1).size[1]").GetDouble());
        page.PressAndSave("Delete");

        // A cylinder, four of it in a row, one locked.
        page.PressAndSave("Cylinder");
        page.PressAndSave("Four in a row");
        Assert.Equal(
            (int.Parse(before, System.Globalization.CultureInfo.InvariantCulture) + 4).ToString(
                System.Globalization.CultureInfo.InvariantCulture
            ),
            page.State("state.document.pieces.length")
        );
        Assert.Equal("3", page.State("state.document.pieces.at(-1).position[0] - state.document.pieces.at(-4).position[0]"));
        page.PressAndSave("Lock");
        Assert.Equal("true", page.State("state.document.pieces.at(-1).locked"));
        for (int i = 0; i < 3; i++)
        {
            page.PressAndSave("Undo");
        }

        // Two spots of the set: a distance, its height and slope.
        page.Press("Measure");
        page.ClickPicture(700, 540);
        page.UntilState("state.hand !== null");
        page.Until("document.querySelector('#overlay') !== null");
        Thread.Sleep(400);
        page.ClickPicture(900, 540);
        page.Until("document.getElementById('measured') !== null");
        page.ShowsLike("#measured", @"[\d.]+ m apart, [\d.]+ m on the level");
        Assert.Empty(page.AccessibilityFaults());
    }

    [Fact]
    public async Task Sources_are_planned_coverage_is_seen_and_the_set_is_orbited()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0040"), 4, 1060);
        page.Until("document.getElementById('best-sources') !== null", 120);
        page.ShowsLike("#best-sources", @"cover [\d.]+ % of the set now");
        page.Press("Texels");
        page.UntilState("state.compare === 'texels'");
        page.Until("document.getElementById('seen').textContent.includes('light 2 and more')", 60);
        page.Press("Source");
        page.Until("document.getElementById('seen').textContent.includes('one shade a source')", 60);
        // The better one wins where they share, once that is asked for.
        page.PressAndSave("Lay frame 1060 on the set");
        page.Choose("Where they share a spot", "the better one wins");
        page.UntilState("state.document.projectionsMix === 'Quality'");
        Assert.Equal("Quality", page.State("state.document.projectionsMix"));
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
        page.Press("Around");
        page.Until("Number(document.getElementById('around').dataset.drawn || 0) > 0", 60);
        string drawn = page.State("document.getElementById('around').dataset.drawn");
        page.Drag((500, 300), (440, 320), steps: 3);
        page.Until($"Number(document.getElementById('around').dataset.drawn) > {drawn}");
        page.Press("Wires");
        Assert.Equal("true", page.Find("[data-look=wires]").GetDomAttribute("aria-pressed"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        // A shot without a set says so.
        page.GoShot(await Shot("BTH_0060"), 3);
        page.Press("Around");
        page.Until("document.querySelector('#around .note').textContent.includes('Nothing is built yet')", 30);
    }
}
