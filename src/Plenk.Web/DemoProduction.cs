using System.Text.Json;
using Microsoft.Extensions.Diagnostics.HealthChecks;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;
using Plenk.Work.Shelf;

namespace Plenk.Web;

/// <summary>
/// Brings the demo production in once the server answers: shot by shot, what is there already left as it is, so that a start that was cut
/// short is gone on with at the next one. How far it is stands on the front page and in /health (degraded until it is whole).
/// </summary>
/// <param name="directory">The folder demo/; empty: there is none to bring in.</param>
public sealed class DemoProduction(
    string directory,
    ShotStore shots,
    ShelfStore shelf,
    ShelfWork shelving,
    MediaStore media,
    ShotEngine engine,
    Measuring measuring,
    IHostApplicationLifetime life,
    ILogger<DemoProduction> log
) : BackgroundService, IHealthCheck
{
    private readonly TaskCompletionSource _over = new();
    private string _next = "its list of shots";

    /// <summary>Done once nothing more comes, be it that all is there or that some failed.</summary>
    public Task Over => _over.Task;

    /// <summary>What is still to come, in words; null once all is there.</summary>
    public string? Coming { get; private set; } = directory.Length == 0 ? null : "The demo production is on its way.";

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        if (directory.Length == 0)
        {
            _over.SetResult();
            return;
        }
        var started = new TaskCompletionSource();
        using CancellationTokenRegistration on = life.ApplicationStarted.Register(started.SetResult);
        try
        {
            await started.Task.WaitAsync(stoppingToken);
            await Bring(directory, stoppingToken);
            Coming = null;
        }
        catch (OperationCanceledException)
        {
            // The process ends; the next one goes on.
        }
        catch (Exception e)
        {
            // What went wrong inside is for the log: a page says what it means, and what mends it.
            log.LogError(e, "the demo production did not come whole");
            Coming =
                $"The demo production did not come whole: {_next} failed. The server’s log says why; when the files under demo/ are whole, the next start brings the rest.";
        }
        finally
        {
            _over.SetResult();
        }
    }

    public Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken cancellationToken = default) =>
        Task.FromResult(Coming is null ? HealthCheckResult.Healthy() : HealthCheckResult.Degraded(Coming));

    private void Next(string what)
    {
        _next = what;
        Coming = $"The demo production is on its way; next comes {what}.";
    }

    private async Task Bring(string demo, CancellationToken stop)
    {
        Dictionary<string, ShotRow> there = (await shots.List()).Where(s => s.Production == DemoSeed.Production).ToDictionary(s => s.Code);
        string[] missing = [.. DemoSeed.Codes(demo).Where(c => !there.ContainsKey(c))];
        foreach (string code in missing)
        {
            stop.ThrowIfCancellationRequested();
            Next(code);
            there[code] = await shots.Create(DemoSeed.Shot(demo, code, bytes => media.Write(bytes)), "demo", "The shot as it came in");
            if (code == missing[0])
            {
                // Before the last shot: what somebody took off the shelf later stays off.
                await Shelf(Path.Combine(demo, "shelf"));
            }
        }
        if (there.TryGetValue(DemoSeed.BrokenCode, out ShotRow? platform) && platform.Head == 1)
        {
            Next($"what falls and breaks in {DemoSeed.BrokenCode}");
            ShotDocument whole = (await shots.Read(platform.Id, 1))!.Value.Document;
            ShotDocument broken = await Task.Run(() => DemoSeed.Broken(whole, demo, engine, media, stop), stop);
            try
            {
                await shots.Save(platform.Id, 1, broken, "demo", "The locker’s door cut loose and swung open, the slab broken");
            }
            catch (ConflictException)
            {
                // Somebody was at work on it already: it is theirs.
            }
        }
        if (there.TryGetValue(DemoSeed.Code, out ShotRow? first))
        {
            var (head, revision) = (await shots.Read(first.Id))!.Value;
            await measuring.Read(head, first.Id, revision.Number, keep: true);
        }
    }

    /// <summary>What ships of the shelf, for the whole house.</summary>
    private async Task Shelf(string directory)
    {
        string list = Path.Combine(directory, "shelf.json");
        if (!File.Exists(list))
        {
            return;
        }
        string Keep(string file) => media.Write(File.ReadAllBytes(Path.Combine(directory, file)));
        foreach (ShippedThing t in JsonSerializer.Deserialize<ShippedThing[]>(await File.ReadAllTextAsync(list), ShotJson.Options)!)
        {
            if (await shelf.Named(t.Name, null) is not null)
            {
                continue;
            }
            Next($"the shelf’s {t.Name}");
            await shelving.Add(
                ShippedThing.Kept(t.Part, Keep),
                new([], t.Name, "Plenk", "CC0 1.0", "Plenk’s demo", t.Tags, t.Words, House: true),
                null,
                "demo",
                Keep(t.Picture)
            );
        }
    }
}
