using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A sphere of air that a step is kept to: about a place, a light or an element, and growing if it is to.</summary>
public sealed record AirSphere : Extensible
{
    /// <summary>Id of the light or the element in whose middle it is; null: at <see cref="Place"/>.</summary>
    public string? On { get; init; }
    public Vec3 Place { get; init; }
    public double RadiusMetres { get; init; } = 1;

    /// <summary>It is as large at this frame, and not there before; null: it is always there.</summary>
    public int? From { get; init; }
    public double MetresPerSecond { get; init; }

    /// <summary>After so many seconds it is gone; 0: it stays.</summary>
    public double FadesOverSeconds { get; init; }

    /// <summary>Only its shell counts: a wave that goes out.</summary>
    public bool Shell { get; init; }

    /// <summary>What is seen in it counts, and not the air before that: a spot that lies on the place, its edge so many metres wide.</summary>
    public bool Lies { get; init; }
    public double SoftMetres { get; init; } = 0.2;
}
