using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>A rigid body that may fall.</summary>
/// <param name="Hull">About its centre of mass.</param>
/// <param name="Inertia">About that, kg m².</param>
public sealed record FallingBody(string Name, ConvexHull Hull, double Mass, Matrix3 Inertia, BodyState Start)
{
    public double Friction { get; init; } = 0.6;

    /// <summary>Restitution, 0..1.</summary>
    public double Bounce { get; init; } = 0.1;

    /// <summary>The frame at which it is let go; null: with all others. Until then it stands.</summary>
    public int? From { get; init; }

    /// <summary>So much later still, seconds: at the next frame.</summary>
    public double LateSeconds { get; init; }

    /// <summary>It stands for ever, whatever strikes it.</summary>
    public bool IsFixed { get; init; }

    /// <summary>
    /// It goes this way whatever it meets, and pushes that: it is fixed to all that falls, and passes through the set. Null: it goes by its
    /// own weight.
    /// </summary>
    public CarriedPath? Carried { get; init; }

    /// <summary>From this frame on it lies still; null: when it comes to rest.</summary>
    public int? Until { get; init; }

    /// <summary>It hangs on this point of the world, by the spot of it that is there at first; null: on nothing.</summary>
    public Vec3? HangsOn { get; init; }

    /// <summary>It stands until what it hangs together with is struck harder than this, N s; null: it is loose.</summary>
    public double? Glue { get; init; }
}
