using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Elements, mattes and filmed people on the real pages, with the attendant's shot.</summary>
[Collection("site")]
public sealed class ContactTests(Site site)
{
    private Task<Sheet> Mop(int step) => site.Open("BTH_0090", step, 1013);

    [Fact]
    public async Task Lettering_is_set_keyed_and_its_curve_pulled()
    {
        using Sheet page = await Mop(6);
        int before = int.Parse(page.State("state.revision"));
        page.Open("bring-element");
        page.PressAndSave("Set lettering");
        page.Type("Text", "BTH 9");
        page.Type("Capitals are", "0.4 m");
        page.Press("Click where it stands");
        page.ClickPicture(520, 430);
        page.UntilState("state.document.elements[1].position[1] < -0.5");
        // Its colour is the plate's, where it is clicked.
        string white = page.State("state.document.elements[1].text.color.join()");
        page.PressLabelled("Take colour from the picture");
        page.Until("document.body.textContent.includes('Click in the picture')");
        page.ClickPicture(300, 500);
        page.UntilState($"state.document.elements[1].text.color.join() !== '{white}'");
        page.Until("document.querySelector('.swatch').style.background !== ''");
        page.PressAndSave("Key place, turn and scale at 1013");
        page.Keyboard(".");
        page.UntilState("state.frame === 1014");
        page.Type("Turned Y", "30");
        const string turn = "state.document.curves.find((c) => c.id.endsWith('rotationYxzDegrees')).keys";
        Assert.Equal("1013,1014", page.State($"{turn}.map((k) => k.frame).join()"));
        Assert.Equal("0,30", page.State($"{turn}.map((k) => k.triple[1]).join()"));
        page.Until("document.getElementById('rail-title').textContent.includes('lettering: place, x')", 20);
        page.Open("materials");
        page.Until("document.querySelector('[aria-label=\"Shines by itself X\"]') !== null", 20);
        page.Type("Shines by itself X", "2");
        Assert.Equal("2", page.State("state.document.elements[1].materials[0].emission[0]"));
        page.Open("credit");
        page.Type("Licence", "CC0");
        page.Tick("elements throw light back onto the set, once");
        Assert.Equal("true CC0", page.State("state.document.bounces + ' ' + state.document.elements[1].credit.licence"));
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        while (
            int.Parse(page.State("state.revision")) > before
            && page.State("state.canUndo") == "true"
            && page.State("state.document.elements.length") != "1"
        )
        {
            page.PressAndSave("Undo");
        }
    }

    [Fact]
    public async Task Mattes_are_drawn_joined_looked_at_and_stand_as_people()
    {
        using Sheet page = await Mop(6);
        page.Open("mattes");
        page.Press("Draw a matte");
        foreach (var (x, y) in new[] { (300, 200), (420, 200), (420, 380), (300, 380) })
        {
            page.ClickPicture(x, y);
            page.Until("document.body.textContent.includes('Click in the picture')");
        }
        page.PressAndSave("Close the shape");
        page.PressAndSave("Join it");
        page.Choose("attendant is", "what it is within");
        Assert.Equal(
            "matte_1 Within",
            page.State("state.document.mattes[1].parts[0].matte + ' ' + state.document.mattes[1].parts[0].join")
        );
        page.Type("Larger by", "3 px");
        page.Tick("what lies in it stands before what is added");
        page.Press("Look at it");
        page.Until("document.querySelector('[data-fold=mattes] .small-picture') !== null", 30);
        page.Open("people");
        page.PressAndSave("Stand matte 2 in the set");
        page.Type("Thick", "0.3 m");
        page.Type("Moved at 1013 X", "0.1");
        Assert.Equal(
            "0.3 1013 0.1",
            page.State(
                "(() => { const p = state.document.pieces.at(-1); return `${p.figure.thicknessMetres} ${p.figure.keys[0].frame} ${p.figure.keys[0].shift[0]}`; })()"
            )
        );
        Assert.Empty(page.AccessibilityFaults());
        // Nothing that is in use can be taken away unawares.
        page.Open("mattes");
        page.Press("Delete matte");
        page.Until("document.querySelector('#told .told')?.innerText.includes('a figure needs a matte')", 20);
        Assert.Equal("2", page.State("state.document.mattes.length"));
        for (int i = 0; i < 8; i++)
        {
            page.PressAndSave("Undo");
        }
        Assert.Equal("1", page.State("state.document.mattes.length"));
    }
}
