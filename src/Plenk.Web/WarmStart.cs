using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web;

/// <summary>
/// A server that has just started draws two drafts of each shot that was worked on last, before anybody asks: their sets, meshes and light
/// are there then, and the code that draws is compiled. Frames near those two follow while nobody waits, as they do when somebody looked
/// (<see cref="Drafts"/>). It gives way to whoever comes.
/// </summary>
public sealed class WarmStart(
    ShotStore shots,
    PictureService pictures,
    DemoProduction demo,
    IHostApplicationLifetime life,
    ILogger<WarmStart> log
) : BackgroundService
{
    private const int Shots = 8,
        Width = 480;

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        var started = new TaskCompletionSource();
        using CancellationTokenRegistration on = life.ApplicationStarted.Register(started.SetResult);
        try
        {
            await started.Task.WaitAsync(stoppingToken);
            await demo.Over.WaitAsync(stoppingToken);
            foreach (long id in await shots.LastChanged(Shots))
            {
                if (await shots.Read(id) is not { } found || found.Document.Plate is null)
                {
                    continue;
                }
                FrameRange range = found.Document.Cut ?? found.Document.Range;
                foreach (int frame in (int[])[range.First, (range.First + range.Last) / 2])
                {
                    try
                    {
                        await pictures.Picture(
                            id,
                            found.Document,
                            frame,
                            "comp",
                            Math.Min(Width, found.Document.Plate.Width),
                            "draft",
                            4,
                            SeenThrough.Display,
                            drags: false,
                            stoppingToken
                        );
                    }
                    catch (Exception e) when (e is not OperationCanceledException)
                    {
                        // A shot that is not whole yet is told so on its own page.
                        log.LogDebug(e, "no draft of shot {Shot} to begin with", id);
                    }
                }
            }
        }
        catch (OperationCanceledException)
        {
            // The process ends.
        }
        catch (Npgsql.NpgsqlException e)
        {
            log.LogDebug(e, "nothing is drawn to begin with");
        }
    }
}
