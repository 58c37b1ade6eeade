using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A thing trembles about where it is, in the frame that it hangs in; the same seed trembles alike.</summary>
public sealed record Shake : Extensible
{
    /// <summary>How far, by axis: the usual deviation (root of the mean square), metres.</summary>
    public Vec3 Metres { get; init; }

    /// <summary>The same for its turn, degrees.</summary>
    public Vec3 Degrees { get; init; }

    /// <summary>How often it goes another way, times a second.</summary>
    public double PerSecond { get; init; } = 4;
    public int Seed { get; init; }

    /// <summary>How far it is off its place and its turn at a moment, seconds.</summary>
    public (Vec3 Metres, Vec3 Degrees) At(double seconds)
    {
        double t = seconds * PerSecond;
        Vec3 Off(Vec3 size, uint first)
        {
            // Even numbers in −1..1 have the mean square 1/3, and those between them, over a span, 57/70 of it.
            double Of(double s, uint axis) => s == 0 ? 0 : s * Math.Sqrt(70 / 19.0) * Wander.At(t, 3266489917u * (uint)Seed + first + axis);
            return new(Of(size.X, 0), Of(size.Y, 1), Of(size.Z, 2));
        }
        return (Off(Metres, 11), Off(Degrees, 17));
    }
}
