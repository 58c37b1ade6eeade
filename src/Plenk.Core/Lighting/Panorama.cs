using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>
/// A lat-long picture of all light around a place: linear RGB radiance, +Y at the top row, the middle looks along −Z, u grows towards
/// +X there. Negative samples are clamped on the way in and counted.
/// </summary>
public sealed class Panorama
{
    public FloatImage Image { get; }
    public int Width => Image.Width;
    public int Height => Image.Height;

    /// <summary>Samples that were below 0 or no number; they are 0 here.</summary>
    public int Clamped { get; }

    public Panorama(FloatImage latLong)
    {
        if (latLong.Channels != 3 || latLong.Width != 2 * latLong.Height)
        {
            throw new ArgumentException("a panorama is RGB and twice as wide as high");
        }
        var data = new float[latLong.Data.Length];
        for (int i = 0; i < data.Length; i++)
        {
            float v = latLong.Data[i];
            data[i] = v >= 0 ? MathF.Min(v, 65504) : 0; // NaN is not ≥ 0
            if (!(v >= 0))
            {
                Clamped++;
            }
        }
        Image = new(latLong.Width, latLong.Height, 3, data);
    }

    /// <summary>u = ½ + atan2(x, −z) ÷ 2π, v = acos(y) ÷ π.</summary>
    public static (double U, double V) PlaceOf(Vec3 direction)
    {
        Vec3 d = direction.Normalized();
        double u = 0.5 + Elementary.Atan2(d.X, -d.Z) / (2 * Math.PI);
        return (u - Math.Floor(u), Elementary.Acos(Math.Clamp(d.Y, -1, 1)) / Math.PI);
    }

    public static Vec3 DirectionAt(double u, double v)
    {
        double azimuth = 2 * Math.PI * (u - 0.5),
            polar = Math.PI * v,
            s = Elementary.Sin(polar);
        return new(s * Elementary.Sin(azimuth), Elementary.Cos(polar), -s * Elementary.Cos(azimuth));
    }

    /// <summary>Of every pixel in a row, steradian: (2π ÷ W)(cos θ₀ − cos θ₁).</summary>
    public static double SolidAngle(int width, int height, int row) =>
        2 * Math.PI / width * (Elementary.Cos(Math.PI * row / height) - Elementary.Cos(Math.PI * (row + 1) / height));

    /// <summary>Radiance from a direction, bilinear, around the seam.</summary>
    public Vector3 At(Vec3 direction)
    {
        var (u, v) = PlaceOf(direction);
        double x = u * Width - 0.5,
            y = Math.Clamp(v * Height - 0.5, 0, Height - 1);
        int x0 = (int)Math.Floor(x),
            y0 = (int)y,
            y1 = Math.Min(Height - 1, y0 + 1);
        float fx = (float)(x - x0),
            fy = (float)(y - y0);
        Vector3 P(int px, int py)
        {
            Span<float> p = Image.Pixel(((px % Width) + Width) % Width, py);
            return new(p[0], p[1], p[2]);
        }
        return Vector3.Lerp(Vector3.Lerp(P(x0, y0), P(x0 + 1, y0), fx), Vector3.Lerp(P(x0, y1), P(x0 + 1, y1), fx), fy);
    }

    /// <summary>The same with its heading raised: its content moves towards larger u.</summary>
    public Panorama Turned(double headingDegrees)
    {
        double shift = headingDegrees / 360 * Width;
        var result = new FloatImage(Width, Height, 3);
        int whole = (int)Math.Floor(shift);
        float part = (float)(shift - whole);
        Parallel.For(0, Height, Cores.All, y =>
        {
            for (int x = 0; x < Width; x++)
            {
                int from = ((x - whole) % Width + Width) % Width,
                    before = (from - 1 + Width) % Width;
                for (int c = 0; c < 3; c++)
                {
                    result[x, y, c] = Image[from, y, c] * (1 - part) + Image[before, y, c] * part;
                }
            }
        });
        return new(result);
    }

    /// <summary>The mean over the sphere, each row by its solid angle.</summary>
    public Vector3 Mean()
    {
        double r = 0,
            g = 0,
            b = 0;
        for (int y = 0; y < Height; y++)
        {
            double w = SolidAngle(Width, Height, y) / (4 * Math.PI);
            Span<float> row = Image.Row(y);
            for (int x = 0; x < Width; x++)
            {
                r += w * row[3 * x];
                g += w * row[3 * x + 1];
                b += w * row[3 * x + 2];
            }
        }
        return new((float)r, (float)g, (float)b);
    }

