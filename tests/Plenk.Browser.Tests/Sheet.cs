using System.Collections.ObjectModel;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Interactions;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>One browser on one page, in the words of the page: buttons, fields, steps, places in the picture.</summary>
public sealed class Sheet(ChromeDriver driver, string url) : IDisposable
{
    public ChromeDriver Driver => driver;

    public void Go(string path) => driver.Navigate().GoToUrl(url + path);

    /// <summary>Opens a shot and waits until its document is there.</summary>
    public void GoShot(long id, int step, int? frame = null)
    {
        Go($"/shots/{id}?step={step}{(frame is { } f ? $"&frame={f}" : "")}");
        Until("document.body.dataset.ready !== undefined");
    }

    public object? Run(string script, params object[] arguments) => driver.ExecuteScript(script, arguments);

    /// <summary>What an expression gives once it is true; the page's message is told when it never is.</summary>
    public void Until(string expression, int seconds = 60)
    {
        DateTime end = DateTime.UtcNow.AddSeconds(seconds);
        while (DateTime.UtcNow < end)
        {
            if (Run($"return !!({expression})") is true)
            {
                return;
            }
            Thread.Sleep(60);
        }
        Assert.Fail(
            $"never true: {expression}\nthe page says: {Run("return (document.querySelector('.told')?.innerText || '') + ' ' + document.getElementById('seen')?.textContent")}\n{string.Join('\n', Errors())}"
        );
    }

    /// <summary>A field of the page's own state, like document.elements.length.</summary>
    public string State(string expression) =>
        Convert.ToString(
            driver.ExecuteAsyncScript(
                $"const done = arguments[0]; import('/js/state.js').then(({{state}}) => done(String({expression})));"
            ),
            CultureInfo.InvariantCulture
        )!;

    public JsonElement StateJson(string expression) => JsonDocument.Parse(State($"JSON.stringify({expression})")).RootElement;

    public void UntilState(string expression, int seconds = 60)
    {
        DateTime end = DateTime.UtcNow.AddSeconds(seconds);
        while (DateTime.UtcNow < end)
        {
            if (State(expression) == "true")
            {
                return;
            }
            Thread.Sleep(80);
        }
        Assert.Fail($"never true: {expression}\nthe page says: {Run("return document.querySelector('.told')?.innerText")}");
    }

    /// <summary>Waits for something that a module of the page holds.</summary>
    public void UntilModule(string module, string expression)
    {
        string held = expression.Split('.')[0];
        DateTime end = DateTime.UtcNow.AddSeconds(60);
        while (
            driver.ExecuteAsyncScript(
                $"const done = arguments[0]; import('/js/{module}.js').then(({{ {held} }}) => done(!!({expression})));"
            )
                is not true
        )
        {
            Assert.True(DateTime.UtcNow < end, $"never true in {module}: {expression}");
            Thread.Sleep(60);
        }
    }

    /// <summary>Waits until the sheet shows what is saved and what is looked at: nothing of it is drawn anew under the hand.</summary>
    public void Settled() => Until("!document.querySelector('#sheet-body[aria-busy=true]')");

    /// <summary>Waits for a revision after this one, and for the sheet that shows it.</summary>
    private void Saved(string revision, int seconds = 60)
    {
        UntilState($"state.revision > {revision}", seconds);
        Settled();
    }

    public IWebElement Find(string css) => driver.FindElement(By.CssSelector(css));

    /// <summary>An element's text as it stands, read in one go: the page may draw it anew at any time.</summary>
    public string Text(string css) =>
        Convert.ToString(Run("return document.querySelector(arguments[0])?.innerText ?? ''", css), CultureInfo.InvariantCulture)!;

    /// <summary>Waits until an element says a text.</summary>
    public void Shows(string css, string text) => ShowsLike(css, Regex.Escape(text));

    /// <summary>Waits until an element's text fits a pattern.</summary>
    public void ShowsLike(string css, string pattern)
    {
        DateTime end = DateTime.UtcNow.AddSeconds(20);
        while (!Regex.IsMatch(Text(css), pattern))
        {
            if (DateTime.UtcNow > end)
            {
                Assert.Matches(pattern, Text(css));
            }
            Thread.Sleep(60);
        }
    }

    public IWebElement Button(string label) => driver.FindElement(By.XPath($"//button[normalize-space(.)={Quoted(label)}]"));

    /// <summary>Presses a button, once it can be pressed; again when the sheet was drawn anew under the pointer.</summary>
    public void Press(string label) => Press(() => Button(label));

    /// <summary>Presses what has no words on it, by what it is called to those who do not see it.</summary>
    public void PressLabelled(string label) => Press(() => Find($"button[aria-label={Quoted(label)}]"));

