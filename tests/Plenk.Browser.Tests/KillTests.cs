using System.Collections.Concurrent;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;
using Npgsql;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>
/// Server, worker, connections of the database and the database itself are killed at random moments while shots are saved, files are
/// brought in and frames are handed over: what was acknowledged is there, and every job ends. PLENK_KILLS says how often; on a cluster of
/// its own.
/// </summary>
public sealed class KillTests : IAsyncLifetime
{
    private static readonly int Kills = int.TryParse(
        Environment.GetEnvironmentVariable("PLENK_KILLS"),
        CultureInfo.InvariantCulture,
        out int n
    )
        ? n
        : 12;
    private readonly string _data = Path.Combine(Path.GetTempPath(), $"plenk-kill-{Guid.NewGuid():N}");
    private readonly int _port = FreePort();
    private readonly HttpClient _http = new() { Timeout = TimeSpan.FromSeconds(10) };
    private Process? _web,
        _worker;
    private string _connection = "";

    private static int FreePort()
    {
        using var l = new TcpListener(IPAddress.Loopback, 0);
        l.Start();
        return ((IPEndPoint)l.LocalEndpoint).Port;
    }

    private string Shell(string command)
    {
        var start = new ProcessStartInfo("bash", ["-c", $"cd '{Site.Repository}'; . scripts/common.sh; {command}"])
        {
            RedirectStandardOutput = true,
        };
        start.Environment["PLENK_DATA"] = _data;
        start.Environment["PLENK_DB_PORT"] = (_port + 1).ToString(CultureInfo.InvariantCulture);
        start.Environment["PLENK_DB_OPTIONS"] = "";
        using Process p = Process.Start(start)!;
        string said = p.StandardOutput.ReadToEnd();
        p.WaitForExit();
        return said.Trim();
    }

    private Process Run(string dll, params string[] arguments)
    {
        var start = new ProcessStartInfo("dotnet", [Path.Combine(AppContext.BaseDirectory, dll), .. arguments])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment["PLENK_DATABASE"] = _connection;
        start.Environment["PLENK_DATA"] = _data;
        start.Environment["PLENK_NO_WORKER"] = "1";
        start.Environment["PLENK_LOG"] = Path.Combine(_data, "web.log");
        Process p = Process.Start(start)!;
        p.OutputDataReceived += (_, e) => Told(e.Data);
        p.ErrorDataReceived += (_, e) => Told(e.Data);
        p.BeginOutputReadLine();
        p.BeginErrorReadLine();
        return p;
    }

    private string _said = "";

    /// <summary>The last that a process of ours said, for when it does not come up.</summary>
    private void Told(string? line)
    {
        if (!string.IsNullOrWhiteSpace(line))
        {
            _said = (_said + "\n" + line)[Math.Max(0, _said.Length + line.Length + 1 - 1500)..];
        }
    }

    private Process Web() =>
        Run("Plenk.Web.dll", "--urls", $"http://127.0.0.1:{_port}", "--contentRoot", Path.Combine(Site.Repository, "src", "Plenk.Web"));

    /// <summary>From where it is built: beside a server it would lack what the framework brings.</summary>
    private static string Cli =>
        Path.Combine(
            Site.Repository,
            "src",
            "Plenk.Cli",
            "bin",
            AppContext.BaseDirectory.Contains("Debug", StringComparison.Ordinal) ? "Debug" : "Release",
            "net10.0",
            "plenk.dll"
        );

    private Process Worker() => Run(Cli, "worker", "--name", $"w{Guid.NewGuid():N}");

    private async Task Healthy()
    {
        for (int i = 0; i < 400; i++)
        {
            try
            {
                if ((await _http.GetAsync("/health")).IsSuccessStatusCode)
                {
                    return;
                }
            }
            catch (HttpRequestException) { }
            catch (TaskCanceledException) { }
            await Task.Delay(100);
        }
        string log = Path.Combine(_data, "web.log");
        throw new TimeoutException(
            $"the server does not come back (gone: {_web?.HasExited}, {(_web is { HasExited: true } w ? w.ExitCode : 0)}): {_said} {(File.Exists(log) ? string.Join('\n', File.ReadLines(log).TakeLast(4)) : "")}"
        );
    }

    public async Task InitializeAsync()
    {
        Directory.CreateDirectory(_data);
        if (!OperatingSystem.IsWindows())
        {
            File.SetUnixFileMode(_data, (UnixFileMode)0b111_101_101);
        }
        Shell("start_cluster");
        _connection = Shell("database_of plenk") + ";Timeout=5";
        _http.BaseAddress = new Uri($"http://127.0.0.1:{_port}");
        (_web, _worker) = (Web(), Worker());
        await Healthy();
    }

