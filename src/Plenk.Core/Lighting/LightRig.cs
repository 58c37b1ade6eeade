using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting;

/// <summary>
/// A way from a surface to a light: the unit direction, how far the light is along it (+∞: beyond everything), the irradiance that it
/// brings if nothing is in between (cosine, falloff and density counted), and Factor, its share of a uniform sky (1 for lights that are
/// none). Factor 0: facing away, or closed by the set.
/// </summary>
public readonly record struct LightSample(Vector3 Direction, float Factor, Vector3 Irradiance, float Distance);

/// <summary>A light in the form rays need it.</summary>
public abstract class SampledLight(Light light)
{
    public string Id => light.Id;
    public bool CastsShadow => light.CastsShadow;
    public LightKind Kind => light.Kind;
    public bool InPlate => light.InPlate;
    public bool LightsSet => light.LightsSet;
    public bool LightsElements => light.LightsElements;

    /// <summary>It comes from all over: one ray tells little of it, and a mirror shows it by itself.</summary>
    public bool IsAround => Kind is LightKind.Sky or LightKind.Panorama;

    /// <summary>A sky that casts shadows: smooth enough that what an element keeps of it can be aimed at.</summary>
    public bool IsSky => Kind == LightKind.Sky && light.CastsShadow;

    /// <summary>One way towards it; the mean over u is the irradiance on a surface with a normal.</summary>
    public LightSample Sample(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings) =>
        // A ray without length meets nothing: so a light shines that casts no shadow.
        light.CastsShadow
            ? Towards(point, normal, u, openings)
            : Towards(point, normal, u, null) with
            {
                Distance = 0,
            };

    protected abstract LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings);

    /// <summary>What is seen of it beyond everything; 0 for lights that stand within.</summary>
    public virtual Vector3 Radiance(Vector3 direction) => default;

    /// <summary>
    /// How densely <see cref="Sample"/> draws a direction, per steradian, for lights from all around that are drawn by their brightness; 0:
    /// another way.
    /// </summary>
    public virtual float Density(Vector3 point, Vector3 normal, Vector3 direction, SkyOpenings? openings) => 0;

    /// <summary>Strength times colour, whichever way the colour is given.</summary>
    public static Vector3 ColourOf(Light l) => (l.Kelvin is { } k ? ColorTemperature.Of(k) : l.Color.ToSingle()) * (float)l.Strength;
}

/// <summary>The lights of a shot made ready: sampled ones, and the fill's irradiance that nothing hides.</summary>
public sealed record LightRig(IReadOnlyList<SampledLight> Sampled, Vector3 FillPlate, Vector3 FillNew)
{
    /// <summary>Panoramas shot in the place, for mirrors.</summary>
    public IReadOnlyList<PlacePicture> Places { get; init; } = [];

    public bool HasNew => FillNew != default || Sampled.Any(l => !l.InPlate);

    /// <summary>Radiance of all that lies beyond the set, in a direction.</summary>
    /// <param name="share">What of each light is counted; null: all.</param>
    public Vector3 Around(Vector3 direction, Func<SampledLight, float>? share = null)
    {
        Vector3 sum = default;
        foreach (SampledLight l in Sampled)
        {
            if (l.LightsElements)
            {
                sum += l.Radiance(direction) * (share?.Invoke(l) ?? 1);
            }
        }
        return sum;
    }

    /// <param name="lights">As they are at a frame.</param>
    /// <param name="panorama">Gives a panorama's picture; null where there are none.</param>
    public static LightRig Of(IEnumerable<Light> lights, Func<Light, Panorama>? panorama = null)
    {
        Light[] all = [.. lights.Where(l => !l.Off && l.Strength > 0)];
        if (all.Any(l => l.Alone))
        {
            all = [.. all.Where(l => l.Alone)];
        }
        var rig = new RigParts(all.FirstOrDefault(l => l.Kind == LightKind.Sun)?.Direction, panorama);
        foreach (Light l in all)
        {
            Vector3 strength = SampledLight.ColourOf(l);
            if (strength == default && l.Kind != LightKind.Sky)
            {
                continue;
            }
            LightForms.Of(l).Into(rig, l, strength);
        }
        return new(rig.Sampled, rig.FillPlate, rig.FillNew) { Places = rig.Places };
    }
}

/// <summary>A rig that is being put together.</summary>
/// <param name="Sun">Where the first sun stands, for skies that hang on it; null: there is none.</param>
/// <param name="Panorama">Gives a panorama's picture; null where there are none.</param>
public sealed record RigParts(Vec3? Sun, Func<Light, Panorama>? Panorama)
{
    public List<SampledLight> Sampled { get; } = [];
    public List<PlacePicture> Places { get; } = [];
    public Vector3 FillPlate { get; set; }
    public Vector3 FillNew { get; set; }
}
