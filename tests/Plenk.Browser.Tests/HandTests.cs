using System.Text.Json;
using OpenQA.Selenium;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>The demo shot by keyboard, by dragging, by two people at once; what is long is stopped; what is wrong is told.</summary>
[Collection("site")]
public sealed class HandTests(Site site)
{
    [Fact]
    public async Task The_shot_by_keyboard_alone()
    {
        using Sheet page = site.Open();
        page.Go("/");
        // To the shot by Tab and Enter.
        const string card = "return document.activeElement.matches('.card') && document.activeElement.innerText.includes('BTH_0040')";
        for (int i = 0; i < 60 && page.Run(card) is not true; i++)
        {
            page.Keyboard(Keys.Tab);
        }
        page.Keyboard(Keys.Enter);
        page.Until("document.body.dataset.ready !== undefined");
        page.Keyboard("1");
        Assert.Equal("1", page.State("state.step"));
        int frame = int.Parse(page.State("state.frame"));
        page.Keyboard("..");
        page.Keyboard(Keys.ArrowRight);
        Assert.Equal($"{frame + 3}", page.State("state.frame"));
        page.Keyboard(",");
        page.Keyboard(Keys.ArrowLeft);
        Assert.Equal($"{frame + 1}", page.State("state.frame"));

        // Play runs through frames, space stops it.
        page.Keyboard(" ");
        page.UntilState($"state.frame > {frame + 4}");
        page.Keyboard(" ");
        string stopped = page.State("state.frame");
        Thread.Sleep(400);
        Assert.Equal(stopped, page.State("state.frame"));

        // Channels, exposure, the picture alone, ways of looking.
        page.Keyboard("g");
        page.Shows("#seen", "G only");
        page.Keyboard("a]]");
        page.Shows("#seen", "+2 stops");
        page.Keyboard("[[");
        page.Keyboard("3p");
        page.Until("document.querySelectorAll('#overlay path').length === 0");
        page.Keyboard("pv");
        page.Until("document.getElementById('middle').classList.contains('above')");
        page.Keyboard("v?");
        page.Until("document.getElementById('dialog').open");
        page.Shows("#dialog", "play and stop");
        page.Keyboard(Keys.Escape);

        // A number typed with its unit, by keyboard alone; undone and done again.
        long id = await site.DemoShot();
        page.Keyboard("6");
        page.Until("document.querySelector('#sheet [data-row=bell]') !== null");
        for (int i = 0; i < 80 && page.Run("return document.activeElement.getAttribute('aria-label')") is not "Place X"; i++)
        {
            page.Keyboard(Keys.Tab);
        }
        string x = page.State("state.document.elements[0].position[0]"),
            revision = page.State("state.revision");
        page.Chord(Keys.Control, "a");
        page.Keyboard("-125 cm" + Keys.Enter);
        page.UntilState($"state.revision > {revision}");
        Assert.Equal("-1.25", page.State("state.document.elements[0].position[0]"));
        page.Run("document.activeElement.blur()");
        page.Chord(Keys.Control, "z");
        page.UntilState($"state.document.elements[0].position[0] === {x}");
        page.Driver.Navigate().Refresh();
        page.Until("document.body.dataset.ready !== undefined");
        Assert.Equal("true", page.State("state.canRedo"));
        page.Press("Redo");
        page.UntilState("state.document.elements[0].position[0] === -1.25");
        page.Press("Undo");
        page.UntilState($"state.document.elements[0].position[0] === {x}");

        // A text that is no number stays, marked, and nothing is saved.
        string before = page.State("state.revision");
        page.Type("Turned Y", "twelve", saves: false);
        page.Keyboard(Keys.Enter);
        Assert.Equal("twelve", page.Value("Turned Y"));
        Assert.Equal(
            "true",
            page.Driver.ExecuteScript(
                "return [...document.querySelectorAll('#sheet input')].find((i) => i.value === 'twelve').getAttribute('aria-invalid')"
            )
        );
        Assert.Equal(before, page.State("state.revision"));
        page.NoErrors();
        Assert.Contains((await site.Json($"/api/shots/{id}/ledger")).EnumerateArray(), r =>
            r.GetProperty("what").GetString()!.StartsWith("Diving bell: place −1.", StringComparison.Ordinal)
            || r.GetProperty("changes")
                .EnumerateArray()
                .Any(c =>
                    c.GetProperty("at").GetString() == "elements/bell/position"
                    && c.GetProperty("to").GetString()!.StartsWith("−1.25,", StringComparison.Ordinal)
                )
        );
    }

