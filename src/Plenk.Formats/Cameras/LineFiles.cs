using System.Text.Json;
using Plenk.Core.Solving;

namespace Plenk.Formats.Cameras;

/// <summary>Lines drawn on a still, in (docs/camera-files.md), and the camera found from them, out.</summary>
public static class LineFiles
{
    public static LineScene Read(byte[] bytes, string name)
    {
        try
        {
            using JsonDocument json = JsonDocument.Parse(bytes);
            JsonElement root = json.RootElement;
            static double[] Numbers(JsonElement e, int count, string what)
            {
                double[] v = [.. e.EnumerateArray().Select(n => n.GetDouble())];
                return v.Length == count ? v : throw new FormatException($"{what} has {v.Length} numbers; {count} are needed");
            }
            var families = root.GetProperty("families")
                .EnumerateArray()
                .Select(f =>
                {
                    string axis = f.GetProperty("axis").GetString() ?? "";
                    if (axis is not ("x" or "y" or "z"))
                    {
                        throw new FormatException($"“{axis}” is not one of the axes x, y, z");
                    }
                    return new LineFamily(
                        axis[0],
                        [
                            .. f.GetProperty("lines")
                                .EnumerateArray()
                                .Select(
                                    (l, i) =>
                                    {
                                        double[] n = Numbers(l, 4, $"line {i + 1} along {axis}");
                                        return new DrawnLine(n[0], n[1], n[2], n[3]);
                                    }
                                ),
                        ]
                    );
                })
                .ToList();
            StillLength? length = null;
            if (root.TryGetProperty("length", out JsonElement known) && known.ValueKind == JsonValueKind.Object)
            {
                double[] from = Numbers(known.GetProperty("from"), 2, "the known length's beginning"),
                    to = Numbers(known.GetProperty("to"), 2, "the known length's end");
                char? along =
                    known.TryGetProperty("along", out JsonElement a) && a.GetString() is { } lies
                        ? lies switch
                        {
                            "x" or "y" or "z" => lies[0],
                            "floor" => 'f',
                            _ => throw new FormatException($"a length lies along x, y, z or floor, not “{lies}”"),
                        }
                        : null;
                length = new(from[0], from[1], to[0], to[1], known.GetProperty("metres").GetDouble(), along);
            }
            (double, double)? origin = null;
            if (root.TryGetProperty("origin", out JsonElement o) && o.ValueKind == JsonValueKind.Array)
            {
                double[] at = Numbers(o, 2, "the origin");
                origin = (at[0], at[1]);
            }
            return new LineScene(root.GetProperty("width").GetInt32(), root.GetProperty("height").GetInt32(), families)
            {
                Origin = origin,
                Length = length,
            };
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            throw new FormatFault(
                "file",
                $"{name} does not have the shape of drawn lines: {e.Message.Split('\n')[0]}",
                "See the camera file notes for the shape."
            );
        }
    }

    /// <summary>The same shape as any solve, with one frame; what is beyond it stands beside it.</summary>
    public static byte[] Write(LineCameraResult r, int width, int height, int frame)
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
            if (r.Pinhole is { } p)
            {
                w.WriteNumber("rms_px", r.RmsPx);
                w.WriteNumber("k1", 0);
                w.WriteNumber("k2", 0);
                w.WriteNumber("focal_px_sd", r.FocalDoubtPx);
                w.WriteNumber("rotation_sd_degrees", r.TurnDoubtDegrees);
                if (r.PrincipalPoint is { } c)
                {
                    w.WriteStartObject("principal_point");
                    w.WriteNumber("cx", c.X);
                    w.WriteNumber("cy", c.Y);
                    w.WriteNumber("sd_px", c.DoubtPx);
                    w.WriteBoolean("used", r.PrincipalPointMoved);
                    w.WriteEndObject();
                }
                if (r.MeasuredAlong is { } along)
                {
                    w.WriteString("length_along", along == 'f' ? "floor" : along.ToString());
                }
                w.WriteStartArray("frames");
                w.WriteStartObject();
                w.WriteNumber("frame", frame);
                w.WritePose("camera_to_world", r.CameraToWorld);
                w.WriteNumber("focal_px", p.Fx);
                w.WriteNumber("cx", p.Cx);
                w.WriteNumber("cy", p.Cy);
                w.WriteNumber("rms_px", r.RmsPx);
                w.WriteEndObject();
                w.WriteEndArray();
                // A still has lines instead of tracks.
                w.WriteStartObject("tracks");
                w.WriteNumber("used", 0);
                w.WriteNumber("left_out", 0);
                w.WriteEndObject();
            }
            w.WriteEndObject();
        }
        return stream.ToArray();
    }
}
