namespace Plenk.Core.Tracking;

/// <summary>Where a track was seen, in pixels of the plate (centres at +0.5).</summary>
public readonly record struct TrackPoint(int Frame, double X, double Y);

/// <summary>A followed feature: its places, frame after frame without gaps, and why it ended.</summary>
public sealed class Track(int id)
{
    public int Id { get; } = id;
    public List<TrackPoint> Points { get; } = [];
    public string Ended { get; set; } = "";

    /// <summary>Why it does not reach further back; "": it was found there.</summary>
    public string Began { get; set; } = "";

    /// <summary>Placed or held by hand.</summary>
    public bool ByHand { get; set; }

    public bool TryAt(int frame, out TrackPoint point)
    {
        int i = Points.Count == 0 ? -1 : frame - Points[0].Frame;
        point = i >= 0 && i < Points.Count ? Points[i] : default;
        return i >= 0 && i < Points.Count;
    }
}

public sealed record TrackerSettings
{
    /// <summary>Live tracks that are kept up; new features are found when fewer than 70 % live.</summary>
    public int Count { get; init; } = 500;
    public double Distance { get; init; } = 12;

    /// <summary>Half the window's side, pixels.</summary>
    public int Radius { get; init; } = 10;

    /// <summary>A track that does not come back to where it came from within this, in pixels, has failed.</summary>
    public double ForwardBackward { get; init; } = 0.4;

    /// <summary>Correlation with the first appearance below which a track has drifted onto something else.</summary>
    public double LeastCorrelation { get; init; } = 0.85;
}

/// <summary>
/// Follows features through a sequence, forwards or backwards: window by window from the frame before, checked back, then settled
/// against the feature's first appearance under an affine warp with gain and bias (Shi and Tomasi 1994), so that nothing drifts.
/// </summary>
public sealed class PointTracker(TrackerSettings settings)
{
    private sealed class Live(Track track, PatchTemplate template, PatchWarp warp)
    {
        public readonly Track Track = track;
        public readonly PatchTemplate Template = template;
        public PatchWarp Warp = warp;
        public (double X, double Y) Pace;
    }

    private readonly List<Live> _live = [];
    private readonly List<Track> _all = [];
    private GrayPyramid? _before;
    private int _frame,
        _direction;

    public IReadOnlyList<Track> Tracks => _all;
    public int LiveCount => _live.Count;

    /// <summary>The next frame of the sequence, one after or one before the last, always the same way.</summary>
    /// <param name="allowed">Tracks end where it says no, and none begins there.</param>
    public void Next(int frame, GrayPyramid picture, Func<int, int, bool>? allowed = null, bool findMore = false)
    {
        Advance(frame, picture, allowed);
        Find(allowed, findMore);
    }

    /// <summary>Follows what lives into the next frame.</summary>
    public void Advance(int frame, GrayPyramid picture, Func<int, int, bool>? allowed = null)
    {
        if (_before is not null)
        {
            int direction = frame - _frame;
            if (Math.Abs(direction) != 1 || (_direction != 0 && direction != _direction))
            {
                throw new ArgumentException($"frame {frame} does not follow {_frame}");
            }
            _direction = direction;
            var ended = new string?[_live.Count];
            GrayPyramid before = _before;
            Parallel.For(0, _live.Count, Cores.All, i => ended[i] = Follow(_live[i], before, picture, allowed));
            for (int i = _live.Count - 1; i >= 0; i--)
            {
                Live live = _live[i];
                if (ended[i] is null)
                {
                    var point = new TrackPoint(frame, live.Warp.X + 0.5, live.Warp.Y + 0.5);
                    if (direction > 0)
                    {
                        live.Track.Points.Add(point);
                    }
                    else
                    {
                        live.Track.Points.Insert(0, point);
                    }
                    continue;
                }
                if (direction > 0)
                {
                    live.Track.Ended = ended[i]!;
                }
                else
                {
                    live.Track.Began = ended[i]!;
                }
                _live.RemoveAt(i);
            }
        }
        (_before, _frame) = (picture, frame);
    }

