using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Elements of schema 3 turned about one axis, and had keys of their own; now they turn about three, and are keyed as everything is.</summary>
internal static class ElementUpgrade
{
    private sealed record OldKey(
        int Frame,
        Vec3? Position = null,
        double? TurnDegrees = null,
        double? Scale = null,
        KeyEase Ease = KeyEase.Eased,
        double? Opacity = null,
        double? Saturation = null,
        double? Stops = null,
        double? LightStops = null
    );

    public static void Raise(JsonObject document)
    {
        foreach (JsonObject e in (document["elements"] as JsonArray ?? []).OfType<JsonObject>())
        {
            Vec3 up = Taken<Vec3?>(e, "up") ?? Vec3.UnitY;
            Vec3 Turned(double degrees) =>
                up == Vec3.UnitY || !(up.Length > 1e-9)
                    ? new(0, degrees, 0)
                    : Rotations.ToEulerYxzDegrees(
                        Rotations.Between(Vec3.UnitY, up.Normalized()) * Rotations.AboutY(Rotations.Radians(degrees))
                    );
            e["rotationYxzDegrees"] = Node(Turned(Taken<double?>(e, "turnDegrees") ?? 0));
            OldKey[] keys = [.. (Taken<OldKey[]?>(e, "keys") ?? []).OrderBy(k => k.Frame)];
            if (keys.Length == 0 || e["id"]?.ToString() is not { } id)
            {
                continue;
            }
            if (document["curves"] is not JsonArray curves)
            {
                document["curves"] = curves = [];
            }
            void Keyed(string value, bool triple, Func<OldKey, Vec3?> of)
            {
                (int, Vec3, KeyEase)[] own = [.. keys.Where(k => of(k) is not null).Select(k => (k.Frame, of(k)!.Value, k.Ease))];
                if (own.Length > 0)
                {
                    curves.Add(Node(new ValueCurve { Id = $"{ShotCurves.PlaceOf("elements", id)}/{value}", Keys = Curve(own, triple) }));
                }
            }
            static Vec3? Number(double? v) => v is { } n ? new(n, 0, 0) : null;
            Keyed("position", true, k => k.Position);
            Keyed("rotationYxzDegrees", true, k => k.TurnDegrees is { } t ? Turned(t) : null);
            Keyed("scale", false, k => Number(k.Scale));
            Keyed("opacity", false, k => Number(k.Opacity));
            Keyed("saturation", false, k => Number(k.Saturation));
            Keyed("stops", false, k => Number(k.Stops));
            Keyed("lightStops", false, k => Number(k.LightStops));
        }
    }

    private static JsonNode? Node<T>(T value) => JsonSerializer.SerializeToNode(value, ShotJson.Options);

    private static T? Taken<T>(JsonObject e, string member) =>
        e.Remove(member, out JsonNode? node) && node is not null ? node.Deserialize<T>(ShotJson.Options) : default;

    /// <summary>The same values at all times: what an ease was from a key to the next is now in the handles of both.</summary>
    private static CurveKey[] Curve((int Frame, Vec3 Value, KeyEase Ease)[] keys, bool triple)
    {
        CurveHandle Handle(double frames, Vec3 by) => triple ? new(frames, 0) { Triple = by } : new(frames, by.X);
        // Catmull–Rom for uneven times, level at the ends.
        Vec3 Tangent(int i) =>
            i == 0 || i == keys.Length - 1 ? Vec3.Zero : (keys[i + 1].Value - keys[i - 1].Value) / (keys[i + 1].Frame - keys[i - 1].Frame);
        CurveHandle? Side(int a, int of)
        {
            double span = keys[a + 1].Frame - keys[a].Frame;
            int side = of == a ? 1 : -1;
            return keys[a].Ease switch
            {
                KeyEase.Straight => Handle(side * span / 3, side * (keys[a + 1].Value - keys[a].Value) / 3),
                KeyEase.Smooth => Handle(side * span / 3, side * span / 3 * Tangent(of)),
                KeyEase.Eased => Handle(side * 0.42 * span, Vec3.Zero),
                _ => null,
            };
        }
        return
        [
            .. keys.Select(
                (k, i) =>
                    new CurveKey(
                        k.Frame,
                        triple ? null : k.Value.X,
                        triple ? k.Value : null,
                        Handle: k.Ease == KeyEase.Held ? KeyHandle.Held : KeyHandle.Free
                    )
                    {
                        Before = i > 0 ? Side(i - 1, i) : null,
                        After = i + 1 < keys.Length ? Side(i, i) : null,
                    }
            ),
        ];
    }
}