    private void Press(Func<IWebElement> find) =>
        Again(() =>
        {
            Settled();
            IWebElement e = find();
            if (!e.Enabled)
            {
                throw new ElementNotInteractableException($"“{e.Text}” cannot be pressed.");
            }
            Run("arguments[0].scrollIntoView({block: 'center'})", e);
            e.Click();
        });

    private static void Again(Action act)
    {
        for (int i = 0; ; i++)
        {
            try
            {
                act();
                return;
            }
            catch (Exception e)
                when (i < 150
                    && e
                        is StaleElementReferenceException
                            or ElementClickInterceptedException
                            or NoSuchElementException
                            or ElementNotInteractableException
                )
            {
                Thread.Sleep(100);
            }
        }
    }

    public void Step(int number)
    {
        Find($"#route [data-step='{number}']").Click();
        Until(
            $"document.querySelector('#route [aria-current]').dataset.step === '{number}' && document.getElementById('sheet-body').dataset.step === '{number}'"
        );
    }

    private IWebElement Labelled(string label) =>
        driver.FindElement(
            By.XPath(
                $"//aside//label[normalize-space(.)={Quoted(label)}]/following-sibling::*[1] | //aside//*[@aria-label={Quoted(label)}]"
            )
        );

    /// <summary>Types a value into a field of the sheet and waits for the revision it makes.</summary>
    public void Type(string label, string value, bool saves = true)
    {
        // A hurried hand does not wait, nor for what it types to be saved.
        if (saves)
        {
            Settled();
        }
        string revision = State("state.revision");
        Again(() =>
        {
            IWebElement field = Labelled(label);
            Run("arguments[0].scrollIntoView({block: 'center'}); arguments[0].focus(); arguments[0].select?.()", field);
            field.SendKeys(Keys.Control + "a");
            field.SendKeys(value + (saves ? Keys.Enter : ""));
        });
        if (saves)
        {
            Saved(revision);
        }
    }

    public string Value(string label) => Read(() => Labelled(label), "value");

    /// <summary>A property of an element, though the page may draw it anew at any time.</summary>
    public string Property(string css, string name) => Read(() => Find(css), name);

    private static string Read(Func<IWebElement> find, string name)
    {
        string? value = null;
        Again(() => value = find().GetDomProperty(name));
        return value ?? "";
    }

    /// <summary>Gives a file to a chooser.</summary>
    public void Give(string css, string file) => Again(() => Find(css).SendKeys(file));

    public void Choose(string label, string option, bool saves = true)
    {
        if (saves)
        {
            Settled();
        }
        string revision = State("state.revision");
        Again(() => new OpenQA.Selenium.Support.UI.SelectElement(Labelled(label)).SelectByText(option));
        if (saves)
        {
            Saved(revision);
        }
    }

    /// <summary>Gives files to the chooser that stands before a button, presses it, waits for what comes of it.</summary>
    public void BringIn(string button, params string[] files)
    {
        string chooser = $"input[type=file][aria-label={Quoted(button)}]";
        Settled();
        Give(chooser, string.Join('\n', files));
        // What was chosen stays when the sheet is drawn anew.
        Until($"document.querySelector('{chooser}').files.length === {files.Length}");
        Press(button);
    }

    /// <summary>Unfolds a part of the sheet.</summary>
    public void Open(string fold)
    {
        Until($"document.querySelector('[data-fold={Quoted(fold)}]') !== null");
        // By a press on its title, as a hand does it.
        Run($"const f = document.querySelector('[data-fold={Quoted(fold)}]'); if (!f.open) f.querySelector('summary').click();");
    }

    public void Row(string name) => Press(() => Find($"#sheet [data-row={Quoted(name)}]"));

    /// <summary>Presses a button that makes a revision, and waits for it.</summary>
    public void PressAndSave(string label, int seconds = 60)
    {
        string revision = State("state.revision");
        Press(label);
        Saved(revision, seconds);
    }

    public void Tick(string label)
    {
        string revision = State("state.revision");
        Press(() => driver.FindElement(By.XPath($"//aside//label[normalize-space(.)={Quoted(label)}]/input")));
        Saved(revision);
    }

    /// <summary>Where a pixel of the plate stands on the page.</summary>
    public (int X, int Y) OnPage(double x, double y)
    {
        var at = Many(
            "const [x, y, done] = arguments; import('/js/view.js').then((m) => { const p = m.toPage({ x, y }); done([Math.round(p.x), Math.round(p.y)]); });",
            x,
            y
        );
        return (Convert.ToInt32(at[0]), Convert.ToInt32(at[1]));
    }

