using System.Diagnostics;
using System.Text.Json;
using System.Text.RegularExpressions;
using Npgsql;
using OpenQA.Selenium.Chrome;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>The application as a process of its own with the demo production in a database of its own, and a browser.</summary>
public sealed partial class Site : IAsyncLifetime
{
    private readonly string _name = $"browser_{Guid.NewGuid():N}";
    private readonly string _folder = Path.Combine(Path.GetTempPath(), $"plenk-browser-{Guid.NewGuid():N}");
    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(10);
    private Process? _web;

    public static string Server =>
        Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")
        ?? throw new InvalidOperationException("run ./test, which starts the database");
    public static string Repository { get; } = FindRepository();
    public static string Demo => Path.Combine(Repository, "demo", "BTH_0040");
    public string Url { get; private set; } = "";
    public string Database => _name;
    public HttpClient Http { get; private set; } = new();

    public async Task InitializeAsync()
    {
        string dll = Path.Combine(AppContext.BaseDirectory, "Plenk.Web.dll");
        var start = new ProcessStartInfo(
            "dotnet",
            [dll, "--urls", "http://127.0.0.1:0", "--contentRoot", Path.Combine(Repository, "src", "Plenk.Web")]
        )
        {
            RedirectStandardOutput = true,
        };
        start.Environment["PLENK_DATABASE"] = $"{Server};Database={_name}";
        start.Environment["PLENK_DATA"] = _folder;
        // What a page asks for while it rests takes all cores, and no test looks at how little noise it has.
        start.Environment["PLENK_PAGES"] = "middle";
        start.Environment["PLENK_DEMO"] = Path.Combine(Repository, "demo");
        _web = Process.Start(start)!;
        var listening = new TaskCompletionSource<string>();
        var said = new System.Collections.Concurrent.ConcurrentQueue<string>();
        _web.OutputDataReceived += (_, e) =>
        {
            if (e.Data is null)
            {
                listening.TrySetException(new InvalidOperationException($"the application ended: {string.Join('\n', said)}"));
                return;
            }
            said.Enqueue(e.Data);
            if (Listening().Match(e.Data) is { Success: true } m)
            {
                listening.TrySetResult(m.Groups[1].Value);
            }
        };
        _web.BeginOutputReadLine();
        Url = await listening.Task.WaitAsync(Patience);
        Http = new HttpClient { BaseAddress = new Uri(Url) };
        // It answers before the demo production is whole; a slow machine takes minutes over that.
        string coming = "";
        for (DateTime end = DateTime.UtcNow + Patience; DateTime.UtcNow < end; await Task.Delay(200))
        {
            if ((coming = await Http.GetStringAsync("/health")) == "Healthy")
            {
                return;
            }
        }
        throw new TimeoutException($"the demo production did not come: {coming}: {string.Join('\n', said)}");
    }

    public async Task<JsonElement> Json(string path) => JsonDocument.Parse(await Http.GetStringAsync(path)).RootElement;

    public Task<long> DemoShot() => Shot("BTH_0040");

    public async Task<long> Shot(string code) =>
        (await Json("/api/shots")).EnumerateArray().First(s => s.GetProperty("code").GetString() == code).GetProperty("id").GetInt64();

    /// <summary>A page of a shot of the demo production, at a step and a frame.</summary>
    public async Task<Sheet> Open(string code, int step, int frame)
    {
        Sheet page = Open();
        page.GoShot(await Shot(code), step, frame);
        return page;
    }

    /// <summary>A page of exactly 1280 × 800.</summary>
    public Sheet Open()
    {
        string profile = Path.Combine(_folder, $"profile-{Guid.NewGuid():N}");
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium" };
        options.AddArguments(
            "--headless=new",
            "--no-sandbox",
            "--disable-dev-shm-usage",
            "--window-size=1280,943",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            "--force-color-profile=srgb",
            $"--user-data-dir={profile}"
        );
        options.SetLoggingPreference(OpenQA.Selenium.LogType.Browser, OpenQA.Selenium.LogLevel.Warning);
        var service = ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver");
        service.SuppressInitialDiagnosticInformation = true;
        var driver = new ChromeDriver(service, options, TimeSpan.FromSeconds(120));
        driver.ExecuteCdpCommand(
            "Emulation.setDeviceMetricsOverride",
            new Dictionary<string, object?>
            {
                ["width"] = 1280,
                ["height"] = 800,
                ["deviceScaleFactor"] = 1,
                ["mobile"] = false,
            }
        );
        return new Sheet(driver, Url);
    }

    public async Task DisposeAsync()
    {
        if (_web is { HasExited: false })
        {
            _web.Kill(entireProcessTree: true);
            await _web.WaitForExitAsync();
        }
        await using (NpgsqlDataSource admin = NpgsqlDataSource.Create($"{Server};Database=postgres"))
        {
            await using NpgsqlCommand drop = admin.CreateCommand($"drop database if exists {_name} with (force)");
            await drop.ExecuteNonQueryAsync();
        }
        if (Directory.Exists(_folder))
        {
            Directory.Delete(_folder, recursive: true);
        }
    }

    private static string FindRepository()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at) ?? throw new DirectoryNotFoundException("the repository");
        }
        return at;
    }

    [GeneratedRegex("\"address\":\"(http://127[^\"]+)")]
    private static partial Regex Listening();
}

[CollectionDefinition("site")]
public sealed class SiteCollection : ICollectionFixture<Site>;