    /// <summary>
    /// A lamp that was lifted out: towards it, the irradiance it gives a surface that faces it, and the angle it is wide.
    /// </summary>
    public sealed record Lifted(Vec3 Direction, Vector3 Irradiance, double DiameterDegrees, Panorama Rest);

    /// <summary>
    /// The light above a level around a direction, taken out of the picture: E = Σ L Ω of what is over the level of its surroundings, which
    /// is what is left there; the whole stays the same (Debevec 2005, "A median cut algorithm" treats parts alike).
    /// </summary>
    /// <param name="radiusDegrees">How far around it.</param>
    /// <param name="level">Luminance above which a pixel counts as the lamp.</param>
    /// <returns>Nothing where no pixel is that bright, or all are: a lamp has surroundings.</returns>
    public Lifted? Lift(Vec3 towards, double radiusDegrees, float level)
    {
        Vec3 centre = towards.Normalized();
        double limit = Elementary.Cos(Rotations.Radians(radiusDegrees));
        var rest = new FloatImage(Width, Height, 3, [.. Image.Data]);
        Vec3 sum = default;
        Vector3 light = default;
        double area = 0;
        var ring = new List<(float Y, Vector3 Rgb)>();
        var inside = new List<int>();
        for (int y = 0; y < Height; y++)
        {
            double omega = SolidAngle(Width, Height, y);
            for (int x = 0; x < Width; x++)
            {
                Vec3 d = DirectionAt((x + 0.5) / Width, (y + 0.5) / Height);
                if (Vec3.Dot(d, centre) < limit)
                {
                    continue;
                }
                Span<float> p = Image.Pixel(x, y);
                var rgb = new Vector3(p[0], p[1], p[2]);
                float luminance = Luminance.Of(rgb);
                if (luminance < level)
                {
                    ring.Add((luminance, rgb));
                    continue;
                }
                inside.Add(y * Width + x);
                area += omega;
                sum += luminance * omega * d;
            }
        }
        if (inside.Count == 0 || ring.Count == 0)
        {
            return null;
        }
        ring.Sort((a, b) => a.Y.CompareTo(b.Y));
        Vector3 around = ring[ring.Count / 2].Rgb;
        foreach (int i in inside)
        {
            double omega = SolidAngle(Width, Height, i / Width);
            var over = new Vector3(rest.Data[3 * i], rest.Data[3 * i + 1], rest.Data[3 * i + 2]) - around;
            light += over * (float)omega;
            (rest.Data[3 * i], rest.Data[3 * i + 1], rest.Data[3 * i + 2]) = (around.X, around.Y, around.Z);
        }
        // A disc of that solid angle: Ω = 2π (1 − cos r).
        return new(sum.Normalized(), light, 2 * Rotations.Degrees(Elementary.Acos(Math.Clamp(1 - area / (2 * Math.PI), -1, 1))), new(rest));
    }

    /// <summary>
    /// From a picture of a mirror ball filmed from far away by a camera that looks along −Z of its own frame: the direction d is seen
    /// where the ball's normal is (d + view) ÷ |d + view|, at the radius sin(θ ÷ 2).
    /// </summary>
    /// <param name="ballRadius">Pixels, its middle at <paramref name="cx"/>, <paramref name="cy"/>.</param>
    /// <param name="cameraToWorld">Of the camera that filmed it.</param>
    public static Panorama FromMirrorBall(
        FloatImage picture,
        double cx,
        double cy,
        double ballRadius,
        Matrix3 cameraToWorld,
        int height = 256
    )
    {
        var result = new FloatImage(2 * height, height, 3);
        Matrix3 toCamera = cameraToWorld.Transpose();
        Parallel.For(0, height, Cores.All, y =>
        {
            Span<float> rgb = stackalloc float[picture.Channels];
            for (int x = 0; x < 2 * height; x++)
            {
                Vec3 d = toCamera * DirectionAt((x + 0.5) / (2 * height), (y + 0.5) / height);
                var (bx, by) = BallPlace(d);
                picture.SampleBilinear(cx + bx * ballRadius, cy - by * ballRadius, rgb);
                for (int c = 0; c < 3; c++)
                {
                    result[x, y, c] = rgb[c];
                }
            }
        });
        return new(result);
    }

    /// <summary>
    /// Where on the ball a direction is seen, in its radii: x to the right, y up. The direction away from the camera lies on the rim.
    /// </summary>
    public static (double X, double Y) BallPlace(Vec3 inCamera)
    {
        Vec3 d = inCamera.Normalized(),
            n = d + Vec3.UnitZ;
        double length = n.Length;
        return length < 1e-9 ? (1, 0) : (n.X / length, n.Y / length);
    }
}
