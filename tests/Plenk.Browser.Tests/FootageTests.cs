using System.Net.Http.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Cameras beside, fills, edges pulled and lamps hung, on the real pages with the demo's shots.</summary>
[Collection("site")]
public sealed class FootageTests(Site site)
{
    private Task<long> Shot(string code) => site.Shot(code);

    [Fact]
    public async Task Two_cameras_are_matched_and_seen_from_elsewhere()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0080"), 4, 1001);
        page.Open("cameras");
        page.Until("(document.getElementById('meetings')?.textContent || '').includes('shared')", 120);
        page.ShowsLike("#meetings", @"35? ?\d* ?% shared, parallax [\d.]+°");
        page.PressAndSave("Match exposure and white");
        page.ShowsLike("#other-cameras", @"−0\.[56]\d −0\.[45]\d −0\.3\d stops");
        page.Choose("Where they share a spot", "a border seen least");
        page.Open("elsewhere");
        page.Press("Look");
        page.Until("document.querySelector('.small-picture') !== null", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        for (int i = 0; i < 2; i++)
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task What_must_go_is_filled_from_other_frames_in_the_tray()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0040"), 4, 1040);
        page.Open("fill");
        page.Press("Draw a matte");
        foreach (var (x, y) in new[] { (700, 560), (760, 560), (760, 600), (700, 600) })
        {
            page.ClickPicture(x, y);
            page.Until("document.body.textContent.includes('Click in the picture')");
        }
        page.PressAndSave("Close the shape");
        page.Press("Fill matte 1 at 1040");
        page.UntilState("state.document.projections[0].kind === 'Picture'", 180);
        Assert.Contains("other frames", page.State("state.document.projections[0].madeBy"));
        page.NoErrors();
        for (int i = 0; i < 2; i++)
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task A_lamp_is_hung_and_keyed_and_the_sun_found()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0040"), 5, 1036);
        page.Press("Hang a spot");
        page.ClickPicture(560, 470);
        page.UntilState("state.document.lights.some((l) => l.kind === 'Spot')");
        page.PressAndSave("Key it at 1036");
        Assert.Equal(
            "1036,1036,1036,1036",
            page.State("state.document.curves.filter((c) => c.id.startsWith('lights/')).map((c) => c.keys[0].frame).join()")
        );
        page.Until("document.getElementById('rail-title').textContent.includes('strength')", 10);
        page.Open("find-sun");
        page.Press("By fit at 1036");
        page.Until("(document.getElementById('found-suns')?.textContent || '').includes('By fit')", 120);
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        for (int i = 0; i < 3; i++)
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task A_corner_is_pulled_onto_the_picture()
    {
        using Sheet page = site.Open();
        page.GoShot(await Shot("BTH_0040"), 3, 1036);
        page.Row("cubicles");
        page.Press("Pull corners and edges");
        // The far upper corner of the cubicles.
        page.Until("document.getElementById('overlay').innerHTML.includes('h6v6h-6z')", 30);
        page.Drag(page.OnPage(905, 152), page.OnPage(912, 148), steps: 3);
        page.UntilState("(state.document.pieces.find((p) => p.id === 'cubicles').pins || []).length === 1");
        page.Shows("#pins", "1 pin at 1036");
        page.NoErrors();
        page.PressAndSave("Undo");
    }
}
