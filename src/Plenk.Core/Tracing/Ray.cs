using System.Numerics;

namespace Plenk.Core.Tracing;

/// <summary>Origin + t · Direction for t in (TMin, TMax). The direction need not be of unit length; t counts in its lengths.</summary>
public readonly record struct Ray(Vector3 Origin, Vector3 Direction, float TMin, float TMax)
{
    public Ray(Vector3 origin, Vector3 direction)
        : this(origin, direction, 0, float.PositiveInfinity) { }

    public Vector3 At(float t) => Origin + t * Direction;

    /// <summary>On from behind what it met: past it by more than a crossing is rounded.</summary>
    public Ray Beyond(in Hit hit) => this with { TMin = MathF.BitIncrement(hit.T + 1e-5f * (1 + hit.T)) };

    /// <summary>From a place, in a direction: one that is not meets nothing, and no tree is walked for it.</summary>
    public bool IsFinite => float.IsFinite(Origin.X + Origin.Y + Origin.Z + Direction.X + Direction.Y + Direction.Z);
}

/// <summary>The nearest crossing: U and V are the barycentric weights of the triangle's second and third corner.</summary>
public readonly record struct Hit(float T, float U, float V, int Triangle, int Instance)
{
    public static readonly Hit None = new(float.PositiveInfinity, 0, 0, -1, -1);

    public bool IsHit => Triangle >= 0;
}
