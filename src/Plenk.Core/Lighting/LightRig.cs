using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

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

    /// <summary>How densely <see cref="Sample"/> draws a direction, per steradian, for lights from all around that are drawn by their brightness; 0: another way.</summary>
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
        var sampled = new List<SampledLight>();
        var places = new List<PlacePicture>();
        Vector3 plate = default,
            added = default;
        Vec3? sun = all.FirstOrDefault(l => l.Kind == LightKind.Sun)?.Direction;
        foreach (Light l in all)
        {
            Vector3 strength = SampledLight.ColourOf(l);
            if (strength == default && l.Kind != LightKind.Sky)
            {
                continue;
            }
            switch (l.Kind)
            {
                case LightKind.Sun:
                    sampled.Add(new SunLight(l));
                    break;
                case LightKind.Sky:
                    sampled.Add(new SkyLight(l, sun));
                    break;
                case LightKind.Point:
                    sampled.Add(new PointLight(l));
                    break;
                case LightKind.Spot:
                    sampled.Add(new PointLight(l));
                    break;
                case LightKind.Rectangle:
                    sampled.Add(new RectangleLight(l));
                    break;
                case LightKind.Panorama when panorama is null:
                    break;
                case LightKind.Panorama when l.ShowsPlace:
                    places.Add(new(l, panorama(l)));
                    break;
                case LightKind.Panorama:
                    sampled.Add(new PanoramaLight(l, panorama(l)));
                    break;
                default:
                    if (l.InPlate)
                    {
                        plate += strength * MathF.PI;
                    }
                    else
                    {
                        added += strength * MathF.PI;
                    }
                    break;
            }
        }
        return new(sampled, plate, added) { Places = places };
    }
}

internal sealed class SunLight(Light light) : SampledLight(light)
{
    private readonly Vector3 _strength = ColourOf(light),
        _direction = light.Direction.Normalized().ToSingle();
    private readonly float _cosHalfAngle = (float)Elementary.Cos(Rotations.Radians(light.AngularDiameterDegrees / 2));

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 d = Sampling.Cone(_direction, _cosHalfAngle, u);
        float cos = Vector3.Dot(normal, d);
        return new(d, cos, _strength * cos, float.PositiveInfinity);
    }
}

internal sealed class SkyLight : SampledLight
{
    private readonly Func<Vector3, Vector3>? _radiance;
    private readonly Vector3 _uniform;
    private readonly float _strength;

    public SkyLight(Light light, Vec3? sun)
        : base(light)
    {
        Light tinted = light.Kelvin is { } k ? light with { Color = Vec3.From(ColorTemperature.Of(k)) } : light;
        _strength = (float)light.Strength;
        _uniform = tinted.Color.ToSingle() * _strength;
        _radiance = light.Sky == SkyKind.Uniform ? null : SkyModel.Of(tinted, sun);
    }

    public override Vector3 Radiance(Vector3 direction) => _radiance is null ? _uniform : _radiance(direction) * _strength;

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        (Vector3 d, float factor) = openings is not null ? openings.Sample(point, normal, u) : (Sampling.CosineHemisphere(normal, u), 1f);
        return new(d, factor, Radiance(d) * (MathF.PI * factor), float.PositiveInfinity);
    }
}

/// <summary>A point, or with a cone a spot: E = I cos θ ÷ d², a spot's edge by ((cos a − cos outer) ÷ (cos inner − cos outer))², glTF's KHR_lights_punctual.</summary>
internal sealed class PointLight(Light light) : SampledLight(light)
{
    private readonly Vector3 _intensity = ColourOf(light),
        _position = light.Position.ToSingle(),
        _axis = -light.Direction.Normalized().ToSingle();
    private readonly float _cosInner = (float)Elementary.Cos(Rotations.Radians(light.InnerDegrees)),
        _cosOuter = (float)Elementary.Cos(Rotations.Radians(light.OuterDegrees));
    private readonly bool _spot = light.Kind == LightKind.Spot;

    /// <summary>Irradiance on a spot with a normal, and the way to the light; (0, 0, 0) where it does not reach.</summary>
    public Vector3 At(Vector3 point, Vector3 normal, out Vector3 direction, out float distance)
    {
        Vector3 to = _position - point;
        float square = to.LengthSquared(),
            facing = Vector3.Dot(normal, to);
        (direction, distance) = (default, 0);
        if (!(facing > 0) || !(square > 1e-12f))
        {
            return default;
        }
        distance = MathF.Sqrt(square);
        direction = to / distance;
        float by = facing / (square * distance);
        if (_spot)
        {
            float t = Math.Clamp((Vector3.Dot(-direction, _axis) - _cosOuter) / MathF.Max(1e-6f, _cosInner - _cosOuter), 0, 1);
            by *= t * t;
        }
        return _intensity * by;
    }

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 e = At(point, normal, out Vector3 d, out float distance);
        return e != default ? new(d, 1, e, distance * (1 - 1e-5f)) : default;
    }
}

/// <summary>A rectangle that shines evenly to its front, by points spread over it: E = L cos θ cos θ′ A ÷ d².</summary>
internal sealed class RectangleLight : SampledLight
{
    private readonly Vector3 _radiance,
        _corner,
        _u,
        _v,
        _front;
    private readonly float _area;

