using System.Text.Json;
using Plenk.Core.Solving;

namespace Plenk.Formats.Cameras;

/// <summary>How a thing moves, out: <c>object.json</c> (docs/camera-files.md).</summary>
public static class ObjectFile
{
    public static byte[] Write(ObjectResult r)
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
            else
            {
                w.WriteNumber("rms_px", r.RmsPx);
                w.WriteString("size_by", r.SizeBy);
                w.WriteNumber("size_sd", r.SizeDoubt);
                w.WriteStartObject("tracks");
                w.WriteNumber("used", r.Points.Count);
                w.WriteNumber("left_out", r.LeftOut.Count);
                w.WriteEndObject();
                w.WriteStartArray("frames");
                foreach (ObjectFrame f in r.Frames)
                {
                    w.WriteStartObject();
                    w.WriteNumber("frame", f.Frame);
                    w.WritePose("object_to_world", f.ObjectToWorld);
                    w.WriteNumber("rms_px", f.RmsPx);
                    w.WriteEndObject();
                }
                w.WriteEndArray();
                w.WriteStartArray("points");
                foreach (SolvedPoint p in r.Points)
                {
                    w.WriteStartArray();
                    w.WriteNumberValue(p.Position.X);
                    w.WriteNumberValue(p.Position.Y);
                    w.WriteNumberValue(p.Position.Z);
                    w.WriteEndArray();
                }
                w.WriteEndArray();
            }
            w.WriteEndObject();
        }
        return stream.ToArray();
    }
}
