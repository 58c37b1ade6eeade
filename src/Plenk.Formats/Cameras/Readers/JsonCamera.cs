using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras.Readers;

/// <summary>A <c>solve.json</c>, or a phone's capture.</summary>
public sealed class JsonCamera : CameraReader
{
    public override string Name => "a solve.json";
    public override IReadOnlyList<string> Extensions => [".json"];

    public override CameraSource Read(byte[] bytes, string name, CameraImport import)
    {
        try
        {
            using JsonDocument json = JsonDocument.Parse(bytes);
            JsonElement root = json.RootElement;
            if (root.TryGetProperty("status", out JsonElement status) && status.GetString() == "failed")
            {
                throw new FormatFault(
                    "file",
                    $"{name} is a solve that failed: {(root.TryGetProperty("reason", out JsonElement r) ? r.GetString() : "no reason given")}",
                    "Solve again."
                );
            }
            int width = root.GetProperty("width").GetInt32(),
                height = root.GetProperty("height").GetInt32();
            double Value(string key) => root.TryGetProperty(key, out JsonElement v) ? v.GetDouble() : 0;
            var samples = new List<CameraSample>();
            foreach (JsonElement f in root.GetProperty("frames").EnumerateArray())
            {
                double frame = f.GetProperty("frame").GetDouble();
                double[] m = [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())];
                double focal = f.GetProperty("focal_px").GetDouble();
                CameraSamples.Check(name, frame, m, focal);
                samples.Add(
                    new(
                        frame,
                        m,
                        focal,
                        f.TryGetProperty("cx", out JsonElement cx) ? cx.GetDouble() : width / 2.0,
                        f.TryGetProperty("cy", out JsonElement cy) ? cy.GetDouble() : height / 2.0
                    )
                );
            }
            return CameraSamples.Finish(
                name,
                import,
                width,
                height,
                new LensValues(Value("k1"), Value("k2"), Value("p1"), Value("p2"), Value("k3")),
                samples
            );
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            throw new FormatFault(
                "file",
                $"{name} does not have the shape of a solve: {e.Message.Split('\n')[0]}",
                "See the camera file notes for the shape."
            );
        }
    }

    /// <summary>A solve, or a phone's capture: samples by time at a rate of its own, matrices in the phone's space.</summary>
    public override RawCamera ReadRaw(byte[] bytes, string name, CameraImport import)
    {
        try
        {
            using JsonDocument json = JsonDocument.Parse(bytes);
            JsonElement root = json.RootElement;
            bool phone = root.TryGetProperty("samples", out JsonElement list);
            if (!phone)
            {
                list = root.GetProperty("frames");
            }
            double rate = phone ? root.GetProperty("rate").GetDouble() : import.Rate.PerSecond;
            var samples = new List<RawCameraSample>();
            foreach (JsonElement s in list.EnumerateArray())
            {
                double at = s.TryGetProperty("frame", out JsonElement f) ? f.GetDouble() : 1 + s.GetProperty("time").GetDouble() * rate;
                var (rotation, place) = CameraSamples.FromSixteen(
                    [.. s.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())],
                    name,
                    at
                );
                samples.Add(new(at, place, rotation, null, s.GetProperty("focal_px").GetDouble()));
            }
            double Value(string key) => root.TryGetProperty(key, out JsonElement v) ? v.GetDouble() : 0;
            return new()
            {
                Samples = samples,
                Width = root.GetProperty("width").GetInt32(),
                Height = root.GetProperty("height").GetInt32(),
                Lens = root.TryGetProperty("k1", out _) ? new(Value("k1"), Value("k2"), Value("p1"), Value("p2"), Value("k3")) : null,
            };
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            throw new FormatFault(
                "file",
                $"{name} does not have the shape of a solve or of a phone's capture: {e.Message.Split('\n')[0]}",
                "See the camera file notes for the shape."
            );
        }
    }
}
