using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>An outline in a frame, as it was drawn or followed.</summary>
/// <param name="Confidence">How well what lies on either side of it is told apart by the picture, 0..1; 1 where it was drawn.</param>
/// <param name="DriftPixels">How far it was put right by the picture after it had been moved, root mean square; 0 where it was drawn.</param>
public sealed record FollowedOutline(int Frame, Curve Curve, double Confidence, double DriftPixels);

/// <summary>
/// Closed outlines that go on from their keys by themselves. From a frame to the next the inside and the outside are each moved by their own
/// motion and remembered where they are hidden; a pixel near the border belongs to that of the two whose picture it is, or which its colour is
/// nearer to, cut where that is cheapest (graph cut over contrast: Boykov and Jolly 2001), and the border is settled to a part of a pixel by how
/// both sides mix there. Between two keys it is followed from either and joined by how near they are; then every frame is settled once more by those on
/// both sides of it. Where the place behind is seen at other times, what hides it, and what shows it in light or shadow, tell too. The knots stay the
/// drawn shape's.
/// </summary>
public static class OutlineFollower
{
    /// <summary>Wider plates are followed in a picture of this width: what is remembered of both sides would not fit beside other work.</summary>
    public const int WidestPixels = 2048;

    /// <summary>Costs that are kept for going over it again, pixels.</summary>
    private const long MostKept = 40_000_000;

    /// <summary>How long going over it again takes, over following it.</summary>
    private const double Round = 0.4;

