using System.Text.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Things moved and turned by handles in the picture, hung on others and aimed, on the real pages.</summary>
[Collection("site")]
public sealed class HangTests(Site site)
{
    [Fact]
    public async Task A_word_is_moved_by_its_handles_and_carries_a_lamp_that_looks_at_a_spot()
    {
        using Sheet page = await site.Open("BTH_0090", 6, 1013);
        long id = await site.Shot("BTH_0090");
        int before = int.Parse(page.State("state.revision"));
        page.Open("bring-element");
        page.PressAndSave("Set lettering");
        page.Type("Text", "LOW");
        page.Press("Click where it stands");
        page.ClickPicture(520, 430);
        page.UntilState("state.document.elements[1].position[1] < -0.5");
        string word = page.State("state.document.elements[1].id");
        async Task<JsonElement> Handles() => await site.Json($"/api/shots/{id}/handles?what=elements/{word}&frame=1013");
        (int X, int Y) At(JsonElement p) => page.OnPage(p[0].GetDouble(), p[1].GetDouble());
        async Task<double[]> Place() => [.. (await Handles()).GetProperty("position").EnumerateArray().Select(v => v.GetDouble())];

        // Off until they are asked for, by key; along x by its arm's end, as far as the pointer goes.
        page.Run("document.activeElement.blur()");
        page.Keyboard("h");
        page.Until("[...document.querySelectorAll('#overlay text')].some((t) => t.textContent === 'y')");
        JsonElement handles = await Handles();
        double[] from = await Place();
        var (end, middle) = (At(handles.GetProperty("arms")[0].GetProperty("to")), At(handles.GetProperty("at")));
        string revision = page.State("state.revision");
        page.Drag(end, (end.X + (end.X - middle.X) / 2, end.Y + (end.Y - middle.Y) / 2));
        page.UntilState($"state.revision > {revision}");
        double[] to = await Place();
        Assert.Equal(0.625 * handles.GetProperty("metres").GetDouble(), to[0] - from[0], 0.06);
        Assert.Equal((from[1], from[2]), (to[1], to[2]));

        // By a quarter of the ring of its heading.
        page.UntilModule("handles", $"held.now?.revision > {revision}");
        handles = await Handles();
        JsonElement ring = handles.GetProperty("rings")[1].GetProperty("seen");
        revision = page.State("state.revision");
        page.Drag(At(ring[4]), At(ring[10]), steps: 12);
        page.UntilState($"state.revision > {revision}");
        Assert.Equal(45, page.StateJson("state.document.elements[1].rotationYxzDegrees[1]").GetDouble(), 12.0);
        Assert.Equal(0, page.StateJson("state.document.elements[1].rotationYxzDegrees[0]").GetDouble());

        // A lamp is hung on it: it goes where the word goes, and shines at a spot that is clicked.
        page.Step(5);
        page.Press("Hang a spot");
        page.ClickPicture(520, 500);
        page.UntilState("state.document.lights.some((l) => l.kind === 'Spot')");
        string lamp = page.State("state.document.lights.at(-1).id");
        page.Open("hang");
        page.Choose("Hangs on", "lettering");
        Assert.Equal($"elements/{word}", page.State("state.document.lights.at(-1).hangsOn.on"));
        async Task<JsonElement> Lamp(int frame) =>
            (await site.Json($"/api/shots/{id}/frames/{frame}/overlay"))
                .GetProperty("lamps")
                .EnumerateArray()
                .First(l => l.GetProperty("id").GetString() == lamp);
        double Height(JsonElement l) => l.GetProperty("position")[1].GetDouble();
        double high = Height(await Lamp(1013));
        revision = page.State("state.revision");
        page.Press("Click what it aims at");
        page.ClickPicture(400, 520);
        page.UntilState($"state.revision > {revision}");
        Assert.Equal("true", page.State("state.document.lights.at(-1).aimsAt.place.length === 3"));
        // The mark of where it aims is pulled.
        string aimed = page.State("state.document.lights.at(-1).aimsAt.place.join()");
        page.UntilModule("over", "over.now?.aims?.length > 0");
        revision = page.State("state.revision");
        page.Drag(page.OnPage(400, 520), page.OnPage(330, 540));
        page.UntilState($"state.revision > {revision}");
        Assert.NotEqual(aimed, page.State("state.document.lights.at(-1).aimsAt.place.join()"));

        // The word is raised by half a metre a frame later; let go at this frame the lamp stays.
        page.Step(6);
        page.PressAndSave("Key place, turn and scale at 1013");
        page.Keyboard(".");
        page.UntilState("state.frame === 1014");
        double now = page.StateJson("state.document.elements[1].position[1]").GetDouble();
        page.Type("Place Y", FormattableString.Invariant($"{now + 0.5}"));
        Assert.Equal(
            FormattableString.Invariant($"1013,1014 {now + 0.5}"),
            page.State(
                "((k) => k.map((q) => q.frame).join() + ' ' + k.at(-1).triple[1])(state.document.curves.find((c) => c.id.endsWith('position')).keys)"
            )
        );
        Assert.Equal(high + 0.5, Height(await Lamp(1014)), 0.01);
        page.Step(5);
        page.Keyboard(",");
        page.UntilState("state.frame === 1013");
        page.Open("hang");
        page.PressAndSave("Let go after 1013");
        page.Shows("#sheet", "up to 1013");
        Assert.Equal(high, Height(await Lamp(1014)), 0.01);
        // A word that would hang on what hangs on it is not even offered.
        page.Step(6);
        page.Open("hang");
        Assert.DoesNotContain(
            "lamp",
            page.Run("return [...document.querySelector('[name=hangsOn]').options].map((o) => o.text).join()")!.ToString()
        );
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        while (int.Parse(page.State("state.revision")) > before && page.State("state.document.elements.length") != "1")
        {
            page.PressAndSave("Undo");
        }
    }
}
