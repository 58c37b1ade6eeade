using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>What a step is kept to, hinges and typed cameras, by hand on the real pages.</summary>
[Collection("site")]
public sealed class HandsTests(Site site)
{
    private static void Undo(Sheet page, int times)
    {
        for (int i = 0; i < times; i++)
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task A_step_is_kept_to_what_is_clicked_to_a_spot_and_to_distances()
    {
        using Sheet page = await site.Open("BTH_0040", 7, 1036);
        page.Choose("Step to add", "Grade", saves: false);
        page.PressAndSave("Add this step");
        const string step = "state.document.finish.steps.find((s) => s.id === 'grade_1')";
        page.Open("objects-grade_1");
        page.Press("Take one up in the picture");
        page.ClickPicture(584, 430);
        page.UntilState($"{step}.objects.join() === 'bell'");
        page.Press("Take one up in the picture");
        page.ClickPicture(584, 430);
        page.UntilState($"{step}.objects.length === 0");
        // What stands for the plate and is not seen itself cannot be graded, and says so.
        page.Press("Take one up in the picture");
        page.ClickPicture(1000, 620);
        page.ShowsLike("#told", "is not seen itself");
        page.Tick("kept to a sphere in the place");
        page.Tick("what lies in it, not the air: a spot on the place");
        page.Press("Where I click");
        page.ClickPicture(780, 560);
        page.UntilState($"{step}.sphere.place.some((v) => v !== 0)");
        Assert.Equal("true", page.State($"{step}.sphere.lies"));
        page.Tick("kept to distances and heights");
        page.Type("Heights from", "0.5");
        Assert.Equal("0.5", page.State($"{step}.band.fromHeight"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        Undo(page, 8);
        Assert.Equal("grain_1", page.State("state.document.finish.steps.map((s) => s.id).join()"));
    }

    [Fact]
    public async Task A_piece_gets_a_hinge_and_stands_open()
    {
        using Sheet page = await site.Open("BTH_0040", 3, 1036);
        page.Row("step_1");
        page.Open("hinge");
        page.PressAndSave("On the left edge of its front");
        page.Type("Stands open", "30");
        Assert.Equal("30", page.State("state.document.pieces.find((p) => p.id === 'step_1').hinge.degrees"));
        Assert.Empty(page.AccessibilityFaults());
        page.PressAndSave("Take the hinge off");
        page.NoErrors();
        Undo(page, 3);
    }

    [Fact]
    public async Task A_camera_is_typed_and_taken_back()
    {
        using Sheet page = await site.Open("BTH_0040", 2, 1036);
        string before = page.State("state.document.camera.name");
        page.Open("typed-camera");
        page.Press("Take this camera");
        page.ShowsLike("body", "looks at the place where it stands itself");
        page.Errors();
        page.Type("Stands at Y", "1.6", saves: false);
        page.Type("Stands at Z", "4", saves: false);
        page.Type("Looks at Y", "1.2", saves: false);
        page.PressAndSave("Take this camera");
        Assert.Equal("typed camera", page.State("state.document.camera.name"));
        Assert.Equal("[0,1.6,4]", page.State("JSON.stringify([3, 7, 11].map((i) => state.document.camera.samples[0].cameraToWorld[i]))"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        Undo(page, 1);
        Assert.Equal(before, page.State("state.document.camera.name"));
    }
}
