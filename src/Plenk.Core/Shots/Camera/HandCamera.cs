using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A camera that is set by hand, in the world, metres: each of its values may be keyed. The samples of its <see cref="CameraSource"/> are
/// made from it: <see cref="HandPath"/>.
/// </summary>
public sealed record HandCamera : Extensible
{
    /// <summary>How high an eye stands above the floor, metres; common practice, no source.</summary>
    public const double EyeMetres = 1.6;

    public Vec3 Position { get; init; } = new(0, EyeMetres, 4);

    /// <summary>Its tilt (x, up is positive), heading (y, to the left) and roll (z), degrees: <see cref="Rotations.FromEulerYxzDegrees"/>.</summary>
    public Vec3 RotationYxzDegrees { get; init; }

    /// <summary>Against the plate's sensor.</summary>
    public double FocalMm { get; init; } = 35;

    /// <summary>What it is turned to, whatever its tilt and heading; null: nothing.</summary>
    public Aim? AimsAt { get; init; }
    public Shake? Shake { get; init; }

    /// <summary>A rectangle of the place whose corners were laid on the picture; null: none.</summary>
    public HandRectangle? Rectangle { get; init; }
}
