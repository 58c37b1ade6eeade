using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>What the camera's sheet says of tracks and of the solve.</summary>
public static class CameraSheet
{
    private static string F(double v, int digits) => v.ToString($"F{digits}", CultureInfo.InvariantCulture);

    /// <summary>How many tracks live at a frame; and of the chosen one what became of it.</summary>
    public static (int Live, (int Id, string Line)? Chosen) Live(ShotDocument shot, TrackWork work, int frame, string? chosen)
    {
        if (shot.Tracks is null)
        {
            return (0, null);
        }
        IReadOnlyList<Track> tracks = work.Tracks(shot);
        Track? t = int.TryParse(chosen, CultureInfo.InvariantCulture, out int id) ? tracks.FirstOrDefault(x => x.Id == id) : null;
        return (tracks.Count(x => x.TryAt(frame, out _)), t is null ? null : (t.Id, Line(shot, work, t)));
    }

    private static string Line(ShotDocument shot, TrackWork work, Track t)
    {
        TrackFile.StoredSolve? solve = work.Solve(shot);
        double? rms = solve?.Points.Where(p => p.Track == t.Id).Select(p => (double?)p.RmsPx).FirstOrDefault();
        return $"track {t.Id}: {t.Points[0].Frame}–{t.Points[^1].Frame}"
            + (rms is { } r ? $", {F(r, 2)} px" : "")
            + $", {work.Fate(shot, t.Id)}"
            + (t.Ended is { Length: > 0 } ended ? $"; ended: {ended}" : "");
    }

    public static IEnumerable<string> Report(TrackFile.StoredSolve s, ShotDocument shot)
    {
        double mm = shot.Plate is { } plate ? plate.SensorWidthMm / s.Width : 0;
        yield return $"{F(s.RmsPx, 3)} px over {s.Points.Length} tracks{(s.Turning ? ", turning" : "")}";
        yield return $"focal length {F(s.FocalPx * mm, 3)} mm{(s.FocalDoubtPx > 0 ? $" ± {F(s.FocalDoubtPx * mm, 3)}" : ", held")}";
        yield return $"k1 {F(s.K1, 4)}  k2 {F(s.K2, 4)}";
        if (s.Report is { } r)
        {
            yield return $"last adjustment: cost {F(r.StartCost, 1)} → {F(r.EndCost, 1)} in {r.Iterations} steps, until {r.Stopped}";
        }
        if (s.HeldOut is { } held)
        {
            yield return $"held out: {held.Tracks} tracks, middle error {F(held.MedianPx, 2)} px";
        }
        foreach (var g in s.LeftOut.GroupBy(l => l.Why).OrderByDescending(g => g.Count()))
        {
            yield return $"left out: {g.Count()}, {(g.Count() == 1 ? "it" : "each")} {g.Key}";
        }
    }

    public static IEnumerable<(string, string)> Curves(TrackFile.StoredSolve s)
    {
        yield return ("rms", "a reading");
        yield return ("place", "the camera’s place");
        yield return ("turn", "the camera’s turn");
        if (s.Zooms)
        {
            yield return ("focal", "the focal length");
        }
    }

    /// <summary>What would go at a threshold, by the solve as it is.</summary>
    /// <param name="Threshold">RMS of a track, px.</param>
    /// <param name="Go">Ids of those that would.</param>
    public sealed record Cleaning(double Threshold, int[] Go, bool Can, string Says);

    /// <param name="threshold">Null: such that about one in twenty goes.</param>
    public static Cleaning Clean(TrackFile.StoredSolve s, double? threshold)
    {
        double[] sorted = [.. s.Points.Select(p => p.RmsPx).Order()];
        double over = threshold ?? Math.Max(0.3, sorted.Length == 0 ? 0 : Math.Round(20 * sorted[(int)(0.95 * (sorted.Length - 1))]) / 20);
        var stay = s.Points.Where(p => p.RmsPx <= over).ToArray();
        int[] go = [.. s.Points.Where(p => p.RmsPx > over).Select(p => p.Track)];
        double rms = Math.Sqrt(stay.Sum(p => p.RmsPx * p.RmsPx * p.Seen) / Math.Max(1, stay.Sum(p => p.Seen)));
        int least = s.Turning ? 12 : 20;
        return new(
            over,
            go,
            go.Length > 0 && stay.Length >= least,
            stay.Length < least ? $"Only {stay.Length} tracks would stay; a solve needs {least}."
                : go.Length > 0 ? $"{go.Length} of {s.Points.Length} tracks would go; {F(s.RmsPx, 3)} px would become about {F(rms, 3)} px."
                : "No track is over it."
        );
    }
}
