namespace Plenk.Core.Tracking;

/// <summary>Where a track was seen, in pixels of the plate (centres at +0.5).</summary>
public readonly record struct TrackPoint(int Frame, double X, double Y);

/// <summary>A followed feature: its places, frame after frame without gaps, and why it ended.</summary>
public sealed class Track(int id)
{
    public int Id { get; } = id;
    public List<TrackPoint> Points { get; } = [];
    public string Ended { get; set; } = "";

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
/// Follows features through a sequence: pyramidal Lucas–Kanade from the frame before (Lucas and Kanade 1981; Bouguet 2000),
/// checked backwards, then settled against the feature's first appearance under an affine warp with gain and bias (Shi and
/// Tomasi 1994; Baker and Matthews 2004), so that nothing drifts.
/// </summary>
public sealed class PointTracker(TrackerSettings settings)
{
    private sealed class Live(Track track, float[] template)
    {
        public readonly Track Track = track;
        public readonly float[] Template = template;
        // Warp from the first appearance to the present frame: place + A · offset.
        public double X, Y, A11 = 1, A12, A21, A22 = 1;
    }

    private readonly List<Live> _live = [];
    private readonly List<Track> _all = [];
    private GrayPyramid? _before;
    private int _frame;

    public IReadOnlyList<Track> Tracks => _all;
    public int LiveCount => _live.Count;

    /// <summary>The next frame of the sequence. Frames must come one after another.</summary>
    public void Next(int frame, GrayPyramid picture, Func<int, int, bool>? allowed = null)
    {
        if (_before is not null)
        {
            if (frame != _frame + 1) { throw new ArgumentException($"frame {frame} does not follow {_frame}"); }
            var ended = new string?[_live.Count];
            Parallel.For(0, _live.Count, i => ended[i] = Follow(_live[i], _before, picture, allowed));
            for (int i = _live.Count - 1; i >= 0; i--)
            {
                if (ended[i] is not { } why)
                {
                    _live[i].Track.Points.Add(new(frame, _live[i].X + 0.5, _live[i].Y + 0.5));
                    continue;
                }
                _live[i].Track.Ended = why;
                _live.RemoveAt(i);
            }
        }
        if (_before is null || _live.Count < 0.7 * settings.Count)
        {
            foreach (Feature f in FeatureFinder.Find(picture.Levels[0], settings.Count - _live.Count, settings.Distance, [.. _live.Select(l => (l.X + 0.5, l.Y + 0.5))], allowed))
            {
                var track = new Track(_all.Count + 1);
                track.Points.Add(new(frame, f.X, f.Y));
                _all.Add(track);
                _live.Add(new(track, Cut(picture.Levels[0], f.X - 0.5, f.Y - 0.5)) { X = f.X - 0.5, Y = f.Y - 0.5 });
            }
        }
        (_before, _frame) = (picture, frame);
    }

    private float[] Cut(GrayImage image, double x, double y)
    {
        int r = settings.Radius, n = 2 * r + 1;
        var patch = new float[n * n];
        for (int j = 0; j < n; j++)
        {
            for (int i = 0; i < n; i++) { patch[j * n + i] = image.At((float)(x + i - r), (float)(y + j - r)); }
        }
        return patch;
    }

    /// <summary>Null when the track goes on; else why it ends.</summary>
    private string? Follow(Live live, GrayPyramid before, GrayPyramid now, Func<int, int, bool>? allowed)
    {
        GrayImage image = now.Levels[0];
        double x = live.X, y = live.Y;
        if (!Shift(before, now, live.X, live.Y, ref x, ref y)) { return "no texture to follow"; }
        bool Outside(double a, double b) => !(a >= settings.Radius + 1 && b >= settings.Radius + 1 && a < image.Width - settings.Radius - 2 && b < image.Height - settings.Radius - 2);
        if (Outside(x, y)) { return "left the frame"; }
        double backX = x, backY = y;
        if (!Shift(now, before, x, y, ref backX, ref backY) || Math.Abs(backX - live.X) + Math.Abs(backY - live.Y) > settings.ForwardBackward) { return "did not find its way back"; }
        double sx = x, sy = y, a11 = live.A11, a12 = live.A12, a21 = live.A21, a22 = live.A22;
        double correlation = Settle(image, live.Template, ref sx, ref sy, ref a11, ref a12, ref a21, ref a22);
        double size = a11 * a22 - a12 * a21;
        if (!(correlation >= settings.LeastCorrelation) || !(size is > 0.2 and < 5) || Outside(sx, sy)) { return "no longer looks like its first appearance"; }
        if (Math.Abs(sx - x) + Math.Abs(sy - y) > 2) { return "slid off its place"; }
        if (allowed?.Invoke((int)(sx + 0.5), (int)(sy + 0.5)) == false) { return "went under a matte"; }
        (live.X, live.Y, live.A11, live.A12, live.A21, live.A22) = (sx, sy, a11, a12, a21, a22);
        return null;
    }

