using System.Text;
using System.Text.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>What the plate is seen through, its handles, and a thing that moves in it, on the page.</summary>
[Collection("site")]
public sealed class PlateTests(Site site)
{
    private static readonly string Folder = Path.Combine(Site.Repository, "demo", "BTH_0070");

    private Task<long> Trolley() => site.Shot("BTH_0070");

    [Fact]
    public async Task A_look_is_seen_through_and_changes_no_data()
    {
        string cube = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.cube"),
            broken = Path.ChangeExtension(cube, ".cc");
        var text = new StringBuilder("LUT_3D_SIZE 2\n");
        // Red and blue change places.
        for (int i = 0; i < 8; i++)
        {
            text.Append($"{i >> 2 & 1} {i >> 1 & 1} {i & 1}\n");
        }
        File.WriteAllText(cube, text.ToString());
        File.WriteAllText(broken, "<ColorCorrection><Slope>1 1</Slope></ColorCorrection>");
        try
        {
            using Sheet page = site.Open();
            page.GoShot(await Trolley(), 1, 1030);
            page.Until("document.querySelector('input[aria-label=\"Bring a LUT or CDL in\"]') !== null");
            page.BringIn("Bring a LUT or CDL in", broken);
            page.Until("document.querySelector('#told .told')?.textContent.includes('instead of three') === true");
            page.BringIn("Bring a LUT or CDL in", cube);
            page.UntilState("state.document.look.lutName !== ''");
            double[] plain = page.Shown(420, 330, 6);
            page.Press("Look");
            page.Until("document.getElementById('seen').textContent.includes('seen through LUT')");
            for (int i = 0; i < 50 && Math.Abs(page.Shown(420, 330, 6)[0] - plain[2]) > 1.5; i++)
            {
                Thread.Sleep(100);
            }
            double[] seen = page.Shown(420, 330, 6);
            Assert.Equal(plain[2], seen[0], 1.5);
            Assert.Equal(plain[0], seen[2], 1.5);
            // The curve of this frame is offered, and one key goes through them all.
            page.PressAndSave("Contrast curve from this frame");
            Assert.InRange(page.StateJson("state.document.look.curve.white").GetDouble(), 0.5, 1);
            page.Run("document.getElementById('picture').focus()");
            page.Keyboard("t");
            page.UntilState("state.seen === 'curve'");
            page.Keyboard("t");
            page.UntilState("state.seen === 'display'");
            // The numbers under the pointer are the plate's, whatever it is seen through.
            JsonElement pixel = await site.Json($"/api/shots/{await Trolley()}/frames/1030/pixel?x=420&y=330");
            Assert.True(pixel.GetProperty("linear").GetArrayLength() == 3);
            page.PressAndSave("Take the LUT away");
            Assert.Equal("", page.State("state.document.look.lutName"));
            Assert.Empty(page.AccessibilityFaults());
        }
        finally
        {
            File.Delete(cube);
            File.Delete(broken);
        }
    }

    [Fact]
    public async Task Handles_are_hatched_and_a_proxy_is_known_as_one()
    {
        using Sheet page = site.Open();
        page.GoShot(await Trolley(), 1, 1030);
        page.Run("import('/js/state.js').then((m) => m.save((d) => { d.range = { first: 1001, last: 1060 }; return d; }));");
        page.UntilState("state.document.range.first === 1001 && state.document.range.last === 1060");
        page.Type("The cut begins at", "1009");
        page.Until("document.querySelectorAll('#rail [data-handles]').length === 1");
        page.Type("and ends at", "1050");
        page.Until("document.querySelectorAll('#rail [data-handles]').length === 2");
        page.Shows("#facts", "cut 1009–1050");
        page.Shows("#sheet", "8 frames before, 10 after");
        page.Step(8);
        Assert.Equal("1009", page.Value("First frame"));
        page.Step(1);
        page.PressAndSave("It is a proxy");
        page.Shows("#facts", "proxy of 1920×1080");
        page.PressAndSave("It is no proxy");
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
        Assert.Equal("null", page.State("state.document.cut ?? null"));
        page.NoErrors();
    }

