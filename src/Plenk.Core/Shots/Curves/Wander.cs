using Plenk.Core.Tracing;

namespace Plenk.Core.Shots;

/// <summary>A smooth number in −1..1 that goes on with time.</summary>
public static class Wander
{
    /// <summary>Cubic between values at whole parts of time (Catmull and Rom 1974), of variance about 1/3.</summary>
    public static double At(double t, uint seed)
    {
        int i = (int)Math.Floor(t);
        double u = t - i;
        double Value(int k) => Sampling.Hash((uint)(k + 1_000_000) * 2654435761u ^ seed) / 2147483648.0 - 1;
        return KeyCurve.Hermite(u, Value(i), (Value(i + 1) - Value(i - 1)) / 2, Value(i + 1), (Value(i + 2) - Value(i)) / 2);
    }
}
