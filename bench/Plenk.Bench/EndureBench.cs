using System.Collections.Concurrent;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using NetVips;

namespace Plenk.Bench;

/// <summary>
/// Twenty people for eighty seconds on copies of the demo shot: a draft picture a second each, seven in ten of frames that were looked at
/// before, a save every five seconds, two of them fill 40 × 40 px; while a hand-over and depth run. Then a picture of 16384 × 16384 comes
/// in, and what it leaves of the server's memory.
/// </summary>
public static class EndureBench
{
    private const int People = 20,
        Seconds = 80;

    private static readonly HttpClient Http = new(new SocketsHttpHandler { MaxConnectionsPerServer = 200 })
    {
        Timeout = TimeSpan.FromSeconds(120),
    };

    private static async Task<JsonNode> Json(string path) => JsonNode.Parse(await Http.GetStringAsync(path))!;

    private static async Task<JsonNode> Post(string path, object body)
    {
        using HttpResponseMessage answer = await Http.PostAsJsonAsync(path, body);
        string said = await answer.Content.ReadAsStringAsync();
        return answer.StatusCode == HttpStatusCode.OK
            ? JsonNode.Parse(said)!
            : throw new InvalidOperationException($"{path}: {(int)answer.StatusCode} {said}");
    }

    /// <param name="pid">The server's, whose resident memory is read; 0: it is not.</param>
    public static async Task<int> Run(string url, int pid)
    {
        Http.BaseAddress = new Uri(url);
        JsonNode demo = (await Json("/api/shots")).AsArray().First(s => s!["code"]!.GetValue<string>() == "BTH_0040")!;
        JsonNode document = (await Json($"/api/shots/{demo["id"]}"))["document"]!;
        string run = Guid.NewGuid().ToString("N")[..6];
        var shots = new List<string>();
        for (int i = 0; i < People; i++)
        {
            JsonNode row = await Post(
                "/api/shots",
                new
                {
                    production = $"Endure {run}",
                    sequence = "E",
                    code = $"E_{i:00}",
                }
            );
            string at = $"/api/shots/{row["id"]}";
            JsonNode own = document.DeepClone();
            (own["production"], own["sequence"], own["code"]) = ($"Endure {run}", "E", $"E_{i:00}");
            own["mattes"]!
                .AsArray()
                .Add(
                    new JsonObject
                    {
                        ["id"] = "hole",
                        ["name"] = "hole",
                        ["keys"] = new JsonArray(
                            new JsonObject { ["frame"] = 1036, ["corners"] = new JsonArray(600, 600, 640, 600, 640, 640, 600, 640) }
                        ),
                    }
                );
            (
                await Http.PutAsJsonAsync(
                    at,
                    new
                    {
                        baseRevision = 1,
                        what = "As the demo",
                        document = own,
                    }
                )
            ).EnsureSuccessStatusCode();
            shots.Add(at);
        }
        JsonNode handOver = await Post(
            $"{shots[0]}/render",
            new
            {
                first = 1001,
                last = 1072,
                formats = (string[])["exr"],
            }
        );
        JsonNode depth = await Post(
            $"{shots[1]}/depth",
            new
            {
                first = 1001,
                last = 1072,
                every = 2,
            }
        );
        ConcurrentBag<double> drafts = [],
            saves = [],
            fills = [];
        ConcurrentBag<string> errors = [];
        var looked = new ConcurrentDictionary<int, bool>();
        var clock = Stopwatch.StartNew();
        async Task<double> Timed(Func<Task> act)
        {
            var watch = Stopwatch.StartNew();
            try
            {
                await act();
            }
            catch (Exception e) when (e is HttpRequestException or InvalidOperationException or TaskCanceledException)
            {
                errors.Add(e.Message);
            }
            return watch.Elapsed.TotalMilliseconds;
        }
        async Task Person(int i)
        {
            var random = new Random(i);
            await Task.Delay(random.Next(1000));
            Task? filling = null;
            for (int second = 0; clock.Elapsed.TotalSeconds < Seconds; second++)
            {
                double due = clock.Elapsed.TotalSeconds + 1;
                int[] known = [.. looked.Keys];
                int frame = known.Length > 5 && random.NextDouble() < 0.7 ? known[random.Next(known.Length)] : 1001 + random.Next(72);
                drafts.Add(
                    await Timed(async () =>
                    {
                        using HttpResponseMessage r = await Http.GetAsync(
                            $"{shots[i]}/frames/{frame}/picture?kind=comp&quality=draft&width=480"
                        );
                        r.EnsureSuccessStatusCode();
                        await r.Content.ReadAsByteArrayAsync();
                    })
                );
                looked[frame] = true;
                if (second % 5 == i % 5)
                {
                    JsonNode state = await Json(shots[i]);
                    state["document"]!["title"] = $"second {second}";
                    saves.Add(
                        await Timed(async () =>
                            (
                                await Http.PutAsJsonAsync(
                                    shots[i],
                                    new
                                    {
                                        baseRevision = state["revision"]!.GetValue<int>(),
                                        what = "Title",
                                        document = state["document"],
                                    }
                                )
                            ).EnsureSuccessStatusCode()
                        )
                    );
                }
                if (second == 20 && i % 10 == 5)
                {
                    filling = Task.Run(async () =>
                        fills.Add(
                            await Timed(async () =>
                            {
                                JsonNode job = await Post(
                                    $"{shots[i]}/fill",
                                    new
                                    {
                                        frame = 1036,
                                        matte = "hole",
                                        how = "Patches",
                                    }
                                );
                                while (
                                    (await Json($"{shots[i]}/jobs"))
                                        .AsArray()
                                        .First(j => j!["id"]!.GetValue<long>() == job["id"]!.GetValue<long>())!["state"]!.GetValue<string>()
                                        is "waiting"
                                            or "running"
                                )
                                {
                                    await Task.Delay(100);
                                }
                            })
                        )
                    );
                }
                double left = due - clock.Elapsed.TotalSeconds;
                if (left > 0)
                {
                    await Task.Delay(TimeSpan.FromSeconds(left));
                }
            }
            if (filling is not null)
            {
                await filling;
            }
        }
        await Task.WhenAll(Enumerable.Range(0, People).Select(i => Task.Run(() => Person(i))));
        foreach (string e in errors.Take(5))
        {
            Console.WriteLine(e);
        }
        Console.WriteLine(
            $"{People} people, {Seconds} s: {errors.Count} errors; {Told(drafts, "draft pictures", 250)}; {Told(saves, "saves", 150)}; fills of 40 × 40 px ended after {string.Join(" and ", fills.Select(f => $"{f / 1000:0.0} s"))} (bar 10)"
        );
        foreach (JsonNode job in (JsonNode[])[handOver, depth])
        {
            JsonNode now = (await Json($"/api/shots/{job["shotId"]}/jobs"))
                .AsArray()
                .First(j => j!["id"]!.GetValue<long>() == job["id"]!.GetValue<long>())!;
            var watch = Stopwatch.StartNew();
            await Post($"/api/jobs/{job["id"]}/stop", new { });
            string state;
            do
            {
                await Task.Delay(50);
                state = (await Json($"/api/shots/{job["shotId"]}/jobs"))
                    .AsArray()
                    .First(j => j!["id"]!.GetValue<long>() == job["id"]!.GetValue<long>())!["state"]!.GetValue<string>();
            } while (state is "waiting" or "running" && watch.Elapsed.TotalSeconds < 60);
            Console.WriteLine(
                $"meanwhile: {now["title"]}, {now["done"]} of {now["total"]}; stopped, it had ended ({state}) {watch.Elapsed.TotalSeconds:0.0} s later (bar 3)"
            );
        }
        await Memory(shots[2], pid);
        return errors.IsEmpty ? 0 : 1;
    }