    [Fact]
    public async Task A_mesh_is_stood_pinned_followed_and_carries_a_piece()
    {
        using Sheet page = site.Open();
        page.GoShot(await Trolley(), 2, 1030);
        // The camera as the generator wrote it beside its footage, and a few frames.
        JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(Folder, "truth.json"))).RootElement;
        page.Run(
            $$"""
            const t = {{truth.GetRawText()}};
            import('/js/state.js').then((m) => m.save((d) => {
              d.range = { first: 1027, last: 1033 }; d.pieces = []; d.movingObjects = [];
              d.camera = { name: 'truth', rate: { num: 24, den: 1 }, mapping: { sourceFrame: 1001, shotFrame: 1001 }, lens: { k1: t.k1, k2: t.k2, p1: 0, p2: 0, k3: 0 }, width: 960, height: 540,
                samples: t.frames.map((f) => ({ frame: f.frame, cameraToWorld: f.camera_to_world, focalPx: t.focal_px, cx: 480, cy: 270 })) };
              return d; }));
            """
        );
        page.UntilState("state.document.range.last === 1033 && state.document.camera !== null");
        page.BringIn("Bring its mesh in", Path.Combine(Folder, "trolley.obj"));
        page.UntilState("(state.document.movingObjects || []).length === 1");
        page.Row("trolley");
        page.Press("Stand it here");
        page.ClickPicture(450, 350);
        page.UntilState("state.document.movingObjects[0].holds.length === 1");
        page.Shows("#holds", "held at 1030");
        // Put where it is by its generator, then one pin on it: pulled, it goes along.
        JsonElement frame = truth.GetProperty("frames").EnumerateArray().First(f => f.GetProperty("frame").GetInt32() == 1030);
        page.Run(
            $"const p = {frame.GetProperty("trolley_to_world").GetRawText()}; import('/js/state.js').then((m) => m.save((d) => {{ d.movingObjects[0].holds[0].objectToWorld = p; return d; }}));"
        );
        page.UntilState(
            "state.document.movingObjects[0].holds[0].pins.length === 0 && state.document.movingObjects[0].holds[0].objectToWorld[3] === "
                + frame.GetProperty("trolley_to_world")[3].GetRawText()
        );
        page.Press("Pin a spot of it");
        page.ClickPicture(450, 250);
        page.Until("document.getElementById('hand-told').hidden === false");
        page.UntilState("state.hand !== null");
        page.ClickPicture(450, 250);
        page.UntilState("state.document.movingObjects[0].holds[0].pins.length === 1");
        JsonElement before = page.StateJson("state.document.movingObjects[0].holds[0].objectToWorld");
        page.Drag(page.OnPage(450, 250), page.OnPage(470, 250), steps: 4);
        page.UntilState("Math.abs(state.document.movingObjects[0].holds[0].pins[0].x - 470) < 1.5");
        Assert.NotEqual(before[3].GetDouble(), page.StateJson("state.document.movingObjects[0].holds[0].objectToWorld[3]").GetDouble());
        page.PressAndSave("Undo");
        page.Press("Follow it through the range");
        page.UntilState("state.document.movingObjects[0].frames.length === 7", 90);
        page.Shows("#thing-report", "7 frames");
        // A piece hung on it does not jump, and has its place in the thing's frame from then on.
        page.Step(3);
        page.PressAndSave("Add a box");
        string revision = page.State("state.revision");
        page.Run(
            "import('/js/state.js').then((m) => m.save((d) => { const p = d.movingObjects[0].frames.find((f) => f.frame === 1030).objectToWorld; d.pieces[0].position = [p[3], p[7] + 0.4, p[11]]; return d; }));"
        );
        // Kept, not only shown: the overlay is the server's.
        page.UntilState($"state.document.pieces[0].position[1] !== 0 && state.revision > {revision}");
        string stood = page.State("state.document.pieces[0].position[0]");
        JsonElement outline = (await site.Json($"/api/shots/{await Trolley()}/frames/1030/overlay")).GetProperty("wire");
        page.Open("hang");
        page.Choose("Hangs on", "trolley");
        Assert.NotEqual(stood, page.State("state.document.pieces[0].position[0]"));
        JsonElement hung = (await site.Json($"/api/shots/{await Trolley()}/frames/1030/overlay")).GetProperty("wire");
        Assert.Equal(outline[0].GetProperty("p")[0].GetDouble(), hung[0].GetProperty("p")[0].GetDouble(), 0.15);
        JsonElement later = (await site.Json($"/api/shots/{await Trolley()}/frames/1033/overlay")).GetProperty("wire");
        Assert.NotEqual(hung[0].GetProperty("p")[0].GetDouble(), later[0].GetProperty("p")[0].GetDouble(), 0.5);
        // The thing itself stands in the set by one press.
        page.Step(2);
        page.PressAndSave("Stand it in the set");
        page.Shows("#sheet", "It stands in the set as “trolley”");
        Assert.Equal("movingObjects/trolley", page.State("state.document.pieces[1].hangsOn.on"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
    }
}
