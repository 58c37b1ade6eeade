using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Tracking;

/// <summary>How far a plane was followed, and why no further; null: to the end.</summary>
public sealed record PlaneMotion(IReadOnlyList<MatteStep> Steps, string? EndedBefore, string? EndedAfter);

/// <summary>
/// A flat part of the picture followed by its own texture: patches of a reference frame are settled in every other frame from where the
/// last frame's homography puts them, and a homography by four points within random sampling says where the plane is. Every frame is held
/// against the reference, so that nothing drifts.
/// </summary>
public static class PlaneFollower
{
    private const int Patches = 60,
        Radius = 8,
        LeastAgreeing = 6;
    private const double LeastCorrelation = 0.7,
        Threshold = 1.5;

    /// <param name="outline">x0 y0 x1 y1 … in the reference frame, pixels.</param>
    /// <param name="picture">A frame's brightness.</param>
    public static PlaneMotion Follow(
        double[] outline,
        int reference,
        int first,
        int last,
        Func<int, GrayImage> picture,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        GrayImage own = picture(reference);
        bool Inside(int x, int y) => MatteShape.Contains(outline, x + 0.5, y + 0.5);
        IReadOnlyList<Feature> features = FeatureFinder.Find(own, Patches, 6, [], Inside);
        var templates = features
            .Select(f => (f.X, f.Y, Template: new PatchTemplate(own, f.X, f.Y, Radius)))
            .Where(t => t.Template.IsUsable)
            .ToArray();
        var steps = new List<MatteStep> { new(reference, [1, 0, 0, 0, 1, 0, 0, 0, 1]) };
        if (templates.Length < LeastAgreeing)
        {
            return new(steps, Bare, Bare);
        }
        int done = 0,
            all = Math.Max(1, last - first);
        string? Walk(int direction)
        {
            double[] h = [1, 0, 0, 0, 1, 0, 0, 0, 1];
            for (int f = reference + direction; f >= first && f <= last; f += direction)
            {
                stop.ThrowIfCancellationRequested();
                GrayImage now = picture(f);
                var from = new List<(double X, double Y)>();
                var to = new List<(double X, double Y)>();
                double[] before = h;
                var settled = new (double X, double Y, double Score)[templates.Length];
                Parallel.For(0, templates.Length, Cores.All, i =>
                {
                    PatchWarp warp = Predicted(before, templates[i].X, templates[i].Y);
                    if (warp.X < 2 || warp.Y < 2 || warp.X > now.Width - 3 || warp.Y > now.Height - 3)
                    {
                        return;
                    }
                    double score = templates[i].Template.Settle(now, ref warp);
                    settled[i] = (warp.X, warp.Y, score);
                });
                for (int i = 0; i < templates.Length; i++)
                {
                    if (settled[i].Score < LeastCorrelation)
                    {
                        continue;
                    }
                    from.Add((templates[i].X, templates[i].Y));
                    to.Add((settled[i].X, settled[i].Y));
                }
                if (Agreed(from, to) is not { } next)
                {
                    return $"{from.Count} of {templates.Length} spots are found again at {f}, and they agree on no plane";
                }
                h = next;
                steps.Add(new(f, h));
                progress?.Invoke((double)++done / all);
            }
            return null;
        }
        string? after = Walk(1),
            ahead = Walk(-1);
        return new([.. steps.OrderBy(s => s.Frame)], ahead, after);
    }

    private const string Bare = "there is too little texture inside the outline to follow";

    /// <summary>Where a patch is under a homography, with its change of shape there.</summary>
    private static PatchWarp Predicted(double[] h, double x, double y)
    {
        double w = h[6] * x + h[7] * y + h[8],
            u = (h[0] * x + h[1] * y + h[2]) / w,
            v = (h[3] * x + h[4] * y + h[5]) / w;
        return new(u, v, (h[0] - u * h[6]) / w, (h[1] - u * h[7]) / w, (h[3] - v * h[6]) / w, (h[4] - v * h[7]) / w);
    }

    private static double[]? Agreed(List<(double X, double Y)> from, List<(double X, double Y)> to)
    {
        if (Homography.Robust(from, to, Threshold, 300, 5) is not var (h, agreeing) || agreeing < LeastAgreeing || Math.Abs(h[8]) < 1e-12)
        {
            return null;
        }
        return [.. h.Select(v => v / h[8])];
    }
}
