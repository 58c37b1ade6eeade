using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Lights of schema 4 had keys of their own, straight from one to the next; now they are keyed as everything is.</summary>
internal static class LightUpgrade
{
    private sealed record OldKey(int Frame, double? Strength = null, Vec3? Color = null, Vec3? Direction = null, Vec3? Position = null);

    public static void Raise(JsonObject document)
    {
        foreach (JsonObject light in (document["lights"] as JsonArray ?? []).OfType<JsonObject>())
        {
            if (!light.Remove("keys", out JsonNode? node) || node is null || light["id"]?.ToString() is not { } id)
            {
                continue;
            }
            OldKey[] keys = [.. (node.Deserialize<OldKey[]>(ShotJson.Options) ?? []).OrderBy(k => k.Frame)];
            void Keyed(string value, Func<OldKey, CurveKey?> of)
            {
                CurveKey[] own = [.. keys.Select(of).OfType<CurveKey>().Select(k => k with { Handle = KeyHandle.Straight })];
                if (own.Length == 0)
                {
                    return;
                }
                if (document["curves"] is not JsonArray curves)
                {
                    document["curves"] = curves = [];
                }
                curves.Add(
                    JsonSerializer.SerializeToNode(
                        new ValueCurve { Id = $"{ShotCurves.PlaceOf("lights", id)}/{value}", Keys = own },
                        ShotJson.Options
                    )
                );
            }
            Keyed("strength", k => k.Strength is { } v ? new(k.Frame, v) : null);
            Keyed("color", k => k.Color is { } c ? new(k.Frame, Triple: c) : null);
            Keyed("direction", k => k.Direction is { } d ? new(k.Frame, Triple: d.Normalized()) : null);
            Keyed("position", k => k.Position is { } p ? new(k.Frame, Triple: p) : null);
        }
    }
}
