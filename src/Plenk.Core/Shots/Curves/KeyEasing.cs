using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Keys that a value leaves gently, or gently comes to rest at.</summary>
public static class KeyEasing
{
    /// <summary>A handle reaches so far over the way to the next key.</summary>
    private const double Reach = 0.6;

    /// <summary>
    /// The last key up to a frame, left at rest: it takes its time at first, and comes to it as before. Null: there is no way from it.
    /// </summary>
    public static CurveKey? FromHere(ValueCurve curve, int frame)
    {
        CurveKey[] own = [.. curve.Keys.OrderBy(k => k.Frame)];
        int i = Array.FindLastIndex(own, k => k.Frame <= frame);
        if (i < 0 || i == own.Length - 1 || own[i].Name is not null)
        {
            return null;
        }
        CurveKey key = own[i];
        return key with
        {
            Handle = KeyHandle.Free,
            Before = i == 0 ? null : Present(curve, own[i - 1], key, -1),
            After = Level(key, Reach * (own[i + 1].Frame - key.Frame)),
        };
    }

    /// <summary>The first key from a frame on, come to at rest; it leaves it as before. Null: there is no way to it.</summary>
    public static CurveKey? EndsThere(ValueCurve curve, int frame)
    {
        CurveKey[] own = [.. curve.Keys.OrderBy(k => k.Frame)];
        int i = Array.FindIndex(own, k => k.Frame >= frame);
        if (i <= 0 || own[i].Name is not null)
        {
            return null;
        }
        CurveKey key = own[i];
        bool stays = i == own.Length - 1 || key.Handle == KeyHandle.Held;
        return key with
        {
            Handle = key.Handle == KeyHandle.Held ? KeyHandle.Held : KeyHandle.Free,
            Before = Level(key, -Reach * (key.Frame - own[i - 1].Frame)),
            After = stays ? null : Present(curve, key, own[i + 1], 1),
        };
    }

    private static CurveHandle Level(CurveKey key, double frames) => new(frames, 0) { Triple = key.Triple is null ? null : default(Vec3) };

    /// <summary>The handle on one side of a key that goes on as the curve does now: a third of the way, by its slope there.</summary>
    private static CurveHandle Present(ValueCurve curve, CurveKey a, CurveKey b, int side)
    {
        const double near = 1e-4;
        CurveKey key = side < 0 ? b : a;
        if (key.Handle == KeyHandle.Free && (side < 0 ? key.Before : key.After) is { } own)
        {
            return own;
        }
        double third = side * (b.Frame - a.Frame) / 3.0,
            times = third / (side * near);
        return key.Triple is { } t
            ? new(third, 0) { Triple = times * (curve.TripleAt(key.Frame + side * near)!.Value - t) }
            : new(third, times * (curve.NumberAt(key.Frame + side * near)!.Value - key.Value!.Value));
    }
}
