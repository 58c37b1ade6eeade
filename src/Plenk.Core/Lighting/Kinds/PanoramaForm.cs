using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting.Kinds;

public sealed class PanoramaForm : LightForm
{
    public override LightKind Kind => LightKind.Panorama;
    public override string Strength => "Times its picture";
    public override bool IsAdded => false;

    public override string? Fault(Light light) => light.Media is null ? "its picture is missing." : null;

    public override void Into(RigParts rig, Light light, Vector3 strength)
    {
        if (rig.Panorama is not { } picture)
        {
            return;
        }
        if (light.ShowsPlace)
        {
            rig.Places.Add(new(light, picture(light)));
        }
        else
        {
            rig.Sampled.Add(new PanoramaLight(light, picture(light)));
        }
    }
}

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