    [Fact]
    public async Task Dragging_the_bell_previews_at_once_and_saves_one_revision()
    {
        using Sheet page = site.Open();
        page.GoShot(await site.DemoShot(), 6, 1036);
        page.Until("document.getElementById('picture').dataset.quality !== ''");
        JsonElement foot = (await site.Json($"/api/shots/{await site.DemoShot()}/frames/1036/overlay"))
            .GetProperty("elements")[0]
            .GetProperty("foot");
        var from = page.OnPage(foot[0].GetDouble(), foot[1].GetDouble() - 60);
        string x = page.State("state.document.elements[0].position[0]");
        int revision = int.Parse(page.State("state.revision"));
        page.Drag(from, (from.X + 60, from.Y + 10), during: () =>
        {
            page.UntilState("state.draft !== null");
            page.Until("document.getElementById('picture').dataset.quality === 'draft'");
        });
        page.UntilState($"state.revision === {revision + 1}");
        // It went to the right along the floor by about as much as the pointer, not jumping to it.
        double moved =
            double.Parse(page.State("state.document.elements[0].position[0]"), System.Globalization.CultureInfo.InvariantCulture)
            - double.Parse(x, System.Globalization.CultureInfo.InvariantCulture);
        Assert.InRange(moved, 0.5, 2.5);
        page.Press("Undo");
        page.UntilState($"state.document.elements[0].position[0] === {x}");

        // From above too, and the wipe line.
        page.Press("From above");
        page.Until("document.querySelector('#plan [data-element=bell] circle') !== null");
        var circle = page.Find("#plan [data-element=bell] circle").Location;
        page.Drag((circle.X + 4, circle.Y + 4), (circle.X + 40, circle.Y + 4));
        page.UntilState($"state.document.elements[0].position[0] !== {x}");
        page.Press("Undo");
        page.UntilState($"state.document.elements[0].position[0] === {x}");
        page.Press("Through the camera");
        page.Press("Wipe");
        page.UntilState("state.compare === 'wipe'");
        page.Drag(page.OnPage(640, 300), page.OnPage(320, 300));
        Assert.InRange(double.Parse(page.State("state.wipe"), System.Globalization.CultureInfo.InvariantCulture), 0.2, 0.3);
        page.NoErrors();
    }

    [Fact]
    public async Task The_second_to_save_is_told_and_loses_nothing()
    {
        using Sheet first = site.Open(),
            second = site.Open();
        long id = await site.DemoShot();
        first.GoShot(id, 6);
        second.GoShot(id, 6);
        string turned = second.State("state.document.elements[0].rotationYxzDegrees[1]"),
            scale = first.State("state.document.elements[0].scale");
        // What two people change of one thing stands side by side.
        first.Type("Scale", "1.1");
        second.Type("Turned Y", "12");
        Assert.Equal("1.1 12", second.State("`${state.document.elements[0].scale} ${state.document.elements[0].rotationYxzDegrees[1]}`"));
        second.Press("Undo");
        // Where both change the same, the second is asked.
        first.Driver.Navigate().Refresh();
        first.Until("document.body.dataset.ready !== undefined");
        first.Type("Turned Y", "5");
        second.Type("Turned Y", "7", saves: false);
        second.Keyboard(Keys.Enter);
        second.Until("document.querySelector('#sheet [role=alert]') !== null");
        second.Shows("#sheet", "Put mine on top");
        second.Press("Put mine on top");
        second.UntilState("state.document.elements[0].rotationYxzDegrees[1] === 7 && state.document.elements[0].scale === 1.1");
        second.Until("document.querySelector('#sheet [role=alert]') === null");
        second.Press("Undo");
        second.UntilState("state.document.elements[0].rotationYxzDegrees[1] === 5");
        second.Press("Undo");
        second.UntilState($"state.document.elements[0].rotationYxzDegrees[1] === {turned}");
        second.Press("Undo");
        second.UntilState($"state.document.elements[0].scale === {scale}");
    }

    [Fact]
    public async Task A_render_runs_in_the_tray_and_is_stopped_there()
    {
        using Sheet page = site.Open();
        page.GoShot(await site.DemoShot(), 8, 1001);
        page.Press("Render frames");
        page.Until("document.querySelector('#tray [role=progressbar]') !== null");
        page.Shows("#tray", "of 72");
        page.Press("Stop");
        page.Until("document.querySelector('#tray').innerText === ''", 90);
        page.Until("[...document.querySelectorAll('.render')].some((r) => r.innerText.includes('stopped'))");
    }

