using System.Numerics;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Looks;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

public sealed record BringRequest(FinishKind? Kind = null);

/// <summary>Step 7: what is measured, and steps that measuring sets.</summary>
public static class FinishApi
{
    /// <summary>Levels of a histogram, and columns of a waveform.</summary>
    private const int Bins = 96, Columns = 160;

    public static void MapFinish(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}").WithTags("Finish");

        // The plate in the region, as it is measured.
        api.MapGet("/finish/measures", async (long id, ShotStore shots, ShotEngine engine) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            FinishRegion region = engine.Finish.Region(shot);
            PlateMeasures m = await Task.Run(() => engine.Finish.Plate(shot));
            return new { region, black = Of(m.Black), white = Of(m.White), edgePx = m.EdgePx, edges = m.Edges, grain = (m.Grain?.Levels ?? []).Select(l => new { level = Of(l.Level), deviation = Of(l.Deviation) }), correlation = m.Grain?.Correlation, seconds = shot.ShutterDegrees };
        });

        // Steps set by measuring; the page saves them, so that they can be undone like anything else.
        api.MapPost("/finish/bring", async (long id, BringRequest request, ShotStore shots, ShotEngine engine, CancellationToken stop) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            FinishWork.Brought brought = await Task.Run(() => engine.Finish.BringToPlate(shot, request.Kind, stop), stop);
            return new { brought.Finish, brought.Notes };
        });

        api.MapPost("/finish/haze", async (long id, ShotStore shots, ShotEngine engine) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            var (step, note) = await Task.Run(() => engine.Finish.FitHaze(shot));
            return new { step, note };
        });

        // Of the plate and of the comp where elements are: how often each level is met, and where across the picture.
        api.MapGet("/frames/{frame:int}/scopes", async (long id, int frame, ShotStore shots, ShotEngine engine, CancellationToken stop) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            int width = Math.Min(480, shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet."));
            return await Task.Run(() =>
            {
                FrameLayers layers = engine.Finish.Frame(shot, frame, width, RenderQuality.Draft, keepWithout: true, dataPasses: false, stop: stop);
                FloatImage plate = engine.Plate(shot, frame, width);
                float[] own = new float[Bins * 3], whole = new float[Bins * 3], wave = new float[Columns * Bins], wavePlate = new float[Columns * Bins];
                int left = width, right = 0;
                for (int i = 0; i < layers.Touched.Length; i++) { if (layers.Held.Data[4 * i + 3] > 0.5f) { (left, right) = (Math.Min(left, i % width), Math.Max(right, i % width)); } }
                for (int i = 0; i < plate.Width * plate.Height; i++)
                {
                    bool element = layers.Held.Data[4 * i + 3] > 0.5f;
                    for (int c = 0; c < 3; c++)
                    {
                        whole[3 * BinOf(plate.Data[3 * i + c]) + c]++;
                        if (element) { own[3 * BinOf(layers.Comp.Data[3 * i + c]) + c]++; }
                    }
                    if (right <= left || i % width < left || i % width > right) { continue; }
                    int column = Math.Min(Columns - 1, (i % width - left) * Columns / (right - left + 1));
                    wavePlate[column * Bins + BinOf(Luminance.Of(plate.Data.AsSpan(3 * i, 3)))]++;
                    if (element) { wave[column * Bins + BinOf(Luminance.Of(layers.Comp.Data.AsSpan(3 * i, 3)))]++; }
                }
                return new { bins = Bins, columns = Columns, element = own, plate = whole, wave, wavePlate, any = right > left };
            }, stop);
        });

        // Means over a box of the picture, linear: plate and comp.
        api.MapGet("/frames/{frame:int}/box", async (long id, int frame, int x, int y, int width, int height, ShotStore shots, ShotEngine engine, CancellationToken stop) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            int full = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet.");
            if (width < 1 || height < 1 || x < 0 || y < 0 || x + width > full || y + height > shot.Plate.Height) { throw new ShotFault("The box must lie within the picture."); }
            return await Task.Run(() =>
            {
                FloatImage comp = shot.Camera is null ? engine.Plate(shot, frame) : engine.Finish.Frame(shot, frame, full, RenderQuality.Middle, dataPasses: false, keep: true, stop: stop).Comp;
                return new { plate = Mean(engine.Plate(shot, frame), x, y, width, height), comp = Mean(comp, x, y, width, height) };
            }, stop);
        });

        // Where the framing stands at every frame, for the rail.
        api.MapGet("/finish/{step}/framing", async (long id, string step, ShotStore shots) =>
        {
            ShotDocument shot = (await ShotApi.Need(shots, id)).Document;
            ReframeSettings settings = shot.Finish.Steps.FirstOrDefault(s => s.Id == step)?.Reframe ?? throw new ShotFault("That step is no longer in the shot.");
            return Enumerable.Range(shot.Range.First, shot.Range.Count).Select(f =>
            {
                var (fx, fy, turn, scale) = Reframing.At(settings with { ShakePixels = 0 }, f, 0, shot.Seed);
                return new { frame = f, x = fx, y = fy, turnDegrees = turn, scale };
            });
        });

        api.MapGet("/finish/{step}/grade.cc", async (long id, string step, ShotStore shots) =>
        {
            Grade cdl = (await ShotApi.Need(shots, id)).Document.Finish.Steps.FirstOrDefault(s => s.Id == step)?.Grade?.Cdl ?? throw new ShotFault("That step has no CDL.");
            return Results.File(CdlFile.Write(cdl.ToCdl(), step), "application/xml", $"{step}.cc");
        });

        api.MapPost("/finish/cdl", async (long id, HttpRequest request) =>
        {
            IFormFile file = (await request.ReadFormAsync()).Files.FirstOrDefault() ?? throw new ShotFault("Choose a CDL file.");
            using var bytes = new MemoryStream();
            await file.CopyToAsync(bytes);
            Cdl c = CdlFile.Read(bytes.ToArray(), file.FileName);
            return new Grade(file.FileName, Core.Geometry.Vec3.From(c.Slope), Core.Geometry.Vec3.From(c.Offset), Core.Geometry.Vec3.From(c.Power), c.Saturation);
        }).DisableAntiforgery();
    }

    private static double[] Of(Vector3 v) => [v.X, v.Y, v.Z];

    /// <summary>By the display's own steps, so that darks have room.</summary>
    private static int BinOf(float linear) => Math.Clamp((int)(ColorEncodings.LinearToSrgb(MathF.Max(0, linear)) * (Bins - 8)), 0, Bins - 1);

    private static double[] Mean(FloatImage image, int x, int y, int width, int height)
    {
        var sum = new double[3];
        for (int v = y; v < y + height; v++) { for (int u = x; u < x + width; u++) { for (int c = 0; c < 3; c++) { sum[c] += image[u, v, c]; } } }
        return [.. sum.Select(s => s / (width * (double)height))];
    }
}
