using System.Text.Json.Serialization;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>One value of the shot over its frames, whatever it is a value of.</summary>
public sealed record ValueCurve : Extensible
{
    /// <summary>The place of the value in the document, as edits name it: “finish/steps/haze_1/strength”.</summary>
    public required string Id { get; init; }
    public IReadOnlyList<CurveKey> Keys { get; init; } = [];

    /// <summary>Its three numbers are angles of a turn.</summary>
    [JsonIgnore]
    public bool IsTurn => Id.EndsWith("/rotationYxzDegrees", StringComparison.Ordinal);

    /// <summary>A number at a frame, or between two; held before the first key and after the last. Null: no key has one.</summary>
    public double? NumberAt(double frame) => At(frame, k => k.Value, h => h.Value);

    /// <summary>The same of three numbers, each by itself.</summary>
    public Vec3? TripleAt(double frame) =>
        At(frame, k => k.Triple?.X, h => h.Triple?.X ?? 0) is { } x
            ? new(x, At(frame, k => k.Triple?.Y, h => h.Triple?.Y ?? 0)!.Value, At(frame, k => k.Triple?.Z, h => h.Triple?.Z ?? 0)!.Value)
            : null;

    /// <summary>The name at a frame: it stays until the next key.</summary>
    public string? NameAt(double frame)
    {
        CurveKey[] own = [.. Keys.Where(k => k.Name is not null).OrderBy(k => k.Frame)];
        return (own.LastOrDefault(k => k.Frame <= frame) ?? own.FirstOrDefault())?.Name;
    }

    private double? At(double frame, Func<CurveKey, double?> of, Func<CurveHandle, double> high)
    {
        CurveKey[] own = [.. Keys.Where(k => of(k) is not null).OrderBy(k => k.Frame)];
        if (own.Length == 0)
        {
            return null;
        }
        int after = Array.FindIndex(own, k => k.Frame > frame);
        if (after <= 0)
        {
            return of(own[after == 0 ? 0 : ^1]);
        }
        CurveKey a = own[after - 1],
            b = own[after];
        double from = of(a)!.Value,
            to = of(b)!.Value,
            span = b.Frame - a.Frame,
            x = (frame - a.Frame) / span;
        // At a key it is that key's value, to the bit.
        if (a.Handle == KeyHandle.Held || a.Frame == frame)
        {
            return from;
        }
        // A cubic Bézier over the span: where its two middle points are, in shares of the span and in values.
        CurveHandle Of(CurveKey k, int i, CurveHandle? own, int side)
        {
            if (k.Handle == KeyHandle.Free || (k.Handle == KeyHandle.Held && own is not null))
            {
                // Time never runs backwards: a handle ends within the span.
                return own is null ? new(1 / 3.0, 0) : new(Math.Clamp(side * own.Frames / span, 0, 1), high(own));
            }
            double slope = k.Handle switch
            {
                KeyHandle.Straight => (to - from) / span,
                KeyHandle.Smooth => Tangent(i),
                _ => 0,
            };
            return new(1 / 3.0, side * slope * span / 3);
        }
        double Slope(int i) => (of(own[i + 1])!.Value - of(own[i])!.Value) / (own[i + 1].Frame - own[i].Frame);
        // Fritsch and Carlson, "Monotone piecewise cubic interpolation" (1980), by the weighted harmonic mean of Fritsch and Butland (1984).
        double Tangent(int i)
        {
            if (i == 0 || i == own.Length - 1)
            {
                return 0;
            }
            double s0 = Slope(i - 1),
                s1 = Slope(i);
            if (!(s0 * s1 > 0))
            {
                return 0;
            }
            double h0 = own[i].Frame - own[i - 1].Frame,
                h1 = own[i + 1].Frame - own[i].Frame;
            return 3 * (h0 + h1) / ((2 * h1 + h0) / s0 + (h1 + 2 * h0) / s1);
        }
        CurveHandle out1 = Of(a, after - 1, a.After, 1),
            in2 = Of(b, after, b.Before, -1);
        return KeyCurve.BezierValue(x, out1.Frames, from + out1.Value, 1 - in2.Frames, to + in2.Value, from, to);
    }
}
