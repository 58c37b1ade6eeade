using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras;

/// <summary>What a solve is handed out as (docs/camera-files.md): solve.json, camera.glb, camera.usda, points.ply, tracks.csv.</summary>
public static class SolveFiles
{
    private static string N(double v) => v.ToString("G9", CultureInfo.InvariantCulture);

    /// <summary>File name and contents; a failed solve has only solve.json, which says why.</summary>
    public static IReadOnlyList<(string Name, byte[] Bytes)> Of(SolveResult result, IReadOnlyList<Track> tracks, int width, int height, double sensorWidthMm, double sensorHeightMm, FrameRate rate)
    {
        var files = new List<(string, byte[])> { ("solve.json", Json(result, width, height)) };
        if (!result.Solved) { return files; }
        files.Add(("camera.glb", GltfFile.WriteCamera("camera", [.. result.Frames.Select(f => (f.Frame, f.CameraToWorld))], 2 * Math.Atan(height / (2 * result.Pinhole!.Fy)), width * result.Pinhole.Fy / (height * result.Pinhole.Fx), rate)));
        files.Add(("camera.usda", Encoding.UTF8.GetBytes(Usd(result, sensorWidthMm, sensorHeightMm, rate))));
        files.Add(("points.ply", Encoding.UTF8.GetBytes(Ply(result))));
        files.Add(("tracks.csv", Encoding.UTF8.GetBytes(Tracks(result, tracks))));
        return files;
    }

    private static byte[] Json(SolveResult r, int width, int height)
    {
        using var stream = new MemoryStream();
        using (var w = new Utf8JsonWriter(stream, new JsonWriterOptions { Indented = true }))
        {
            w.WriteStartObject();
            w.WriteString("status", r.Solved ? "solved" : "failed");
            if (!r.Solved) { w.WriteString("reason", r.Reason); }
            w.WriteNumber("width", width);
            w.WriteNumber("height", height);
            if (r.Solved)
            {
                w.WriteString("camera_moves", r.Turning ? "turns" : "travels");
                w.WriteNumber("rms_px", r.RmsPx);
                w.WriteNumber("k1", r.Pinhole!.Lens.K1);
                w.WriteNumber("k2", r.Pinhole.Lens.K2);
                if (r.Report is { } report)
                {
                    w.WriteStartObject("adjustment");
                    w.WriteNumber("start_cost", report.StartCost);
                    w.WriteNumber("end_cost", report.EndCost);
                    w.WriteNumber("start_rms_px", report.StartRms);
                    w.WriteNumber("iterations", report.Iterations);
                    w.WriteString("stopped", report.Stopped);
                    w.WriteEndObject();
                }
                w.WriteStartObject("tracks");
                w.WriteNumber("used", r.TracksUsed);
                w.WriteNumber("left_out", r.LeftOut.Count);
                w.WriteEndObject();
                if (r.HeldOut is { } held)
                {
                    w.WriteStartObject("held_out");
                    w.WriteNumber("tracks", held.Tracks);
                    w.WriteNumber("median_px", held.MedianPx);
                    w.WriteNumber("within_1px", held.WithinOnePx);
                    w.WriteEndObject();
                }
                w.WriteNumber("focal_px_sd", r.FocalDoubtPx);
                w.WriteStartArray("frames");
                foreach (SolvedFrame f in r.Frames)
                {
                    w.WriteStartObject();
                    w.WriteNumber("frame", f.Frame);
                    w.WriteStartArray("camera_to_world");
                    foreach (double v in f.CameraToWorld.ToRowMajor16()) { w.WriteNumberValue(v); }
                    w.WriteEndArray();
                    w.WriteNumber("focal_px", r.Pinhole.Fx);
                    w.WriteNumber("cx", r.Pinhole.Cx);
                    w.WriteNumber("cy", r.Pinhole.Cy);
                    w.WriteNumber("rms_px", f.RmsPx);
                    w.WriteNumber("rotation_sd_degrees", f.TurnDoubtDegrees);
                    w.WriteNumber("position_sd", f.ShiftDoubt);
                    w.WriteEndObject();
                }
                w.WriteEndArray();
            }
            w.WriteEndObject();
        }
        return stream.ToArray();
    }

    /// <summary>A camera with its matrices per frame; row vectors, as USD has them, so the transpose of ours. Apertures and focal length in tenths of the stage's unit.</summary>
    private static string Usd(SolveResult r, double sensorWidthMm, double sensorHeightMm, FrameRate rate)
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"#usda 1.0\n(\n    defaultPrim = \"camera\"\n    metersPerUnit = 1\n    upAxis = \"Y\"\n    startTimeCode = {r.Frames[0].Frame}\n    endTimeCode = {r.Frames[^1].Frame}\n    timeCodesPerSecond = {N(rate.PerSecond)}\n)\n\ndef Camera \"camera\"\n{{\n");
        double focal = r.Pinhole!.Fx * sensorWidthMm / r.Pinhole.Width;
        // One millimetre is 0.001 of a metre; USD counts these in tenths of the unit.
        text.Append(CultureInfo.InvariantCulture, $"    float focalLength = {N(focal / 100)}\n    float horizontalAperture = {N(sensorWidthMm / 100)}\n    float verticalAperture = {N(sensorHeightMm / 100)}\n    matrix4d xformOp:transform.timeSamples = {{\n");
        foreach (SolvedFrame f in r.Frames)
        {
            double[] m = f.CameraToWorld.ToRowMajor16();
            string Row(int c) => $"({N(m[c])}, {N(m[4 + c])}, {N(m[8 + c])}, {N(m[12 + c])})";
            text.Append(CultureInfo.InvariantCulture, $"        {f.Frame}: ( {Row(0)}, {Row(1)}, {Row(2)}, {Row(3)} ),\n");
        }
        return text.Append("    }\n    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n}\n").ToString();
    }

    private static string Ply(SolveResult r)
    {
        var text = new StringBuilder($"ply\nformat ascii 1.0\ncomment points of a camera solve\nelement vertex {r.Points.Count}\nproperty float x\nproperty float y\nproperty float z\nproperty int track\nproperty float rms\nend_header\n");
        foreach (SolvedPoint p in r.Points) { text.Append(CultureInfo.InvariantCulture, $"{N(p.Position.X)} {N(p.Position.Y)} {N(p.Position.Z)} {p.Track} {N(p.RmsPx)}\n"); }
        return text.ToString();
    }

    private static string Tracks(SolveResult r, IReadOnlyList<Track> tracks)
    {
        var used = r.Points.Select(p => p.Track).ToHashSet();
        var text = new StringBuilder(CsvFile.Row(["track", "frame", "px", "py", "used"]));
        foreach (Track t in tracks)
        {
            foreach (TrackPoint p in t.Points) { text.Append(CultureInfo.InvariantCulture, $"{t.Id},{p.Frame},{p.X:0.0000},{p.Y:0.0000},{(used.Contains(t.Id) ? 1 : 0)}\r\n"); }
        }
        return text.ToString();
    }
}