    public void ClickPicture(double x, double y)
    {
        var (px, py) = OnPage(x, y);
        new Actions(driver).MoveToLocation(px, py).Click().Perform();
    }

    public void Drag((int X, int Y) from, (int X, int Y) to, int steps = 8, int pause = 60, Action? during = null)
    {
        new Actions(driver).MoveToLocation(from.X, from.Y).ClickAndHold().Pause(TimeSpan.FromMilliseconds(250)).Perform();
        for (int i = 1; i <= steps; i++)
        {
            new Actions(driver)
                .MoveToLocation(from.X + (to.X - from.X) * i / steps, from.Y + (to.Y - from.Y) * i / steps)
                .Pause(TimeSpan.FromMilliseconds(pause))
                .Perform();
        }
        during?.Invoke();
        new Actions(driver).Release().Perform();
    }

    /// <summary>A loop through places of the plate, drawn in one go.</summary>
    public void Loop(params (double X, double Y)[] corners)
    {
        (int X, int Y)[] at = [.. corners.Append(corners[0]).Select(c => OnPage(c.X, c.Y))];
        var hand = new Actions(driver).MoveToLocation(at[0].X, at[0].Y).ClickAndHold();
        for (int i = 1; i < at.Length; i++)
        {
            for (int k = 1; k <= 4; k++)
            {
                hand = hand.MoveToLocation(at[i - 1].X + (at[i].X - at[i - 1].X) * k / 4, at[i - 1].Y + (at[i].Y - at[i - 1].Y) * k / 4);
            }
        }
        hand.Release().Perform();
    }

    /// <summary>Follows a link of the sheet.</summary>
    public void Follow(string words) => Press(() => driver.FindElement(By.XPath($"//aside//a[normalize-space(.)={Quoted(words)}]")));

    public void Keyboard(string keys) => new Actions(driver).SendKeys(keys).Perform();

    public void Chord(string modifier, string key) => new Actions(driver).KeyDown(modifier).SendKeys(key).KeyUp(modifier).Perform();

    public void UntilReadings() => UntilState("state.readings !== null && state.readings.length > 0", 90);

    /// <summary>Value and verdict of a reading as it stands on the sheet.</summary>
    public (string Value, string Verdict) Reading(string id) =>
        (Text($"[data-reading='{id}'] .value"), Text($"[data-reading='{id}'] .verdict"));

    public string Told =>
        Convert.ToString(Run("return document.querySelector('#told .told')?.innerText || ''"), CultureInfo.InvariantCulture)!;

    /// <summary>Serious and critical findings of the accessibility checker that ships with npm.</summary>
    public IReadOnlyList<string> AccessibilityFaults()
    {
        Run(File.ReadAllText(Path.Combine(Site.Repository, "node_modules", "axe-core", "axe.min.js")));
        var found = Many(
            "const done = arguments[0]; axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] }).then((r) => done(r.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).slice(0, 3).join(' | ')}`)));"
        );
        return [.. found.Select(f => f.ToString()!)];
    }

    /// <summary>Errors that the page's scripts and requests left in the browser's log.</summary>
    public IReadOnlyList<string> Errors() =>
        [.. driver.Manage().Logs.GetLog(LogType.Browser).Where(l => l.Level == LogLevel.Severe).Select(l => l.Message)];

    public void NoErrors()
    {
        if (Errors() is { Count: > 0 } said)
        {
            Assert.Fail(string.Join('\n', said));
        }
    }

    /// <summary>The picture as the browser shows it: sRGB codes of the canvas around a pixel of the plate, mean of a square.</summary>
    public double[] Shown(double x, double y, int halfWidth = 2)
    {
        var at = Many(
            """
            const [x, y, r, done] = arguments;
            import('/js/view.js').then((m) => {
              const box = document.getElementById('picture').getBoundingClientRect(), p = m.toPage({ x, y });
              const d = document.getElementById('canvas').getContext('2d').getImageData(Math.round(p.x - box.left) - r, Math.round(p.y - box.top) - r, 2 * r + 1, 2 * r + 1).data;
              const sum = [0, 0, 0];
              for (let i = 0; i < d.length; i += 4) for (let c = 0; c < 3; c++) sum[c] += d[i + c] * 4 / d.length;
              done(sum);
            });
            """,
            x,
            y,
            halfWidth
        );
        return [.. at.Select(v => Convert.ToDouble(v, CultureInfo.InvariantCulture))];
    }

    private ReadOnlyCollection<object> Many(string script, params object[] arguments) =>
        (ReadOnlyCollection<object>)driver.ExecuteAsyncScript(script, arguments)!;

    private static string Quoted(string text) => $"\"{text}\"";

    public void Dispose() => driver.Quit();
}
