using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>A straight line of the world as a camera sees it.</summary>
public static class SeenLine
{
    /// <summary>What is nearer before the camera, or behind it, is cut off; camera space, metres.</summary>
    public const double Near = -0.02;

    /// <summary>Of a line, as a lens bends it.</summary>
    private const int Pieces = 24;

    /// <summary>x, y, x, y … in pixels, from one end to the other; null: none of it comes before the camera.</summary>
    public static double[]? Of(Pinhole pinhole, Pose cameraToWorld, Vec3 from, Vec3 to)
    {
        Vec3 p = cameraToWorld.ToLocal(from),
            q = cameraToWorld.ToLocal(to);
        if (p.Z > Near && q.Z > Near)
        {
            return null;
        }
        if (p.Z > Near)
        {
            p += (q - p) * ((Near - p.Z) / (q.Z - p.Z));
        }
        if (q.Z > Near)
        {
            q += (p - q) * ((Near - q.Z) / (p.Z - q.Z));
        }
        var line = new List<double>();
        int pieces = pinhole.Lens == Lens.None ? 1 : Pieces;
        for (int i = 0; i <= pieces; i++)
        {
            if (
                pinhole.TryProject(
                    i == 0 ? p
                        : i == pieces ? q
                        : Between(p, q, (double)i / pieces),
                    out double x,
                    out double y
                )
            )
            {
                line.Add(x);
                line.Add(y);
            }
        }
        return line.Count >= 4 ? [.. line] : null;
    }

    /// <summary>Even along the picture, not along the line: 1 ÷ depth runs straight there.</summary>
    private static Vec3 Between(Vec3 p, Vec3 q, double t)
    {
        double depth = 1 / ((1 - t) / -p.Z + t / -q.Z),
            along = Math.Abs(q.Z - p.Z) < 1e-12 ? t : (-depth - p.Z) / (q.Z - p.Z);
        return p + along * (q - p);
    }
}