    private static string Told(ConcurrentBag<double> times, string what, double bar)
    {
        double[] sorted = [.. times.Order()];
        return FormattableString.Invariant(
            $"{sorted.Length} {what}, median {sorted[sorted.Length / 2]:0} ms, 95 % {sorted[(int)(sorted.Length * 0.95)]:0} ms (bar {bar:0}), worst {sorted[^1]:0} ms"
        );
    }

    private static double Resident(int pid) =>
        double.Parse(
            File.ReadLines($"/proc/{pid}/status")
                .First(l => l.StartsWith("VmRSS", StringComparison.Ordinal))
                .Split(' ', StringSplitOptions.RemoveEmptyEntries)[1],
            CultureInfo.InvariantCulture
        ) / 1024;

    private static async Task Memory(string shot, int pid)
    {
        if (pid == 0)
        {
            return;
        }
        await Task.Delay(TimeSpan.FromSeconds(60));
        double before = Resident(pid),
            most = before;
        byte[] png;
        using (Image black = Image.Black(16384, 16384, bands: 3))
        {
            png = black.PngsaveBuffer();
        }
        using var stop = new CancellationTokenSource();
        Task watching = Task.Run(async () =>
        {
            while (!stop.IsCancellationRequested)
            {
                most = Math.Max(most, Resident(pid));
                await Task.Delay(50);
            }
        });
        foreach (string what in (string[])["card", "plate"])
        {
            using var form = new MultipartFormDataContent { { new ByteArrayContent(png), "files", "huge.1001.png" } };
            using HttpResponseMessage answer = await Http.PostAsync($"{shot}/{what}", form);
            string said = await answer.Content.ReadAsStringAsync();
            if (what == "plate")
            {
                do
                {
                    await Task.Delay(200);
                    said = (await Json($"{shot}/jobs")).AsArray()[0]!["message"]!.GetValue<string>();
                } while ((await Json($"{shot}/jobs")).AsArray()[0]!["state"]!.GetValue<string>() is "waiting" or "running");
            }
            Console.WriteLine(
                $"a PNG of 16384 × 16384 ({png.Length / 1000} kB) as a {what}: {(int)answer.StatusCode} {said[..Math.Min(260, said.Length)]}"
            );
        }
        await Task.Delay(TimeSpan.FromSeconds(60));
        await stop.CancelAsync();
        await watching;
        Console.WriteLine($"resident memory {before:0} MB before, {most:0} MB at most, {Resident(pid):0} MB a minute after");
    }
}
