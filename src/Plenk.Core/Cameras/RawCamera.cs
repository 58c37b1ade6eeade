using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>What a file's focal values are.</summary>
public enum FocalUnit
{
    Pixels,
    Millimetres,

    /// <summary>A full angle in degrees, across the width or the height: which, is found.</summary>
    Degrees,
}

/// <summary>
/// A sample of a camera from elsewhere, as the file has it: a place, and a rotation as a matrix or as three angles about x, y
/// and z of unknown order and unit.
/// </summary>
public sealed record RawCameraSample(double Frame, Vec3 Position, Matrix3? Rotation, Vec3? Angles, double Focal);

/// <summary>A camera from elsewhere before its conventions are known.</summary>
public sealed record RawCamera
{
    public required IReadOnlyList<RawCameraSample> Samples { get; init; }
    public FocalUnit FocalUnit { get; init; }

    /// <summary>Of the picture that focal lengths in pixels refer to; null: the plate's.</summary>
    public int? Width { get; init; }
    public int? Height { get; init; }
    public double SensorWidthMm { get; init; } = 36;
    public double SensorHeightMm { get; init; } = 24;

    /// <summary>Null where the file has none: then k1 is looked for.</summary>
    public Lens? Lens { get; init; }
    public bool HasAngles => Samples.Count > 0 && Samples[0].Angles is not null;
}
