using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>A frame of a plan, and the share of the set's area that it and those before it cover.</summary>
public sealed record PlannedSource(int Frame, double Covered);

/// <summary>
/// Which frames see the set best: for every spot each frame's sharpness (pixels a metre, less what it moved while the shutter was
/// open), and frames taken one after another, each the one that adds most area (greedy set cover, Chvátal 1979).
/// </summary>
public static class SourcePlan
{
    /// <summary>A spot counts as covered by a frame that shows it at least this well against the best that any frame does.</summary>
    public const double GoodEnough = 0.6;

    /// <summary>
    /// Sharp pixels a metre at every spot, by candidate; 0 where it is not seen. Either side of a face may be the one that is seen.
    /// </summary>
    /// <param name="next">The camera a frame later, for what moves while the shutter is open; null: it stands still.</param>
    public static float[] Sharpness(IReadOnlyList<SetSpot> spots, SourceSight sight, Pose? next, double shutterDegrees = 180)
    {
        var result = new float[spots.Count];
        Parallel.For(0, spots.Count, Cores.All, i =>
        {
            SetSpot s = spots[i];
            Vector3 normal = Vector3.Dot(s.Normal, sight.CameraToWorld.Position.ToSingle() - s.Point) < 0 ? -s.Normal : s.Normal;
            float density = sight.Density(s.Point, normal, s.Piece);
            if (
                density > 0
                && next is { } then
                && sight.Pinhole.TryProject(sight.CameraToWorld, Vec3.From(s.Point), out double x, out double y)
                && sight.Pinhole.TryProject(then, Vec3.From(s.Point), out double u, out double v)
            )
            {
                double smear = Math.Sqrt((u - x) * (u - x) + (v - y) * (v - y)) * shutterDegrees / 360;
                density /= (float)Math.Max(1, smear);
            }
            result[i] = density;
        });
        return result;
    }

    /// <summary>Frames in the order they should be taken, until one adds less than <paramref name="least"/> of the area.</summary>
    public static IReadOnlyList<PlannedSource> Greedy(
        IReadOnlyList<SetSpot> spots,
        IReadOnlyList<(int Frame, float[] Sharpness)> candidates,
        int most = 8,
        double least = 0.002
    )
    {
        double total = spots.Sum(s => (double)s.Area);
        var best = new float[spots.Count];
        foreach (var (_, sharp) in candidates)
        {
            for (int i = 0; i < best.Length; i++)
            {
                best[i] = MathF.Max(best[i], sharp[i]);
            }
        }
        var have = new bool[spots.Count];
        var plan = new List<PlannedSource>();
        double covered = 0;
        while (plan.Count < most)
        {
            (int Frame, double Gain, float[] Sharp) chosen = (0, 0, []);
            foreach (var (frame, sharp) in candidates)
            {
                double gain = 0;
                for (int i = 0; i < best.Length; i++)
                {
                    if (!have[i] && sharp[i] > 0 && sharp[i] >= GoodEnough * best[i])
                    {
                        gain += spots[i].Area;
                    }
                }
                if (gain > chosen.Gain)
                {
                    chosen = (frame, gain, sharp);
                }
            }
            if (!(chosen.Gain > least * total))
            {
                break;
            }
            for (int i = 0; i < best.Length; i++)
            {
                have[i] |= chosen.Sharp[i] > 0 && chosen.Sharp[i] >= GoodEnough * best[i];
            }
            covered += chosen.Gain;
            plan.Add(new(chosen.Frame, covered / total));
        }
        return plan;
    }
}
