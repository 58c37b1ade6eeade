using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>How an element is let go, and falls onto the set and onto others by itself.</summary>
public sealed record LetGo : Extensible
{
    /// <summary>Up to this frame it is where it is put or keyed; with the speed that its keys give it there it goes on.</summary>
    public int AtFrame { get; init; }

    /// <summary>From this frame on it lies still, wherever it is; null: when it comes to rest.</summary>
    public int? RestFrame { get; init; }
    public double DensityKgM3 { get; init; } = 700;
    public double Friction { get; init; } = 0.6;

    /// <summary>Restitution, 0..1.</summary>
    public double Bounce { get; init; } = 0.2;

    /// <summary>What it is given besides, m/s in the world.</summary>
    public Vec3 Speed { get; init; }

    /// <summary>And by so much about each of the world’s axes, ° a second.</summary>
    public Vec3 SpinDegrees { get; init; }

    /// <summary>A push, newton seconds; where: in the world; null: at its middle.</summary>
    public Vec3 ImpulseNs { get; init; }
    public Vec3? ImpulseAt { get; init; }

    /// <summary>Its keys after this frame were made by its fall; null: it has not fallen yet.</summary>
    public int? FellFrom { get; init; }
}
