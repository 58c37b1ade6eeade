using System.Numerics;
using Plenk.Core.Contact;

namespace Plenk.Core.Lighting;

/// <summary>What a piece does to light beyond blocking and receiving it.</summary>
public sealed record SetSurface
{
    /// <summary>
    /// How it mirrors elements: reflectivity facing (as Metallic 0, Specular = F0 ÷ 0.04) and roughness; null: it does not.
    /// </summary>
    public Material? Mirror { get; init; }

    /// <summary>By pixel of the frame: how much of it mirrors, 0..1; null: all of it.</summary>
    public float[]? MirrorShare { get; init; }

    /// <summary>It bounces the light that falls on it onto elements, by this albedo; null: it does not.</summary>
    public Vector3? Bounces { get; init; }

    /// <summary>The radiance that a spot of it (point, normal) sends to elements, unseen; null: it sends none.</summary>
    public Func<Vector3, Vector3, Vector3>? Shines { get; init; }

    public bool LightsElements => Bounces is not null || Shines is not null;
}

/// <summary>The surfaces of a set, by piece; null: a piece that does no more than block and receive.</summary>
public sealed record SetSurfaces(IReadOnlyList<SetSurface?> ByPiece)
{
    public bool AnyMirrors { get; } = ByPiece.Any(s => s?.Mirror is not null);
    public bool AnyLightsElements { get; } = ByPiece.Any(s => s is { LightsElements: true });
}
