using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting;

/// <summary>A light in the form rays need it: direction and cone for a sun; irradiance strength for a sun, π · radiance for a sky.</summary>
public readonly record struct SampledLight(LightKind Kind, Vector3 Strength, Vector3 Direction, float CosHalfAngle, bool InPlate);

/// <summary>The lights of a shot made ready: sampled ones, and the fill's irradiance that nothing hides.</summary>
public sealed record LightRig(IReadOnlyList<SampledLight> Sampled, Vector3 FillPlate, Vector3 FillNew)
{
    public bool HasNew => FillNew != default || Sampled.Any(l => !l.InPlate);

    /// <summary>Mean radiance of the sky lights, for rays that leave the set.</summary>
    public Vector3 SkyRadiance => Sampled.Where(l => l.Kind == LightKind.Sky).Aggregate(Vector3.Zero, (sum, l) => sum + l.Strength / MathF.PI);

    public static LightRig Of(IEnumerable<Light> lights)
    {
        var sampled = new List<SampledLight>();
        Vector3 plate = default, added = default;
        foreach (Light l in lights)
        {
            Vector3 strength = (l.Color * l.Strength).ToSingle();
            if (l.Off || strength == default) { continue; }
            switch (l.Kind)
            {
                case LightKind.Sun:
                    float cos = (float)Math.Cos(Rotations.Radians(l.AngularDiameterDegrees / 2));
                    sampled.Add(new(l.Kind, strength, l.Direction.Normalized().ToSingle(), cos, l.InPlate));
                    break;
                case LightKind.Sky:
                    sampled.Add(new(l.Kind, strength * MathF.PI, default, 0, l.InPlate));
                    break;
                default:
                    if (l.InPlate) { plate += strength * MathF.PI; } else { added += strength * MathF.PI; }
                    break;
            }
        }
        return new(sampled, plate, added);
    }
}