    /// <summary>Finds new features in the present frame where too few live, or when told to.</summary>
    public void Find(Func<int, int, bool>? allowed = null, bool findMore = false)
    {
        GrayPyramid picture = _before ?? throw new InvalidOperationException("features are found in a frame");
        if (settings.Count > 0 && (findMore || _live.Count < 0.7 * settings.Count))
        {
            foreach (
                Feature f in FeatureFinder.Find(
                    picture.Levels[0],
                    settings.Count - _live.Count,
                    settings.Distance,
                    [.. _live.Select(l => (l.Warp.X + 0.5, l.Warp.Y + 0.5))],
                    allowed
                )
            )
            {
                Seed(new Track(_all.Count + 1), f.X, f.Y);
            }
        }
    }

    /// <summary>
    /// Begins a track at a place of the present frame; one that has points already there is taken up (to follow it the other way).
    /// </summary>
    public bool Seed(Track track, double x, double y)
    {
        if (_before is null)
        {
            throw new InvalidOperationException("a track begins in a frame");
        }
        var template = new PatchTemplate(_before.Levels[0], x - 0.5, y - 0.5, settings.Radius);
        if (!template.IsUsable)
        {
            return false;
        }
        if (track.Points.Count == 0)
        {
            track.Points.Add(new(_frame, x, y));
        }
        _all.Add(track);
        _live.Add(new(track, template, PatchWarp.At(x - 0.5, y - 0.5)));
        return true;
    }

    /// <summary>Null when the track goes on; else why it ends.</summary>
    private string? Follow(Live live, GrayPyramid before, GrayPyramid now, Func<int, int, bool>? allowed)
    {
        GrayImage image = now.Levels[0];
        int r = settings.Radius;
        double x = live.Warp.X,
            y = live.Warp.Y;
        string? lost = Shift(live, before, now, r, ref x, ref y, int.MaxValue);
        if (lost is not null)
        {
            // Wide windows may see what changes beside it, a flash or something passing: once more closely, from where it was going.
            (x, y) = (live.Warp.X + live.Pace.X, live.Warp.Y + live.Pace.Y);
            if (Shift(live, before, now, r, ref x, ref y, 2) is not null)
            {
                return lost;
            }
        }
        bool Outside(double a, double b) => !(a >= r + 1 && b >= r + 1 && a < image.Width - r - 2 && b < image.Height - r - 2);
        if (Outside(x, y))
        {
            return "left the frame";
        }
        PatchWarp warp = live.Warp with { X = x, Y = y };
        double correlation = live.Template.Settle(image, ref warp);
        if (!(correlation >= settings.LeastCorrelation) || !(warp.Size is > 0.2 and < 5) || Outside(warp.X, warp.Y))
        {
            return "no longer looks like its first appearance";
        }
        if (Math.Abs(warp.X - x) + Math.Abs(warp.Y - y) > 2)
        {
            return "slid off its place";
        }
        if (allowed?.Invoke((int)(warp.X + 0.5), (int)(warp.Y + 0.5)) == false)
        {
            return "went under a matte";
        }
        live.Pace = (warp.X - live.Warp.X, warp.Y - live.Warp.Y);
        live.Warp = warp;
        return null;
    }

    /// <summary>There and back again; null where it comes back to where it was.</summary>
    private string? Shift(Live live, GrayPyramid before, GrayPyramid now, int radius, ref double x, ref double y, int levels)
    {
        if (!WindowShift.Find(before, now, live.Warp.X, live.Warp.Y, radius, ref x, ref y, levels))
        {
            return "no texture to follow";
        }
        GrayImage image = now.Levels[0];
        if (!(x >= 0 && y >= 0 && x < image.Width && y < image.Height))
        {
            return null;
        } // it left; that is told by the caller
        var (backX, backY) = levels == int.MaxValue ? (x, y) : (x - live.Pace.X, y - live.Pace.Y);
        bool back =
            WindowShift.Find(now, before, x, y, radius, ref backX, ref backY, levels)
            && Math.Abs(backX - live.Warp.X) + Math.Abs(backY - live.Warp.Y) <= settings.ForwardBackward;
        return back ? null : "did not find its way back";
    }
}
