using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <param name="Formats">exr, png16, dpx, mp4, stills, contact; null: EXR and PNG.</param>
public sealed record RenderRequest(
    int First,
    int Last,
    int? Width = null,
    string[]? Formats = null,
    string[]? Layers = null,
    string? Names = null,
    bool PartPerLayer = false,
    string? Compression = null,
    bool BurnIn = false,
    bool ThroughLook = true,
    double Overscan = 0,
    string Primaries = "bt709"
);

/// <summary>Frames handed over: asked for, and fetched.</summary>
public static class HandOverApi
{
    public static void MapHandOver(this WebApplication app)
    {
        var api = app.MapGroup("/api").WithTags("Hand over");

        api.MapPost(
                "/shots/{id:long}/render",
                async (long id, RenderRequest request, ShotStore shots, JobStore jobs, ShotEngine engine, HttpContext http) =>
                {
                    var (document, revision) = await ShotApi.Need(shots, id);
                    if (document.Plate is null)
                    {
                        throw new ShotFault("The shot has no plate yet.");
                    }
                    if (request.First > request.Last)
                    {
                        throw new ShotFault($"The first frame, {request.First}, comes after the last, {request.Last}. Change one of them.");
                    }
                    if (request.First < document.Range.First || request.Last > document.Range.Last)
                    {
                        throw new ShotFault(
                            $"The frames must lie within the shot's range, {document.Range.First} to {document.Range.Last}."
                        );
                    }
                    engine.Camera(document, request.First);
                    engine.Camera(document, request.Last);
                    if (
                        document.Background == BackgroundKind.Clean
                        && CleanPlateWork.Without(document, new(request.First, request.Last)) is { Count: > 0 } lacks
                    )
                    {
                        throw new ShotFault(
                            $"The comp stands over the clean plate, and {FrameList.Write(lacks)} {(lacks.Count == 1 ? "has" : "have")} none. "
                                + $"Make it for {(lacks.Count == 1 ? "that frame" : "those frames")} at step 4, or put the plate behind all."
                        );
                    }
                    if (
                        document.Background == BackgroundKind.Frames
                        && BehindFrames.Without(document, new(request.First, request.Last)) is { Count: > 0 } bare
                    )
                    {
                        throw new ShotFault(
                            $"Behind all there is no picture at {FrameList.Write(bare)}. Say at step 4 what is seen before the first and "
                                + "after the last of them, bring more in, or put the plate behind all."
                        );
                    }
                    foreach (var (name, frames) in FilmedWork.Holes(document, new(request.First, request.Last)))
                    {
                        throw new ShotFault(
                            $"The plate of {name} has no picture for {FrameList.Write(frames)}. Bring it in whole in its own shot and take it anew, "
                                + "or switch that matte off."
                        );
                    }
                    var choice = new HandOverChoice(
                        request.Formats ?? ["exr", "png16"],
                        request.Layers,
                        request.Names ?? HandOverChoice.UsualNames,
                        Enum.TryParse(request.Compression, ignoreCase: true, out ExrCompression compression)
                            ? compression
                            : ExrCompression.Zip,
                        request.PartPerLayer,
                        request.Width,
                        BurnIn: request.BurnIn,
                        ThroughLook: request.ThroughLook,
                        Overscan: request.Overscan,
                        Primaries: request.Primaries
                    );
                    if (choice.Fault() is { } fault)
                    {
                        throw new ShotFault(fault);
                    }
                    int[] wanted = [.. Enumerable.Range(request.First, request.Last - request.First + 1)];
                    var parameters = new HandOverParameters(revision.Number, wanted, choice, 1 + await jobs.Count(id, FrameWorker.Kind));
                    return (
                        await jobs.Add(
                            new(
                                id,
                                FrameWorker.Kind,
                                $"Handing over {request.First}–{request.Last}, version {parameters.Version}",
                                JsonSerializer.Serialize(parameters, ShotJson.Options),
                                ResultKey.Of("hand over", 1, id, parameters with { Version = 0 }),
                                wanted.Length,
                                ShotApi.Who(http),
                                Lane.Frames,
                                wanted
                            )
                        )
                    ).Job;
                }
            )
            .WithSummary("Hands frames over, in the tray: EXR, PNG, DPX, movie, stills, contact sheet");

        app.MapGet("/renders/{job:long}/{*file}", (long job, string file) =>
            {
                string folder = FrameWorker.FolderOf(job),
                    path = Path.GetFullPath(Path.Combine(folder, file));
                return path.StartsWith(folder + Path.DirectorySeparatorChar, StringComparison.Ordinal) && File.Exists(path)
                    ? Results.File(
                        path,
                        Path.GetExtension(file) switch
                        {
                            ".png" => "image/png",
                            ".mp4" => "video/mp4",
                            ".html" => "text/html",
                            ".json" => "application/json",
                            ".glb" => "model/gltf-binary",
                            _ => "image/x-exr",
                        },
                        file.EndsWith(".html", StringComparison.Ordinal) ? null : Path.GetFileName(file)
                    )
                    : Results.NotFound(); // a sheet is read, not taken down
            })
            .ExcludeFromDescription();
    }
}