    /// <summary>Translation by Lucas–Kanade from coarse to fine. False where there is no texture in two directions.</summary>
    private bool Shift(GrayPyramid from, GrayPyramid to, double x, double y, ref double tx, ref double ty)
    {
        int r = settings.Radius, n = 2 * r + 1, levels = from.Levels.Length;
        double dx = (tx - x) / (1 << (levels - 1)), dy = (ty - y) / (1 << (levels - 1));
        Span<float> patch = stackalloc float[n * n], gx = stackalloc float[n * n], gy = stackalloc float[n * n];
        for (int level = levels - 1; level >= 0; level--)
        {
            GrayImage a = from.Levels[level], b = to.Levels[level];
            double scale = 1.0 / (1 << level), px = (x + 0.5) * scale - 0.5, py = (y + 0.5) * scale - 0.5;
            double xx = 0, xy = 0, yy = 0, mean = 0;
            for (int j = 0; j < n; j++)
            {
                for (int i = 0; i < n; i++)
                {
                    float u = (float)(px + i - r), v = (float)(py + j - r);
                    int k = j * n + i;
                    patch[k] = a.At(u, v);
                    gx[k] = (a.At(u + 1, v) - a.At(u - 1, v)) / 2;
                    gy[k] = (a.At(u, v + 1) - a.At(u, v - 1)) / 2;
                    mean += patch[k];
                    (xx, xy, yy) = (xx + gx[k] * gx[k], xy + gx[k] * gy[k], yy + gy[k] * gy[k]);
                }
            }
            double det = xx * yy - xy * xy;
            if (det < 1e-9) { if (level == 0) { return false; } dx *= 2; dy *= 2; continue; }
            mean /= n * n;
            for (int step = 0; step < (level == 0 ? 12 : 8); step++)
            {
                // The difference of means goes first, so that a change of light is not taken for a move.
                double other = 0;
                for (int j = 0; j < n; j++) { for (int i = 0; i < n; i++) { other += b.At((float)(px + dx + i - r), (float)(py + dy + j - r)); } }
                other /= n * n;
                double bx = 0, by = 0;
                for (int j = 0; j < n; j++)
                {
                    for (int i = 0; i < n; i++)
                    {
                        int k = j * n + i;
                        double e = patch[k] - mean - (b.At((float)(px + dx + i - r), (float)(py + dy + j - r)) - other);
                        (bx, by) = (bx + e * gx[k], by + e * gy[k]);
                    }
                }
                double mx = (yy * bx - xy * by) / det, my = (xx * by - xy * bx) / det;
                if (!(Math.Abs(mx) + Math.Abs(my) < 20)) { return false; }
                (dx, dy) = (dx + mx, dy + my);
                if (mx * mx + my * my < 1e-5) { break; }
            }
            if (level > 0) { dx *= 2; dy *= 2; }
        }
        (tx, ty) = (x + dx, y + dy);
        return true;
    }

    /// <summary>Gauss–Newton on place, affine part, gain and bias against the first appearance; gives the correlation there.</summary>
    private double Settle(GrayImage image, float[] template, ref double x, ref double y, ref double a11, ref double a12, ref double a21, ref double a22)
    {
        int r = settings.Radius, n = 2 * r + 1;
        double gain = 1, bias = 0;
        var normal = new double[64];
        var right = new double[8];
        Span<double> j = stackalloc double[8];
        for (int step = 0; step < 12; step++)
        {
            Array.Clear(normal);
            Array.Clear(right);
            for (int v = -r; v <= r; v++)
            {
                for (int u = -r; u <= r; u++)
                {
                    float px = (float)(x + a11 * u + a12 * v), py = (float)(y + a21 * u + a22 * v);
                    double value = image.At(px, py), gx = (image.At(px + 0.5f, py) - image.At(px - 0.5f, py)) * gain, gy = (image.At(px, py + 0.5f) - image.At(px, py - 0.5f)) * gain;
                    double e = template[(v + r) * n + u + r] - (gain * value + bias);
                    // A soft window: what lies at the rim may belong to something else.
                    double w = 1 - 0.7 * (u * u + v * v) / (2.0 * r * r);
                    (j[0], j[1], j[2], j[3], j[4], j[5], j[6], j[7]) = (gx, gy, gx * u, gx * v, gy * u, gy * v, value, 1);
                    for (int a = 0; a < 8; a++)
                    {
                        double wa = w * j[a];
                        right[a] += wa * e;
                        for (int b = 0; b <= a; b++) { normal[a * 8 + b] += wa * j[b]; }
                    }
                }
            }
            for (int a = 0; a < 8; a++) { normal[a * 9] *= 1 + 1e-6; }
            if (Solving.Cholesky.Solve(normal, right, 8) is not { } d) { return 0; }
            (x, y, a11, a12, a21, a22, gain, bias) = (x + d[0], y + d[1], a11 + d[2], a12 + d[3], a21 + d[4], a22 + d[5], gain + d[6], bias + d[7]);
            if (!double.IsFinite(x + y) || Math.Abs(d[0]) + Math.Abs(d[1]) > 5) { return 0; }
            if (d[0] * d[0] + d[1] * d[1] < 1e-6) { break; }
        }
        double st = 0, si = 0, stt = 0, sii = 0, sti = 0;
        for (int v = -r; v <= r; v++)
        {
            for (int u = -r; u <= r; u++)
            {
                double t = template[(v + r) * n + u + r], i = image.At((float)(x + a11 * u + a12 * v), (float)(y + a21 * u + a22 * v));
                (st, si, stt, sii, sti) = (st + t, si + i, stt + t * t, sii + i * i, sti + t * i);
            }
        }
        double count = n * n, vt = stt - st * st / count, vi = sii - si * si / count;
        return vt > 0 && vi > 0 ? (sti - st * si / count) / Math.Sqrt(vt * vi) : 0;
    }
}
