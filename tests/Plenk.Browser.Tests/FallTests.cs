using System.Globalization;
using System.Text.Json;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Elements that are let go on the real page, and others that do as one is keyed to do.</summary>
[Collection("site")]
public sealed class FallTests(Site site)
{
    /// <summary>Three thick words over the basin, the first of them chosen.</summary>
    private static void Words(Sheet page)
    {
        string words = JsonSerializer.Serialize(
            Enumerable
                .Range(0, 3)
                .Select(i => new
                {
                    id = $"word_{i}",
                    name = $"word {i}",
                    kind = "Lettering",
                    text = new
                    {
                        text = "HO",
                        heightMetres = 0.4,
                        depthMetres = 0.15,
                    },
                    position = new[] { -1.5 + 0.8 * i, -0.4, -6.4 },
                })
        );
        string revision = page.State("state.revision");
        page.Run(
            $"import('/js/state.js').then((m) => m.save((d) => {{ d.elements.push(...{words}); return d; }}).then(() => m.choose('element:word_0')))"
        );
        page.UntilState($"state.revision > {revision} && state.chosen.element === 'word_0'");
        page.Settled();
    }

    [Fact]
    public async Task Two_words_are_let_go_and_lie_on_the_floor_in_the_end()
    {
        using Sheet page = await site.Open("BTH_0040", 6, 1030);
        Words(page);
        foreach (string word in (string[])["word_0", "word_1"])
        {
            if (page.State("state.chosen.element") != word)
            {
                page.Row(word);
                page.UntilState($"state.chosen.element === '{word}'");
                page.Settled();
            }
            page.Open("falls");
            page.Tick("it is let go and falls");
        }
        // Wrong numbers are refused at their field.
        page.Type("Its bounciness", "3", saves: false);
        page.Keyboard(OpenQA.Selenium.Keys.Tab);
        page.Until("document.querySelector('#sheet-body [aria-invalid=true]') !== null");
        page.Type("Its bounciness", "0.1");
        page.Type("Let go at", "1034");
        string revision = page.State("state.revision");
        page.Press("Let all 2 fall");
        page.UntilState($"state.revision > {revision}", 120);
        page.Settled();
        JsonElement curves = page.StateJson("state.document.curves.filter((c) => c.id.startsWith('elements/word_'))");
        Assert.Equal(4, curves.GetArrayLength());
        double[] End(string id) =>
            [
                .. curves
                    .EnumerateArray()
                    .First(c => c.GetProperty("id").GetString() == $"elements/{id}/position")
                    .GetProperty("keys")
                    .EnumerateArray()
                    .Last()
                    .GetProperty("triple")
                    .EnumerateArray()
                    .Select(v => v.GetDouble()),
            ];
        // The floor of the basin lies 1.5 to 1.7 m below the walk.
        Assert.InRange(End("word_0")[1], -1.75, -1.2);
        Assert.InRange(End("word_1")[1], -1.75, -1.2);
        page.Shows("#sheet", "Its keys after 1034 are those of its fall");
        Assert.Empty(page.AccessibilityFaults());
        page.NoErrors();
        Undone(page);
    }

    [Fact]
    public async Task What_one_word_is_keyed_to_do_others_do_later()
    {
        using Sheet page = await site.Open("BTH_0040", 6, 1030);
        Words(page);
        string revision = page.State("state.revision");
        page.Run(
            "import('/js/state.js').then((m) => m.save((d) => { d.curves.push({ id: 'elements/word_0/position', keys: [{ frame: 1010, triple: [-1.5, -2, -6.4] }, { frame: 1020, triple: [-1.5, -0.4, -6.4] }] }); return d; }))"
        );
        page.UntilState($"state.revision > {revision}");
        page.Settled();
        page.Open("spread");
        Assert.Equal("word*", page.Value("Those named"));
        page.Type("Those named", "none*", saves: false);
        page.Press("Let them do it too");
        page.Shows("#sheet", "Nothing else of its kind is called so");
        page.Type("Those named", "word *", saves: false);
        page.Type("each later by", "5", saves: false);
        page.PressAndSave("Let them do it too");
        Assert.Equal(
            "1015,1025,1020,1030",
            page.State(
                "['word_1', 'word_2'].flatMap((w) => state.document.curves.find((c) => c.id === `elements/${w}/position`).keys.map((k) => k.frame)).join()"
            )
        );
        Assert.Equal(
            "-0.7,-0.4,-0.7,1.2",
            page.State(
                "state.document.curves.find((c) => c.id === 'elements/word_1/position').keys.map((k) => `${k.triple[0].toFixed(1)},${k.triple[1].toFixed(1)}`).join()"
            )
        );
        Assert.Empty(page.AccessibilityFaults());
        Undone(page);
    }

    private static void Undone(Sheet page)
    {
        while (page.State("state.document.elements.some((e) => e.id.startsWith('word_'))") == "true")
        {
            page.PressAndSave("Undo");
        }
        Assert.Equal(
            "0",
            Convert.ToString(page.State("state.document.curves.filter((c) => c.id.includes('word_')).length"), CultureInfo.InvariantCulture)
        );
    }
}
