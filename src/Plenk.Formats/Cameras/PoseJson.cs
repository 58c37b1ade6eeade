using System.Text.Json;
using Plenk.Core.Geometry;

namespace Plenk.Formats.Cameras;

/// <summary>Placements in JSON, as all our files have them.</summary>
internal static class PoseJson
{
    /// <summary>16 numbers, row by row.</summary>
    internal static void WritePose(this Utf8JsonWriter w, string name, Pose pose)
    {
        w.WriteStartArray(name);
        foreach (double v in pose.ToRowMajor16())
        {
            w.WriteNumberValue(v);
        }
        w.WriteEndArray();
    }
}
