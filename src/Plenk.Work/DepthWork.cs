using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>
/// Dense depth of a frame of filmed footage: features followed both ways from it tell how near and far things are and which
/// frames see it from far enough aside; planes are then swept between.
/// </summary>
public static class DepthWork
{
    private const int Reach = 24; // frames to either side
    private const int Wide = 960; // pixels that are worked on across, at most

    /// <summary>Depth on the plate's own grid.</summary>
    /// <param name="camera">Placement and inner geometry on a picture of the plate's size; null where there is none.</param>
    public static DepthMap Map(
        int at,
        int first,
        int last,
        Func<int, CodeImage> picture,
        Func<int, (Pose Pose, Pinhole Pinhole)?> camera,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        if (camera(at) is not { } own)
        {
            throw new ShotFault($"The camera has no sample for frame {at}.");
        }
        var pictures = new Dictionary<int, GrayPyramid>();
        GrayPyramid Gray(int f)
        {
            if (pictures.TryGetValue(f, out GrayPyramid? p))
            {
                return p;
            }
            CodeImage c = picture(f);
            return pictures[f] = GrayPyramid.Of(c.Width, c.Height, c.Channels, c.Bits, c.Codes);
        }
        // Features of this frame, followed away from it on both sides.
        var tracks = new Dictionary<int, (double X, double Y)>[2 * Reach + 1];
        for (int k = 0; k < tracks.Length; k++)
        {
            tracks[k] = [];
        }
        foreach (int way in (int[])[1, -1])
        {
            var tracker = new PointTracker(new() { Count = 0 });
            tracker.Advance(at, Gray(at));
            int id = 0;
            var followed = new List<Track>();
            foreach (Feature f in FeatureFinder.Find(Gray(at).Levels[0], 500, 14, []))
            {
                var t = new Track(++id);
                if (tracker.Seed(t, f.X, f.Y))
                {
                    followed.Add(t);
                }
            }
            for (
                int f = at + way;
                f >= first && f <= last && Math.Abs(f - at) <= Reach && tracker.LiveCount > 12 && camera(f) is not null;
                f += way
            )
            {
                stop.ThrowIfCancellationRequested();
                tracker.Advance(f, Gray(f));
                progress?.Invoke("Looking for parallax", 0.3 * (Math.Abs(f - at) / (double)Reach * 0.5 + (way < 0 ? 0.5 : 0)));
                foreach (Track t in followed)
                {
                    if (t.TryAt(f, out TrackPoint p))
                    {
                        tracks[f - at + Reach][t.Id] = (p.X, p.Y);
                    }
                }
                if (f - way == at)
                {
                    foreach (Track t in followed)
                    {
                        if (t.TryAt(at, out TrackPoint p))
                        {
                            tracks[Reach][t.Id] = (p.X, p.Y);
                        }
                    }
                }
            }
        }
        var nearness = new List<double>();
        foreach (int id in tracks[Reach].Keys)
        {
            var sights = new List<Sight>();
            for (int k = 0; k < tracks.Length; k++)
            {
                int f = at - Reach + k;
                if ((k - Reach) % 4 == 0 && tracks[k].TryGetValue(id, out var p) && camera(f) is { } c)
                {
                    sights.Add(new(c.Pose, c.Pinhole, p.X, p.Y));
                }
            }
            if (sights.Count < 2 || Triangulation.Locate(sights, out _) is not { RmsPixels: < 1.5 } found)
            {
                continue;
            }
            double depth = -own.Pose.ToLocal(found.Point).Z;
            if (depth > 0 && found.ParallaxDegrees > 0.2)
            {
                nearness.Add(1 / depth);
            }
        }
        if (nearness.Count < 12)
        {
            throw new ShotFault(
                $"Around frame {at} only {nearness.Count} places show any parallax; depth needs a camera that travels and something to "
                    + "see. Choose another frame, or solve the camera again."
            );
        }
        nearness.Sort();
        double near = nearness[(int)(0.99 * (nearness.Count - 1))] * 1.35,
            far = nearness[(int)(0.02 * (nearness.Count - 1))] * 0.5,
            middle = nearness[nearness.Count / 2];
        // The pair of frames, one on each side where there are, that shift the middle depth by about a thirtieth of the picture; and their halves.
        double Shift(int f) => camera(f) is { } c ? (c.Pose.Position - own.Pose.Position).Length * middle * own.Pinhole.Fx : 0;
        double wish = own.Pinhole.Width / 26.0;
        var chosen = new SortedSet<int>();
        foreach (int way in (int[])[1, -1])
        {
            int[] side =
            [
                .. Enumerable
                    .Range(1, Reach)
                    .Select(k => at + way * k)
                    .Where(f => f >= first && f <= last && tracks[f - at + Reach].Count > 12),
            ];
            if (side.Length == 0)
            {
                continue;
            }
            int best = side.MinBy(f => Math.Abs(Shift(f) - wish));
            chosen.Add(best);
            int half = at + (best - at) / 2;
            if (half != at)
            {
                chosen.Add(half);
            }
        }
        if (chosen.Count == 0 || chosen.Max(Shift) < 3)
        {
            throw new ShotFault(
                $"Around frame {at} the camera hardly moves: the middle depth shifts by "
                    + $"{(chosen.Count == 0 ? 0 : chosen.Max(Shift)):0.0} px at most, which tells no depth."
            );
        }
        int width = Math.Min(Wide, own.Pinhole.Width),
            height = (int)Math.Round((double)own.Pinhole.Height * width / own.Pinhole.Width);
        DepthView View(int f)
        {
            var (pose, pinhole) = camera(f)!.Value;
            GrayImage g = Gray(f).Levels[0];
            return new(Reduced(g, width, height), pose, pinhole.Resized(width, height));
        }
        DepthView[] others = [.. chosen.Select(View)];
        // Planes half a pixel apart in the view farthest aside, as far as memory allows.
        double widest =
            chosen.Max(f => (camera(f)!.Value.Pose.Position - own.Pose.Position).Length)
            * own.Pinhole.Fx
            * width
            / own.Pinhole.Width
            * (near - far);
        int steps = Math.Clamp((int)Math.Ceiling(widest * 1.6 / 64) * 64, 64, 256);
        DepthMap map = DenseDepth.Sweep(View(at), others, 1 / near, 1 / far, steps, stop, part =>
            progress?.Invoke("Sweeping planes", 0.3 + 0.7 * part)
        );
        return width == own.Pinhole.Width ? map : map.Resized(own.Pinhole.Width, own.Pinhole.Height);
    }

    private static GrayImage Reduced(GrayImage g, int width, int height)
    {
        if (g.Width == width && g.Height == height)
        {
            return g;
        }
        var image = new Core.Images.FloatImage(g.Width, g.Height, 1, g.Data).ReducedTo(width, height);
        return new(width, height, image.Data);
    }
}