    public RectangleLight(Light light)
        : base(light)
    {
        _radiance = ColourOf(light);
        _front = -light.Direction.Normalized().ToSingle();
        // Upright where it can be: its width runs level.
        Vector3 across = MathF.Abs(_front.Y) > 0.999f ? Vector3.UnitX : Vector3.Normalize(Vector3.Cross(Vector3.UnitY, _front)),
            up = Vector3.Cross(_front, across);
        (_u, _v) = light is { HalfU: { } u, HalfV: { } v }
            ? (2 * u.ToSingle(), 2 * v.ToSingle())
            : (across * (float)light.Width, up * (float)light.Height);
        _corner = light.Position.ToSingle() - _u / 2 - _v / 2;
        _area = Vector3.Cross(_u, _v).Length();
    }

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 to = _corner + _u * u.X + _v * u.Y - point;
        float square = to.LengthSquared(),
            distance = MathF.Sqrt(square);
        Vector3 d = to / distance;
        float cos = Vector3.Dot(normal, d),
            own = -Vector3.Dot(_front, d);
        return cos > 0 && own > 0 && distance > 1e-6f
            ? new(d, 1, _radiance * (cos * own * _area / square), distance * (1 - 1e-5f))
            : default;
    }
}

/// <summary>
/// A panorama, drawn half by its brightness and half by the sky's own way, weighted by the mixture's density (balance heuristic, Veach
/// and Guibas 1995).
/// </summary>
internal sealed class PanoramaLight : SampledLight
{
    private const int Wide = 256,
        High = 128;
    private readonly Panorama _picture;
    private readonly Vector3 _strength;
    private readonly double _heading;
    private readonly float[] _cumulative = new float[Wide * High],
        _density = new float[Wide * High]; // per cell; probability ÷ solid angle

    public PanoramaLight(Light light, Panorama picture)
        : base(light)
    {
        (_picture, _strength, _heading) = (picture, ColourOf(light), light.HeadingDegrees);
        var bright = new double[Wide * High];
        FloatImage small = picture.Width > Wide ? picture.Image.ReducedTo(Wide, High) : picture.Image;
        for (int y = 0; y < High; y++)
        {
            for (int x = 0; x < Wide; x++)
            {
                bright[y * Wide + x] = Luminance.Of(small.Pixel(x * small.Width / Wide, y * small.Height / High)) + 1e-9;
            }
        }
        // A pixel shines into its neighbours' halves where the picture is bent straight between pixels: they must be drawn for it.
        var weight = new double[Wide * High];
        double sum = 0;
        for (int y = 0; y < High; y++)
        {
            double omega = Panorama.SolidAngle(Wide, High, y);
            for (int x = 0; x < Wide; x++)
            {
                double lit = 0;
                for (int dy = -1; dy <= 1; dy++)
                {
                    for (int dx = -1; dx <= 1; dx++)
                    {
                        lit +=
                            (dx == 0 ? 6 : 1)
                            * (dy == 0 ? 6 : 1)
                            / 64.0
                            * bright[Math.Clamp(y + dy, 0, High - 1) * Wide + (x + dx + Wide) % Wide];
                    }
                }
                sum += weight[y * Wide + x] = omega * lit;
            }
        }
        double running = 0;
        for (int i = 0; i < weight.Length; i++)
        {
            running += weight[i] / sum;
            _cumulative[i] = (float)running;
            _density[i] = (float)(weight[i] / sum / Panorama.SolidAngle(Wide, High, i / Wide));
        }
        _cumulative[^1] = 1;
    }

    private Vec3 Unturned(Vec3 d) => PlacePicture.Unturned(d, _heading);

    public override Vector3 Radiance(Vector3 direction) => _picture.At(Unturned(Vec3.From(direction))) * _strength;

    private float ByBrightness(Vector3 direction)
    {
        var (u, v) = Panorama.PlaceOf(Unturned(Vec3.From(direction)));
        return _density[Math.Min(High - 1, (int)(v * High)) * Wide + Math.Min(Wide - 1, (int)(u * Wide))];
    }

    public override float Density(Vector3 point, Vector3 normal, Vector3 direction, SkyOpenings? openings) =>
        0.5f * ByBrightness(direction)
        + 0.5f
            * (openings is not null ? openings.Density(point, normal, direction) : MathF.Max(0, Vector3.Dot(normal, direction)) / MathF.PI);

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        Vector3 d;
        if (u.X < 0.5f)
        {
            float pick = 2 * u.X;
            int cell = Array.BinarySearch(_cumulative, pick);
            if (cell < 0)
            {
                cell = ~cell;
            }
            cell = Math.Min(cell, _cumulative.Length - 1);
            float before = cell > 0 ? _cumulative[cell - 1] : 0,
                width = _cumulative[cell] - before;
            double s = width > 0 ? Math.Clamp((pick - before) / width, 0, 1) : 0.5;
            // Even over the cell's solid angle.
            double top = Elementary.Cos(Math.PI * (cell / Wide) / High),
                bottom = Elementary.Cos(Math.PI * (cell / Wide + 1) / High);
            Vec3 own = Panorama.DirectionAt((cell % Wide + s) / Wide, Elementary.Acos(top + u.Y * (bottom - top)) / Math.PI);
            d = (Rotations.AboutY(-Rotations.Radians(_heading)) * own).ToSingle();
        }
        else
        {
            var rest = new Vector2(2 * (u.X - 0.5f), u.Y);
            d = openings is not null ? openings.Sample(point, normal, rest).Direction : Sampling.CosineHemisphere(normal, rest);
        }
        float cos = Vector3.Dot(normal, d);
        if (!(cos > 0))
        {
            return default;
        }
        float pdf = Density(point, normal, d, openings);
        return pdf > 0 ? new(d, cos / (MathF.PI * pdf), Radiance(d) * (cos / pdf), float.PositiveInfinity) : default;
    }
}
