using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>Parts of the place between two distances and two heights, as the camera sees them.</summary>
public static class FinishBands
{
    /// <summary>By pixel, 0..1. What is seen of nothing is infinitely far away, and as high or low as its ray goes.</summary>
    /// <param name="depth">Along the camera's axis, of what is seen, metres; infinite where nothing is.</param>
    public static float[] Coverage(FinishBand band, Pose cameraToWorld, Pinhole camera, FloatImage depth)
    {
        int w = depth.Width,
            h = depth.Height;
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                if (!camera.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
                {
                    continue;
                }
                Vec3 d = way.Normalized();
                double z = depth.Data[y * w + x],
                    far = z > 0 && double.IsFinite(z) ? z / Math.Max(1e-9, -d.Z) : double.PositiveInfinity,
                    up = (cameraToWorld.Rotation * d).Y,
                    height = double.IsFinite(far) ? cameraToWorld.Position.Y + far * up : Math.Sign(up) * double.PositiveInfinity;
                result[y * w + x] = (float)(
                    Within(far, band.FromMetres, band.ToMetres, band.SoftMetres)
                    * Within(height, band.FromHeight, band.ToHeight, band.SoftMetres)
                );
            }
        });
        return result;
    }

    /// <summary>1 inside, 0 outside, half at a bound and straight across its edge.</summary>
    private static double Within(double v, double? from, double? to, double soft)
    {
        double Past(double by) => double.IsNaN(by) ? 1 : Edge(by, soft);
        return (from is { } a ? Past(v - a) : 1) * (to is { } b ? Past(b - v) : 1);
    }

    /// <summary>How much of an edge is passed so far inside of it: half on it, straight across its width.</summary>
    internal static double Edge(double inside, double width) =>
        width > 0 ? Math.Clamp(0.5 + inside / width, 0, 1)
        : inside >= 0 ? 1
        : 0;
}
