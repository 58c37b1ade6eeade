using OpenQA.Selenium;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>Hands that are quicker than the server, names that are marks, and where one looks.</summary>
[Collection("site")]
public sealed class HurryTests(Site site)
{
    private const string SlowSaves =
        "const own = window.fetch; window.fetch = async (path, init) => { if (String(path).includes('/edits') || String(path).includes('/still')) await new Promise((f) => { setTimeout(f, 2000); }); return own(path, init); };";

    [Fact]
    public async Task What_is_typed_stands_while_saves_take_two_seconds_and_none_is_lost()
    {
        using Sheet page = await site.Open("BTH_0040", 6, 1036);
        page.UntilState("state.chosen.element !== null || state.document.elements.length > 0");
        page.Run(
            "document.querySelector('#sheet .rows [data-row]')?.getAttribute('aria-pressed') === 'true' || document.querySelector('#sheet .rows [data-row]')?.click()"
        );
        string revision = page.State("state.revision"),
            before = page.Value("Place Z");
        page.Run(SlowSaves);
        page.Type("Place X", "-1.25", saves: false);
        page.Keyboard(Keys.Enter);
        page.Type("Place Y", "-1.5", saves: false);
        page.Keyboard(Keys.Enter);
        page.Type("Turned Y", "7", saves: false);
        page.Keyboard(Keys.Enter);
        // Saves are under way, and the sheet is drawn anew: what was typed stands.
        page.Run("import('/js/state.js').then((m) => m.tell('chosen'))");
        Assert.Equal(revision, page.State("state.revision"));
        Assert.Equal(
            ("-1.25", "-1.5", before, "7"),
            (page.Value("Place X"), page.Value("Place Y"), page.Value("Place Z"), page.Value("Turned Y"))
        );
        page.Shows("#ledger", "Saving");
        page.UntilState($"state.revision === {revision} + 3", 30);
        Assert.Equal(
            "-1.25,-1.5,7",
            page.State("[...state.document.elements[0].position.slice(0, 2), state.document.elements[0].rotationYxzDegrees[1]].join()")
        );
        Assert.Equal(("-1.25", "-1.5", before), (page.Value("Place X"), page.Value("Place Y"), page.Value("Place Z")));
        for (int i = 0; i < 3; i++)
        {
            page.PressAndSave("Undo");
        }
        page.NoErrors();
    }

    // A browser says of a field that is taken off the page that it has changed.
    [Fact]
    public async Task What_is_half_typed_when_the_sheet_is_drawn_anew_is_not_taken()
    {
        using Sheet page = await site.Open("BTH_0040", 6, 1036);
        page.Run(
            "document.querySelector('#sheet .rows [data-row]')?.getAttribute('aria-pressed') === 'true' || document.querySelector('#sheet .rows [data-row]')?.click()"
        );
        page.Settled();
        string revision = page.State("state.revision");
        page.Type("Place X", "-1.", saves: false);
        page.Run("window.old = document.activeElement; import('/js/state.js').then((m) => m.setFrame(1040))");
        page.Until("!window.old.isConnected");
        page.Settled();
        Assert.Equal("-1.", page.Value("Place X"));
        page.Keyboard("375" + Keys.Enter);
        page.UntilState($"state.revision > {revision}");
        Assert.Equal($"{long.Parse(revision, System.Globalization.CultureInfo.InvariantCulture) + 1}", page.State("state.revision"));
        Assert.Equal("-1.375", page.State("state.document.elements[0].position[0]"));
        page.PressAndSave("Undo");
    }

    [Fact]
    public async Task Lines_drawn_one_after_the_other_are_all_kept()
    {
        using Sheet page = await site.Open("BTH_0060", 2, 1001);
        page.Until("document.getElementById('still-report') !== null");
        int had = int.Parse(page.State("state.document.still.lines.length"));
        string revision = page.State("state.revision");
        page.Run(SlowSaves);
        foreach (int y in (int[])[300, 420])
        {
            page.Run("[...document.querySelectorAll('#sheet button')].find((b) => b.innerText.startsWith('Along x')).click()");
            page.ClickPicture(400, y);
            page.ClickPicture(900, y + 10);
        }
        page.UntilState($"state.revision === {revision} + 2", 30);
        Assert.Equal($"{had + 2}", page.State("state.document.still.lines.length"));
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
    }

