using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Values between keys: held before the first and after the last.</summary>
public static class KeyCurve
{
    /// <summary>A number at a frame; null where no key has it.</summary>
    public static double? At<T>(IReadOnlyList<T> keys, double frame, Func<T, int> at, Func<T, double?> of, Func<T, KeyEase> ease)
    {
        (int Frame, double Value, KeyEase Ease)[] own =
        [
            .. keys.Where(k => of(k) is not null).OrderBy(at).Select(k => (at(k), of(k)!.Value, ease(k))),
        ];
        if (own.Length == 0)
        {
            return null;
        }
        int after = Array.FindIndex(own, k => k.Frame > frame);
        if (after == 0)
        {
            return own[0].Value;
        }
        if (after < 0)
        {
            return own[^1].Value;
        }
        var (a, b) = (own[after - 1], own[after]);
        double span = b.Frame - a.Frame,
            t = (frame - a.Frame) / span;
        return a.Ease switch
        {
            KeyEase.Held => a.Value,
            KeyEase.Eased => a.Value + Bezier(t, 0.42, 0, 0.58, 1) * (b.Value - a.Value),
            KeyEase.Smooth => Hermite(t, a.Value, Tangent(own, after - 1) * span, b.Value, Tangent(own, after) * span),
            _ => a.Value + t * (b.Value - a.Value),
        };
    }

    /// <summary>The same for a place.</summary>
    public static Vec3? At<T>(IReadOnlyList<T> keys, double frame, Func<T, int> at, Func<T, Vec3?> of, Func<T, KeyEase> ease) =>
        At(keys, frame, at, k => of(k)?.X, ease) is { } x
            ? new(x, At(keys, frame, at, k => of(k)?.Y, ease)!.Value, At(keys, frame, at, k => of(k)?.Z, ease)!.Value)
            : null;

    /// <summary>Change a frame at a key: the finite difference over its neighbours; 0 at the ends.</summary>
    private static double Tangent((int Frame, double Value, KeyEase Ease)[] keys, int i) =>
        i == 0 || i == keys.Length - 1 ? 0 : (keys[i + 1].Value - keys[i - 1].Value) / (keys[i + 1].Frame - keys[i - 1].Frame);

    /// <summary>Cubic Hermite; tangents over the whole span.</summary>
    public static double Hermite(double t, double p0, double m0, double p1, double m1)
    {
        double t2 = t * t,
            t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * p0 + (t3 - 2 * t2 + t) * m0 + (-2 * t3 + 3 * t2) * p1 + (t3 - t2) * m1;
    }

    /// <summary>A cubic Bézier through (0, 0) and (1, 1) whose x is time: y at x (CSS Easing Functions Level 1).</summary>
    public static double Bezier(double x, double x1, double y1, double x2, double y2) => BezierValue(x, x1, y1, x2, y2, 0, 1);

    /// <summary>The same through (0, from) and (1, to). Both middle points lie within 0..1 of time, so that it never runs backwards.</summary>
    public static double BezierValue(double x, double x1, double y1, double x2, double y2, double from, double to)
    {
        static double Of(double s, double p0, double p1, double p2, double p3)
        {
            double r = 1 - s;
            return r * r * r * p0 + 3 * r * r * s * p1 + 3 * r * s * s * p2 + s * s * s * p3;
        }
        double low = 0,
            high = 1;
        for (int i = 0; i < 60; i++)
        {
            double mid = (low + high) / 2;
            if (Of(mid, 0, x1, x2, 1) < x)
            {
                low = mid;
            }
            else
            {
                high = mid;
            }
        }
        return Of((low + high) / 2, from, y1, y2, to);
    }
}
