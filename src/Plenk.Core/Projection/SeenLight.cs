using System.Numerics;

namespace Plenk.Core.Projection;

/// <summary>Irradiance, linear RGB, at a spot of a piece as it stands in the frame looked at, with its face's normal.</summary>
/// <param name="index">Number of the sample, and what it is drawn from.</param>
public delegate Vector3 SpotLight(Vector3 point, Vector3 normal, int piece, uint index, uint seed);

/// <summary>
/// The light on pieces that are not shown as filmed: what they wear is multiplied by light now ÷ light then; own colour by light now ÷ π.
/// </summary>
/// <param name="Now">From the lights that the plate was shot in, in the frame looked at.</param>
/// <param name="Then">The same, by projection, in its picture's frame.</param>
/// <param name="BakedThen">The same, by piece, when its own textures were filmed; null: it is not known.</param>
/// <param name="IsOwnColour">By projection: where the shot's lights light it, it is the piece's own colour.</param>
public sealed record SeenLight(
    SpotLight Now,
    IReadOnlyList<SpotLight> Then,
    IReadOnlyList<SpotLight?> BakedThen,
    IReadOnlyList<bool> IsOwnColour
)
{
    /// <summary>New light makes nothing more than so many times as bright as it was filmed: what lay in the dark tells little.</summary>
    private const float Most = 16;

    /// <summary>Light now ÷ light then, by channel; 1 where none is known to have fallen.</summary>
    public static Vector3 Ratio(Vector3 now, Vector3 then) => new(Ratio(now.X, then.X), Ratio(now.Y, then.Y), Ratio(now.Z, then.Z));

    // Equal sums are the same light: the ratio is then exactly 1.
    private static float Ratio(float now, float then) => now == then || !(then > 0) ? 1 : MathF.Min(Most, now / then);
}