    public Task DisposeAsync()
    {
        foreach (Process? p in (Process?[])[_web, _worker])
        {
            if (p is { HasExited: false })
            {
                p.Kill();
                p.WaitForExit();
            }
        }
        Shell("stop_cluster");
        NpgsqlConnection.ClearAllPools();
        Directory.Delete(_data, recursive: true);
        return Task.CompletedTask;
    }

    private static byte[] Png(int seed) =>
        RasterFile.ToPng(
            new CodeImage(64, 36, 3, 8, [.. Enumerable.Range(0, 64 * 36 * 3).Select(i => (ushort)((i * 37 + seed * 101) % 256))])
        );

    private static MultipartFormDataContent Form(params (string Name, byte[] Bytes)[] files)
    {
        var form = new MultipartFormDataContent();
        foreach (var (name, bytes) in files)
        {
            form.Add(new ByteArrayContent(bytes), "files", name);
        }
        return form;
    }

    private async Task<JsonNode> Json(string path) => JsonNode.Parse(await _http.GetStringAsync(path))!;

    /// <summary>Until it works: what is tried while something is down fails, and is tried again.</summary>
    private static async Task Insist(Func<Task<bool>> act)
    {
        for (int i = 0; i < 200; i++)
        {
            try
            {
                if (await act())
                {
                    return;
                }
            }
            catch (HttpRequestException) { }
            catch (TaskCanceledException) { }
            await Task.Delay(100);
        }
    }

    private async Task<string> MakeShot()
    {
        JsonNode row = JsonNode.Parse(
            await (
                await _http.PostAsJsonAsync(
                    "/api/shots",
                    new
                    {
                        production = "Kill",
                        sequence = "K",
                        code = $"K_{Guid.NewGuid():N}"[..10],
                    }
                )
            ).Content.ReadAsStringAsync()
        )!;
        string at = $"/api/shots/{row["id"]}";
        await _http.PostAsync($"{at}/plate", Form([.. Enumerable.Range(1001, 4).Select(f => ($"p.{f}.png", Png(f)))]));
        for (int i = 0; i < 100 && (await Json(at))["document"]!["plate"] is null; i++)
        {
            await Task.Delay(100);
        }
        string camera =
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n"
            + string.Concat(Enumerable.Range(1001, 4).Select(f => $"{f},0,1.6,0,-0.1736482,0,0,0.9848078,36\n"));
        (await _http.PostAsync($"{at}/camera", Form(("c.csv", Encoding.UTF8.GetBytes(camera))))).EnsureSuccessStatusCode();
        return at;
    }

