using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// Letters of a text as things of their own: how far each stands off its place in the line, keyed once for all of them; they do it one after
/// another, and each a little differently. In the text's own space: x along the line, y up, z towards who reads it.
/// </summary>
public sealed record LetterMotion : Extensible
{
    public Vec3 ShiftMetres { get; init; }

    /// <summary>About each letter's own pivot: tilt (x), heading (y), roll (z).</summary>
    public Vec3 RotationYxzDegrees { get; init; }
    public double Scale { get; init; } = 1;
    public LetterPivot Pivot { get; init; }

    /// <summary>So much later than the one before it, frames.</summary>
    public double LaterFrames { get; init; }
    public LetterOrder Order { get; init; }

    /// <summary>Each starts by up to so many frames later still.</summary>
    public double UnevenFrames { get; init; }

    /// <summary>Each goes and turns by up to this share more or less than is keyed, 0..1.</summary>
    public double UnevenShare { get; init; }
    public int Seed { get; init; } = 1;
}