    [Fact]
    public async Task The_address_says_what_is_looked_at()
    {
        using Sheet page = await site.Open("BTH_0040", 3, 1036);
        string piece = page.State("state.document.pieces[2].id");
        page.Row(piece);
        page.Run("import('/js/state.js').then((m) => m.setFrame(1040))");
        page.Until("location.search.includes('frame=1040')");
        page.Go(page.Driver.Url[page.Driver.Url.IndexOf("/shots", StringComparison.Ordinal)..]);
        page.UntilState("state.document !== null && state.readings !== undefined");
        page.Until("document.querySelector('#route [aria-current]')?.dataset.step === '3'");
        Assert.Equal(("1040", piece), (page.State("state.frame"), page.State("state.chosen.piece")));
    }

    [Fact]
    public async Task Names_are_words_wherever_they_are_drawn()
    {
        const string name = "<img src=x onerror=\"window.broken=1\">&'`${1}";
        using Sheet page = await site.Open("BTH_0040", 6, 1036);
        page.Run(
            "document.querySelector('#sheet .rows [data-row]')?.getAttribute('aria-pressed') === 'true' || document.querySelector('#sheet .rows [data-row]')?.click()"
        );
        page.Type("Name", name);
        page.Run(
            "import('/js/state.js').then((m) => m.save((d) => { d.lights.push({ id: 'lamp', name: arguments[0], kind: 'Point', position: [0, 1, -3], strength: 1, inPlate: false }); return d; }))".Replace(
                "arguments[0]",
                System.Text.Json.JsonSerializer.Serialize(name)
            )
        );
        page.UntilState("state.document.lights.some((l) => l.id === 'lamp')");
        page.Until("[...document.querySelectorAll('#plan text')].filter((t) => t.textContent.startsWith('<img')).length === 2");
        page.Run("document.querySelector('[data-way=above]').click()");
        page.Until("document.getElementById('middle').classList.contains('above')");
        Assert.Null(page.Run("return window.broken"));
        Assert.Equal(
            "0",
            Convert.ToString(
                page.Run("return document.querySelectorAll('svg img, #sheet img[src=x]').length"),
                System.Globalization.CultureInfo.InvariantCulture
            )
        );
        page.PressAndSave("Undo");
        page.PressAndSave("Undo");
    }

    [Fact]
    public async Task Half_an_axis_waits_and_a_wrong_number_holds_back_the_button_beside_it()
    {
        using Sheet page = await site.Open("BTH_0040", 2, 1036);
        string revision = page.State("state.revision"),
            from = page.Value("Axis from"),
            other = page.State(
                "state.document.surveyPoints.map((p) => p.name).find((n) => n !== state.document.orientation.axis?.from && n !== state.document.orientation.axis?.to)"
            );
        page.Choose("Axis from", page.Value("Axis to"), saves: false);
        page.Shows("#sheet", "choose two different points");
        Assert.Equal(
            (revision, 0L),
            (page.State("state.revision"), Convert.ToInt64(page.Run("return document.querySelectorAll('#sheet [role=alert]').length")))
        );
        page.Choose("Axis from", other);
        page.PressAndSave("Undo");
        Assert.Equal(from, page.Value("Axis from"));
        // What is to be tracked with a number that is none is not tracked.
        string jobs = page.State("state.jobs.length");
        page.Type("Keep alive", "many", saves: false);
        page.Keyboard(Keys.Tab);
        page.Press("Track the plate");
        page.Until("document.activeElement.getAttribute('aria-invalid') === 'true'");
        Thread.Sleep(500);
        Assert.Equal(jobs, page.State("state.jobs.length"));
    }

    [Fact]
    public async Task A_lamp_hangs_where_something_is_built()
    {
        using Sheet page = await site.Open("BTH_0040", 5, 1036);
        page.Run("import('/js/state.js').then((m) => { m.save((d) => Object.assign(d, { pieces: [] })); })");
        page.Until("[...document.querySelectorAll('#sheet button')].find((b) => b.innerText === 'Hang a point').disabled === true");
        page.PressAndSave("Undo");
        page.Until("[...document.querySelectorAll('#sheet button')].find((b) => b.innerText === 'Hang a point').disabled === false");
    }
}