    /// <param name="picture">Scene-linear RGB of a frame.</param>
    /// <param name="keys">As drawn; made to correspond by <see cref="OutlinePairing.Common"/>.</param>
    /// <param name="strokeWidth">Of open ones, pixels: they go where what lies under them goes, and are settled on no edge.</param>
    /// <param name="place">Where the rebuilt place is known: what is around the outline goes where that does; null: as it looks.</param>
    /// <param name="spacing">Knots are put in until none is further from the next along the curve, pixels; null: none.</param>
    /// <exception cref="ArgumentException">There is no key, or one has too few knots.</exception>
    public static IReadOnlyList<FollowedOutline> Follow(
        Func<int, FloatImage> picture,
        IReadOnlyList<(int Frame, Curve Curve)> keys,
        int first,
        int last,
        double? spacing = null,
        double strokeWidth = 2,
        FilmedPlace? place = null,
        Action<double>? progress = null,
        CancellationToken stop = default
    )
    {
        if (keys.Count == 0 || keys.Any(k => k.Curve.Knots.Count < (k.Curve.Closed ? 3 : 2)))
        {
            throw new ArgumentException("a key of three knots or more is needed, of two where it is open", nameof(keys));
        }
        keys = [.. keys.OrderBy(k => k.Frame)];
        IReadOnlyList<Curve> common = Spaced(OutlinePairing.Common([.. keys.Select(k => k.Curve)]), spacing);
        (int Frame, Curve Curve)[] own = [.. keys.Select((k, i) => (k.Frame, common[i]))];
        var seen = new PictureLine(picture);
        var behind = new PlaceBehind(seen, first, last, place);
        FloatImage even = seen.Of(own[0].Frame).Even;
        var layers = new OutlineLayers(behind, even.Width, even.Height, LayerCosts.NoiseOf(even), strokeWidth);
        foreach (var (frame, curve) in own.Where(k => k.Curve.Closed && k.Frame >= first && k.Frame <= last))
        {
            PixelBox box = layers.BoxOf(curve, OutlineLayers.Beside * layers.Size);
            behind.LearnShadow(frame, layers.CoverageOf(curve), box, even.Width, layers.Noise);
            behind.LearnPassing(frame, layers.CoverageOf(curve), box, even.Width, layers.Noise);
        }
        var result = new SortedDictionary<int, FollowedOutline>();
        foreach (var (frame, curve) in own.Where(k => k.Frame >= first && k.Frame <= last))
        {
            result[frame] = new(frame, curve, 1, 0);
        }
        var was = new Dictionary<int, PassFrame>();
        long kept = 0;
        void Keep(int frame, PassFrame found)
        {
            // Large outlines over many frames would fill the memory: then the curve alone is kept.
            kept += found.Costs.Length;
            was[frame] = kept <= MostKept ? found : found with { Costs = [] };
        }
        double done = 0,
            all = Math.Max(1, last - first);
        void Step(double share)
        {
            stop.ThrowIfCancellationRequested();
            done += share;
            progress?.Invoke(Math.Min(1, done / all / (1 + Round)));
        }
        // Before the first key and after the last.
        foreach (var (key, to) in new[] { (own[0], first), (own[^1], last) })
        {
            int way = Math.Sign(to - key.Frame);
            if ((key == own[0] && way >= 0 && own.Length > 1) || way == 0 || (key == own[^1] && way < 0 && own.Length > 1))
            {
                continue;
            }
            var pass = new OutlinePass(seen, layers, key.Frame, key.Curve);
            for (int f = key.Frame + way; f != to + way; f += way)
            {
                PassFrame step = pass.Next(f, f == to ? null : f + way);
                Keep(f, step);
                result[f] = new(f, step.Curve, step.Confidence, step.Drift);
                Step(1);
            }
        }
        for (int k = 0; k + 1 < own.Length; k++)
        {
            int a = own[k].Frame,
                b = own[k + 1].Frame;
            if (b - a < 2)
            {
                continue;
            }
            var ahead = new Dictionary<int, PassFrame>();
            var pass = new OutlinePass(seen, layers, a, own[k].Curve);
            // Each goes on to the other key: how well it ends there tells how far it went astray.
            for (int f = a + 1; f <= b; f++)
            {
                ahead[f] = pass.Next(f, f < b ? f + 1 : null);
                Step(0.5);
            }
            double strayAhead = Stray(seen, b, ahead[b].Curve, own[k + 1].Curve);
            pass = new OutlinePass(seen, layers, b, own[k + 1].Curve);
            var back = new Dictionary<int, PassFrame>();
            for (int f = b - 1; f >= a; f--)
            {
                back[f] = pass.Next(f, f > a ? f - 1 : null);
                Step(0.4);
            }
            double strayBack = Stray(seen, a, back[a].Curve, own[k].Curve);
            for (int f = a + 1; f < b; f++)
            {
                double share = (double)(f - a) / (b - a),
                    one = 0.02 + strayAhead * Math.Pow(share, 1.5),
                    other = 0.02 + strayBack * Math.Pow(1 - share, 1.5);
                PassFrame joined = BorderCut.Joined(seen, f, ahead[f], back[f], one * one / (one * one + other * other));
                if (f >= first && f <= last)
                {
                    Keep(f, joined);
                    result[f] = new(f, joined.Curve, joined.Confidence, joined.Drift);
                }
                Step(0.1);
            }
        }
        if (own[0].Curve.Closed)
        {
            var round = new OutlineRound(seen, layers);
            int[] again = [.. result.Keys.Where(f => own.All(o => o.Frame != f))];
            foreach (int f in again)
            {
                (int, Curve)[] beside = [.. new[] { f - 1, f + 1 }.Where(result.ContainsKey).Select(o => (o, result[o].Curve))];
                if (beside.Length > 0)
                {
                    PassFrame settled = round.Again(f, was[f], beside);
                    result[f] = new(f, settled.Curve, settled.Confidence, settled.Drift);
                }
                Step(Round * all / again.Length);
            }
        }
        return [.. result.Values.Where(r => r.Frame >= first && r.Frame <= last)];
    }

    /// <summary>Share of two outlines' area that only one has.</summary>
    private static double Stray(PictureLine seen, int frame, Curve a, Curve b)
    {
        if (!a.Closed)
        {
            return 0.1;
        }
        FloatImage even = seen.Of(frame).Even;
        float[] one = MatteShape.Coverage(a.Flat(0.1), even.Width, even.Height),
            other = MatteShape.Coverage(b.Flat(0.1), even.Width, even.Height);
        double both = 0,
            either = 0;
        for (int i = 0; i < one.Length; i++)
        {
            both += Math.Min(one[i], other[i]);
            either += Math.Max(one[i], other[i]);
        }
        return either > 0 ? 1 - both / either : 1;
    }

    private static IReadOnlyList<Curve> Spaced(IReadOnlyList<Curve> curves, double? spacing)
    {
        if (spacing is not { } apart)
        {
            return curves;
        }
        var places = new List<double>();
        for (int i = 0; i < curves[0].Spans; i++)
        {
            double length = curves.Max(c => new Curve([c.Knots[i], c.Knots[(i + 1) % c.Knots.Count]], false).Length());
            int n = Math.Clamp((int)Math.Ceiling(length / apart), 1, 200);
            places.AddRange(Enumerable.Range(0, n).Select(k => i + (double)k / n));
        }
        return [.. curves.Select(c => c.Of(places))];
    }
}