    [Fact]
    public async Task What_cannot_be_taken_is_told_and_what_was_typed_is_kept()
    {
        using Sheet page = site.Open();
        page.Go("/");
        page.Find("[name=code]").SendKeys($"FAULTS_{Guid.NewGuid():N}"[..20]);
        page.Press("Begin the shot");
        page.Until("document.querySelector('#sheet h3') !== null");
        string folder = Directory.CreateTempSubdirectory("plenk-faults").FullName;
        try
        {
            string empty = Path.Combine(folder, "plate.1001.png"),
                text = Path.Combine(folder, "plate.1002.jpg");
            File.WriteAllBytes(empty, []);
            File.WriteAllText(text, "this is no picture");
            page.Type("Focal length", "31", saves: false);
            page.BringIn("Bring these frames in", empty, text);
            page.Until("document.querySelector('#sheet [role=alert]') !== null");
            Assert.Contains("1001", page.Told);
            Assert.Contains("empty", page.Told);
            Assert.Equal("31", page.Value("Focal length"));
            Assert.Equal("true", page.State("state.document.plate == null"));

            string camera = Path.Combine(folder, "solve.json");
            page.Step(2);
            File.WriteAllText(camera, "{\"frames\": 7");
            page.BringIn("Bring this camera in", camera);
            page.Until("document.querySelector('#sheet [role=alert]') !== null");
            Assert.Contains("plate in first", page.Told);

            page.Step(6);
            string mesh = Path.Combine(folder, "stone.obj");
            File.WriteAllText(mesh, "v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n");
            page.BringIn("Bring an element in", mesh);
            page.Until("document.querySelector('#sheet [role=alert]') !== null");
            Assert.Contains("corner 2", page.Told);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
        await Task.CompletedTask;
    }

    [Fact]
    public async Task A_sun_below_the_floor_and_points_in_a_line_are_told()
    {
        using Sheet page = site.Open();
        long id = await site.DemoShot();
        page.GoShot(id, 5);
        page.Type("Elevation", "-12");
        page.Until("document.querySelector('#sheet').innerText.includes('below the floor')");
        page.PressAndSave("Undo");
        page.Step(3);
        page.Press("Through points");
        // F2, O and F3 lie in a line.
        foreach (string point in (string[])["F2", "O", "F3"])
        {
            page.Row(point);
        }
        string revision = page.State("state.revision");
        page.Press("Plane through them");
        page.Until("document.querySelector('#sheet [role=alert]') !== null");
        Assert.Contains("in a line", page.Told);
        Assert.Equal(revision, page.State("state.revision"));
    }

    [Fact]
    public async Task Every_screen_is_usable_without_eyes_or_mouse_by_the_checker()
    {
        using Sheet page = site.Open();
        page.Go("/");
        Assert.Equal([], page.AccessibilityFaults());
        long id = await site.DemoShot();
        for (int step = 1; step <= 8; step++)
        {
            page.GoShot(id, step, 1036);
            page.UntilReadings();
            Assert.Equal([], page.AccessibilityFaults().Select(f => $"step {step}: {f}"));
        }
        page.Press("?");
        Assert.Equal([], page.AccessibilityFaults());
        page.Press("Close");
        page.Driver.FindElement(By.Id("ledger")).Click();
        page.Until("document.getElementById('dialog').open");
        Assert.Equal([], page.AccessibilityFaults());
    }

    [Fact]
    public async Task A_reading_leads_to_its_worst_place()
    {
        using Sheet page = site.Open();
        page.GoShot(await site.DemoShot(), 2, 1001);
        page.UntilReadings();
        int frame = page.StateJson("state.readings.find((r) => r.id === 'camera.reprojection').worst.frame").GetInt32();
        page.Run("document.querySelector(\"[data-reading='camera.reprojection']\").click()");
        page.UntilState($"state.frame === {frame}");
        page.Until("document.getElementById('overlay').textContent.includes('off by')");
        // A chosen survey point shows its own error along the rail.
        page.Row("S1");
        page.Until("document.getElementById('rail-title').textContent === 'Survey point S1, px per frame'");
        page.Until("document.querySelectorAll('#rail circle').length === 7");
    }
}
