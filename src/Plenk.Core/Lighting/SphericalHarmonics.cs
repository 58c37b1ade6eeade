using System.Numerics;
using Plenk.Core.Geometry;

namespace Plenk.Core.Lighting;

/// <summary>
/// Light from all around as nine coefficients, and the irradiance they give a normal (Ramamoorthi and Hanrahan, "An efficient
/// representation for irradiance environment maps", SIGGRAPH 2001). Order: 00, 1−1, 10, 11, 2−2, 2−1, 20, 21, 22; z is the polar axis.
/// </summary>
public sealed record SphericalHarmonics(IReadOnlyList<Vector3> L)
{
    /// <summary>The nine real basis functions in a unit direction.</summary>
    public static double[] Basis(Vec3 d) =>
        [
            0.5 / Math.Sqrt(Math.PI),
            Math.Sqrt(3 / (4 * Math.PI)) * d.Y,
            Math.Sqrt(3 / (4 * Math.PI)) * d.Z,
            Math.Sqrt(3 / (4 * Math.PI)) * d.X,
            Math.Sqrt(15 / (4 * Math.PI)) * d.X * d.Y,
            Math.Sqrt(15 / (4 * Math.PI)) * d.Y * d.Z,
            Math.Sqrt(5 / (16 * Math.PI)) * (3 * d.Z * d.Z - 1),
            Math.Sqrt(15 / (4 * Math.PI)) * d.X * d.Z,
            Math.Sqrt(15 / (16 * Math.PI)) * (d.X * d.X - d.Y * d.Y),
        ];

    public static SphericalHarmonics Of(Panorama panorama)
    {
        var l = new Vec3[9];
        for (int y = 0; y < panorama.Height; y++)
        {
            double omega = Panorama.SolidAngle(panorama.Width, panorama.Height, y);
            for (int x = 0; x < panorama.Width; x++)
            {
                double[] b = Basis(Panorama.DirectionAt((x + 0.5) / panorama.Width, (y + 0.5) / panorama.Height));
                Span<float> p = panorama.Image.Pixel(x, y);
                for (int i = 0; i < 9; i++)
                {
                    l[i] += omega * b[i] * new Vec3(p[0], p[1], p[2]);
                }
            }
        }
        return new([.. l.Select(v => v.ToSingle())]);
    }

    /// <summary>Irradiance on a surface with a unit normal: Σ A_l L_lm Y_lm, A = π, 2π/3, π/4.</summary>
    public Vector3 Irradiance(Vec3 normal)
    {
        double[] b = Basis(normal);
        Vector3 e = default;
        for (int i = 0; i < 9; i++)
        {
            e +=
                L[i]
                * (float)(
                    b[i]
                    * (
                        i == 0 ? Math.PI
                        : i < 4 ? 2 * Math.PI / 3
                        : Math.PI / 4
                    )
                );
        }
        return e;
    }
}
