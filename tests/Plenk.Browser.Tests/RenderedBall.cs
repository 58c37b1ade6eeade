using System.Numerics;
using Plenk.Core.Images;
using Plenk.Formats.Exr;

namespace Plenk.Browser.Tests;

/// <summary>
/// A ball as another program would render it through the camera of <see cref="FilmedBefore"/>: picture with alpha, positions in centimetres
/// with Z up, normals, surface colour; and by closed form what a point light adds to it (Lambert, inverse square).
/// </summary>
internal static class RenderedBall
{
    public const double Radius = 0.55,
        X = -0.7,
        Y = 0.55,
        Z = -8;
    public static readonly (double X, double Y, double Z) Lamp = (-1.6, 2.4, -6.2);
    public const double Intensity = 30; // W/sr by channel

    private const int Spots = 8; // along a pixel's side

    /// <summary>Where the ray of a place meets the ball, with its normal; null: it passes.</summary>
    public static (Vector3 Point, Vector3 Normal)? Meets(double px, double py, int frame)
    {
        double dx = (px - FilmedBefore.Width / 2.0) / FilmedBefore.Focal,
            dy = -(py - FilmedBefore.Height / 2.0) / FilmedBefore.Focal,
            ox = FilmedBefore.CameraX(frame) - X,
            oy = FilmedBefore.Eye - Y,
            oz = -Z;
        // |o + t d|² = r², d = (dx, dy, −1)
        double a = dx * dx + dy * dy + 1,
            b = ox * dx + oy * dy - oz,
            c = ox * ox + oy * oy + oz * oz - Radius * Radius,
            root = b * b - a * c;
        if (root < 0)
        {
            return null;
        }
        double t = (-b - Math.Sqrt(root)) / a;
        var n = new Vector3((float)((ox + t * dx) / Radius), (float)((oy + t * dy) / Radius), (float)((oz - t) / Radius));
        return (new((float)(X + n.X * Radius), (float)(Y + n.Y * Radius), (float)(Z + n.Z * Radius)), n);
    }

    public static double Coverage(int x, int y, int frame)
    {
        int n = 0;
        for (int s = 0; s < Spots * Spots; s++)
        {
            n += Meets(x + (s % Spots + 0.5) / Spots, y + (s / Spots + 0.5) / Spots, frame) is null ? 0 : 1;
        }
        return (double)n / (Spots * Spots);
    }

    public static readonly double[] Colour = [0.6, 0.42, 0.25];

    /// <summary>As it was rendered: half of its colour, as under an even sky.</summary>
    public static double[] Rendered(double coverage) => [.. Colour.Select(c => 0.5 * c * coverage)];

    /// <summary>What the lamp adds at a pixel's middle, by coverage.</summary>
    public static double[]? Added(int x, int y, int frame, double coverage)
    {
        if (Meets(x + 0.5, y + 0.5, frame) is not { } hit)
        {
            return null;
        }
        var to = new Vector3((float)Lamp.X, (float)Lamp.Y, (float)Lamp.Z) - hit.Point;
        double square = to.LengthSquared(),
            e = Intensity * Math.Max(0, Vector3.Dot(hit.Normal, to)) / (square * Math.Sqrt(square));
        return [.. Colour.Select(c => coverage * c / Math.PI * e)];
    }

    public static string[] Write(string folder)
    {
        Directory.CreateDirectory(folder);
        var files = new List<string>();
        for (int f = FilmedBefore.First; f < FilmedBefore.First + FilmedBefore.Count; f++)
        {
            int w = FilmedBefore.Width,
                h = FilmedBefore.Height;
            FloatImage rgba = new(w, h, 4),
                p = new(w, h, 3),
                n = new(w, h, 3),
                albedo = new(w, h, 3);
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    double a = Coverage(x, y, f);
                    double[] c = Rendered(a);
                    (rgba[x, y, 0], rgba[x, y, 1], rgba[x, y, 2], rgba[x, y, 3]) = ((float)c[0], (float)c[1], (float)c[2], (float)a);
                    for (int k = 0; k < 3; k++)
                    {
                        albedo[x, y, k] = (float)Colour[k];
                    }
                    if (Meets(x + 0.5, y + 0.5, f) is not { } hit)
                    {
                        continue;
                    }
                    // Theirs: X right, Y into the picture, Z up; a centimetre the unit.
                    (p[x, y, 0], p[x, y, 1], p[x, y, 2]) = (100 * hit.Point.X, -100 * hit.Point.Z, 100 * hit.Point.Y);
                    (n[x, y, 0], n[x, y, 1], n[x, y, 2]) = (hit.Normal.X, -hit.Normal.Z, hit.Normal.Y);
                }
            }
            files.Add(Path.Combine(folder, $"ball.{f}.exr"));
            File.WriteAllBytes(
                files[^1],
                ExrFile.ToBytes(
                    w,
                    h,
                    [
                        .. ExrChannel.Of(rgba, "RGBA"),
                        .. ExrChannel.Of(p, "XYZ", "P"),
                        .. ExrChannel.Of(n, "XYZ", "N"),
                        .. ExrChannel.Of(albedo, "RGB", "albedo"),
                    ]
                )
            );
        }
        return [.. files];
    }
}
