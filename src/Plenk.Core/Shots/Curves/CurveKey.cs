namespace Plenk.Core.Shots;

/// <summary>The end of a handle, seen from its key: how many frames away, and how much higher.</summary>
public sealed record CurveHandle(double Frames, double Value)
{
    /// <summary>The same of three numbers; null: level.</summary>
    public Geometry.Vec3? Triple { get; init; }
}

/// <summary>
/// What a value is at a frame: a number, three of them, or a name (one of several). Yes and no are 1 and 0; whole numbers are rounded.
/// </summary>
public sealed record CurveKey(
    int Frame,
    double? Value = null,
    Geometry.Vec3? Triple = null,
    string? Name = null,
    KeyHandle Handle = KeyHandle.Smooth
)
{
    /// <summary>
    /// Of a free key: where its handles end; null: a third of the way on, level. A held key may have one before it.
    /// </summary>
    public CurveHandle? Before { get; init; }
    public CurveHandle? After { get; init; }
}
