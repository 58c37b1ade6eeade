using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;

namespace Plenk.Core.Readings;

/// <summary>Step 2, of a camera that was solved from the plate.</summary>
public static class SolveReadings
{
    public static readonly Reading LiveBlank = new()
    {
        Id = "camera.live",
        Step = 2,
        Name = "Live tracks",
        Unit = "",
        Tolerance = 30,
        Over = true,
        How = "The fewest tracks that live in any frame of the range; a solve needs 8 in each, and is calm with 30 or more.",
    };

    public static Reading Live(IReadOnlyList<Track> tracks, int first, int last)
    {
        if (tracks.Count == 0)
        {
            return LiveBlank with { Note = "nothing is tracked yet" };
        }
        var counts = new int[last - first + 1];
        foreach (Track t in tracks)
        {
            foreach (TrackPoint p in t.Points)
            {
                if (p.Frame >= first && p.Frame <= last)
                {
                    counts[p.Frame - first]++;
                }
            }
        }
        int worst = Array.IndexOf(counts, counts.Min());
        return (
            LiveBlank with
            {
                Value = counts[worst],
                Note = $"{tracks.Count} tracks; fewest at {first + worst}",
                Worst = new(first + worst),
                PerFrame = [.. counts.Select((c, i) => new FrameValue(first + i, c))],
            }
        ).Judged();
    }

    public static readonly Reading RmsBlank = new()
    {
        Id = "camera.solve",
        Step = 2,
        Name = "Solve",
        Unit = "px",
        Tolerance = 0.5,
        How = "Root mean square of the distance between every tracked place and where the solved camera sees its point.",
    };

    public static Reading Rms(double rms, IReadOnlyList<(int Frame, double RmsPx)> frames, int tracksUsed, string worstTrack)
    {
        var worst = frames.MaxBy(f => f.RmsPx);
        return (
            RmsBlank with
            {
                Value = rms,
                Note = $"{tracksUsed} tracks; worst frame {worst.Frame}, {worst.RmsPx:0.00} px; {worstTrack}",
                Worst = new(worst.Frame),
                PerFrame = [.. frames.Select(f => new FrameValue(f.Frame, f.RmsPx))],
            }
        ).Judged();
    }

    public static readonly Reading HeldOutBlank = new()
    {
        Id = "camera.heldout",
        Step = 2,
        Name = "Held-out tracks",
        Unit = "px",
        Tolerance = 0.7,
        How =
            "A tenth of the tracks take no part in the solve. Each is placed from every other frame and measured in the frames "
            + "between; this is the middle one of those errors.",
    };

    public static Reading HeldOut(HeldOutReport? report) =>
        report is null
            ? HeldOutBlank with
            {
                Note = "no held-out track is long enough to be measured",
            }
            : (
                HeldOutBlank with
                {
                    Value = report.MedianPx,
                    Note = $"{report.Tracks} tracks, {100 * report.WithinOnePx:0} % of their places within 1 px",
                }
            ).Judged();

    public static readonly Reading SlideBlank = new()
    {
        Id = "camera.slide",
        Step = 2,
        Name = "Drift forecast",
        Unit = "px",
        Tolerance = 0.1,
        How =
            "How far an element is expected to slide on the picture from one frame to the next, by the solve's covariance: the "
            + "larger half axis of the slide's ellipse (one standard deviation), for the worst element and frame.",
    };

    /// <param name="spots">Feet of elements in the solve's own space.</param>
    public static Reading Slide(BundleCovariance sure, int first, IReadOnlyList<(string Name, Vec3 Spot)> spots)
    {
        if (spots.Count == 0)
        {
            return SlideBlank with { Note = "nothing stands here yet" };
        }
        var perFrame = new double[sure.Views - 1];
        (double Slide, int Frame, string Name) worst = (-1, first, "");
        foreach (var (name, spot) in spots)
        {
            for (int v = 0; v + 1 < sure.Views; v++)
            {
                if (sure.OfSpot(spot, v, v + 1) is not { } c)
                {
                    continue;
                }
                double slide = HalfAxis(c);
                perFrame[v] = Math.Max(perFrame[v], slide);
                if (slide > worst.Slide)
                {
                    worst = (slide, first + v, name);
                }
            }
        }
        if (worst.Slide < 0)
        {
            return SlideBlank with { Note = "no element is before the camera" };
        }
        return (
            SlideBlank with
            {
                Value = worst.Slide,
                Note = $"{worst.Name}, from {worst.Frame} to {worst.Frame + 1}",
                Worst = new(worst.Frame),
                PerFrame = [.. perFrame.Select((s, i) => new FrameValue(first + i, s))],
            }
        ).Judged();
    }

    /// <summary>The larger half axis of a covariance's ellipse.</summary>
    public static double HalfAxis((double XX, double XY, double YY) c) =>
        Math.Sqrt(Math.Max(0, (c.XX + c.YY) / 2 + Math.Sqrt((c.XX - c.YY) * (c.XX - c.YY) / 4 + c.XY * c.XY)));
}