    [Fact]
    public async Task What_was_acknowledged_is_there_and_every_job_ends()
    {
        string[] shots = [await MakeShot(), await MakeShot(), await MakeShot()];
        ConcurrentBag<(string Shot, string What)> saved = [];
        ConcurrentBag<(string Shot, string Hash)> brought = [];
        ConcurrentBag<long> jobs = [];
        using var over = new CancellationTokenSource();
        int serial = 0;
        async Task Loop(Func<Task> act)
        {
            while (!over.IsCancellationRequested)
            {
                try
                {
                    await act();
                }
                catch (HttpRequestException) { }
                catch (TaskCanceledException) { }
                await Task.Delay(40);
            }
        }
        Task[] people =
        [
            .. shots.Select(at =>
                Loop(async () =>
                {
                    JsonNode state = await Json(at);
                    string what = $"n{Interlocked.Increment(ref serial)}";
                    state["document"]!["title"] = what;
                    using HttpResponseMessage answer = await _http.PutAsJsonAsync(
                        at,
                        new
                        {
                            baseRevision = state["revision"]!.GetValue<int>(),
                            what,
                            document = state["document"],
                        }
                    );
                    if (answer.StatusCode == HttpStatusCode.OK)
                    {
                        saved.Add((at, what));
                    }
                })
            ),
            .. shots.Select(at =>
                Loop(async () =>
                {
                    byte[] png = Png(Interlocked.Increment(ref serial) + 100_000);
                    using HttpResponseMessage answer = await _http.PostAsync($"{at}/card", Form(($"card{serial}.png", png)));
                    if (answer.StatusCode == HttpStatusCode.OK)
                    {
                        brought.Add((at, Convert.ToHexStringLower(SHA256.HashData(png))));
                    }
                    await Task.Delay(400);
                })
            ),
            Loop(async () =>
            {
                using HttpResponseMessage answer = await _http.PostAsJsonAsync(
                    $"{shots[0]}/render",
                    new
                    {
                        first = 1001,
                        last = 1004,
                        formats = (string[])["png16"],
                        names = $"{{code}}_{Interlocked.Increment(ref serial)}.{{frame}}",
                    }
                );
                if (answer.StatusCode == HttpStatusCode.OK)
                {
                    jobs.Add(JsonNode.Parse(await answer.Content.ReadAsStringAsync())!["id"]!.GetValue<long>());
                }
                await Task.Delay(1500);
            }),
            Loop(async () =>
            {
                using HttpResponseMessage answer = await _http.PostAsync(
                    $"{shots[1]}/plate",
                    Form([.. Enumerable.Range(1001, 4).Select(f => ($"p.{f}.png", Png(f + Interlocked.Increment(ref serial))))])
                );
                if (answer.StatusCode == HttpStatusCode.OK)
                {
                    jobs.Add(JsonNode.Parse(await answer.Content.ReadAsStringAsync())!["id"]!.GetValue<long>());
                }
                await Task.Delay(1500);
            }),
            Loop(async () =>
            {
                using HttpResponseMessage _ = await _http.GetAsync(
                    $"{shots[0]}/frames/{1001 + Interlocked.Increment(ref serial) % 4}/picture?quality=draft&width=64"
                );
            }),
        ];
        var random = new Random(7);
        for (int k = 0; k < Kills; k++)
        {
            await Task.Delay(300 + random.Next(900));
            switch (k % 12)
            {
                case 0 or 3 or 6 or 8 or 11:
                    _web!.Kill();
                    await _web.WaitForExitAsync();
                    _web = Web();
                    await Healthy();
                    break;
                case 1 or 4 or 9:
                    _worker!.Kill();
                    await _worker.WaitForExitAsync();
                    _worker = Worker();
                    break;
                case 2 or 5 or 10:
                    Shell(
                        "kill -9 $(as_owner -c \"select pid from pg_stat_activity where usename = 'plenk' and state <> 'idle' order by random() limit 1\") 2>/dev/null || kill -9 $(as_owner -c \"select pid from pg_stat_activity where usename = 'plenk' limit 1\")"
                    );
                    await Healthy();
                    break;
                default:
                    Shell("kill -9 $(head -n 1 \"$(cat \"$PLENK_DATA/pg.folder\")/postmaster.pid\"); sleep 0.5; start_cluster");
                    await Healthy();
                    break;
            }
        }
        await Task.Delay(1000);
        await over.CancelAsync();
        await Task.WhenAll(people);
        await Insist(async () => (await _http.GetAsync("/health")).IsSuccessStatusCode);
        // Every job ends, or is told, within half a minute.
        var left = new List<string>();
        for (int i = 0; i < 300; i++)
        {
            left.Clear();
            foreach (string at in shots)
            {
                left.AddRange(
                    (await Json($"{at}/jobs"))
                        .AsArray()
                        .Where(j => j!["state"]!.GetValue<string>() is "waiting" or "running")
                        .Select(j => $"{j!["title"]}: {j["state"]} {j["waits"]} {j["message"]}")
                );
            }
            if (left.Count == 0)
            {
                break;
            }
            await Task.Delay(100);
        }
        Assert.Empty(left);
        Assert.True(
            saved.Count > 2 * Kills && !brought.IsEmpty && !jobs.IsEmpty,
            $"{saved.Count} saves, {brought.Count} uploads, {jobs.Count} jobs in {Kills} kills: too little went on"
        );
        await using NpgsqlDataSource source = NpgsqlDataSource.Create(_connection);
        foreach (string at in shots)
        {
            await using NpgsqlCommand c = source.CreateCommand("select what, document::text from revision where shot_id = $1");
            c.Parameters.AddWithValue(long.Parse(at.Split('/')[^1], CultureInfo.InvariantCulture));
            var whats = new HashSet<string>();
            string last = "";
            await using (NpgsqlDataReader r = await c.ExecuteReaderAsync())
            {
                while (await r.ReadAsync())
                {
                    whats.Add(r.GetString(0));
                    last += r.GetString(1);
                }
            }
            Assert.DoesNotContain(saved, s => s.Shot == at && !whats.Contains(s.What));
            foreach (var (_, hash) in brought.Where(b => b.Shot == at))
            {
                Assert.Contains(hash, last);
                Assert.Equal(hash, Convert.ToHexStringLower(SHA256.HashData(await _http.GetByteArrayAsync($"/media/{hash}"))));
            }
        }
    }
}
