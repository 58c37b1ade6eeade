using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;

namespace Plenk.Formats.Cameras;

/// <summary>What a solve is handed out as (docs/camera-files.md): solve.json, camera.glb, camera.usda, points.ply, tracks.csv.</summary>
public static class SolveFiles
{
    private static string N(double v) => v.ToString("G9", CultureInfo.InvariantCulture);

    /// <summary>File name and contents; a failed solve has only solve.json, which says why.</summary>
    public static IReadOnlyList<(string Name, byte[] Bytes)> Of(
        SolveResult result,
        IReadOnlyList<Track> tracks,
        int width,
        int height,
        double sensorWidthMm,
        double sensorHeightMm,
        FrameRate rate
    )
    {
        var files = new List<(string, byte[])> { ("solve.json", Json(result, width, height)) };
        if (!result.Solved)
        {
            return files;
        }
        var camera = new CameraToHandOver(
            [.. result.Frames.Select(f => (f.Frame, f.CameraToWorld, result.PinholeAt(f)))],
            sensorWidthMm,
            sensorHeightMm,
            rate,
            [],
            []
        );
        files.AddRange(CameraExport.Files(camera).Where(f => f.Name is "camera.glb" or "camera.usda"));
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
            if (!r.Solved)
            {
                w.WriteString("reason", r.Reason);
            }
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
                    w.WritePose("camera_to_world", f.CameraToWorld);
                    w.WriteNumber("focal_px", r.PinholeAt(f).Fx);
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

    private static string Ply(SolveResult r)
    {
        var text = new StringBuilder(
            $"ply\nformat ascii 1.0\ncomment points of a camera solve\nelement vertex {r.Points.Count}\nproperty float x\nproperty "
                + "float y\nproperty float z\nproperty int track\nproperty float rms\nend_header\n"
        );
        foreach (SolvedPoint p in r.Points)
        {
            text.Append(CultureInfo.InvariantCulture, $"{N(p.Position.X)} {N(p.Position.Y)} {N(p.Position.Z)} {p.Track} {N(p.RmsPx)}\n");
        }
        return text.ToString();
    }

    private static string Tracks(SolveResult r, IReadOnlyList<Track> tracks)
    {
        var used = r.Points.Select(p => p.Track).ToHashSet();
        var text = new StringBuilder(CsvFile.Row(["track", "frame", "px", "py", "used"]));
        foreach (Track t in tracks)
        {
            foreach (TrackPoint p in t.Points)
            {
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"{t.Id},{p.Frame},{p.X:0.0000},{p.Y:0.0000},{(used.Contains(t.Id) ? 1 : 0)}\r\n"
                );
            }
        }
        return text.ToString();
    }
}
