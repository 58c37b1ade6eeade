using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// An outline that was followed, gone over again: each frame by those on both sides of it at once, so that what comes into view later, or was seen
/// before, counts alike, and what one frame took wrongly the others put right.
/// </summary>
internal sealed class OutlineRound(PictureLine pictures, OutlineLayers layers)
{
    /// <summary>What either side's picture is missed by counts at most so much: its motion is known as a whole only.</summary>
    private const float MostMissed = 5;

    /// <summary>And so much where it was not seen in the frame beside.</summary>
    private const float Unseen = 4;

    /// <summary>What was found before counts so much.</summary>
    private const float Before = 0.4f;

    /// <param name="near">As it stands in the frame.</param>
    /// <param name="beside">The frames before and after, as they stand there; one of them at least.</param>
    public PassFrame Again(int frame, PassFrame near, IReadOnlyList<(int Frame, Curve Curve)> beside)
    {
        var to = pictures.Of(frame);
        double size = layers.Size;
        PixelBox box = layers.BoxOf(near.Curve, 36 * size);
        int w = box.Width,
            h = box.Height;
        float[] own = layers.CoverageOf(near.Curve);
        float[]? costIn = null,
            costOut = null;
        var prior = new float[w * h];
        var colour = new float[w * h];
        double found = 0;
        foreach (var (other, curve) in beside)
        {
            var from = pictures.Of(other);
            float[] inside = layers.CoverageOf(curve),
                outside = [.. inside.Select(a => 1 - a)];
            PixelBox old = layers.BoxOf(curve, 40 * size);
            LayerFlow inner = LayerFlow.Of(from.Levels, to.Levels, inside, old, Pace(curve, near.Curve), true, 16 * size);
            IPictureMotion outer = layers.Outer(other, frame, from, to, outside, old, default, false, layers.Reach);
            var (inSeen, inOwn) = layers.Carried(from.Even, inside, inner, box);
            var (outSeen, outOwn) = layers.Carried(from.Even, outside, outer, box);
            float[] byIn = LayerCosts.Differences(to.Even, inSeen, box, layers.Noise),
                byOut = LayerCosts.Differences(to.Even, outSeen, box, layers.Noise),
                hue = LayerCosts.ByColours(to.Even, from.Even, inside, box, 9 * size);
            for (int i = 0; i < byIn.Length; i++)
            {
                // What it was not seen at says little.
                byIn[i] = inOwn[i] > 0.5f ? Math.Min(byIn[i], MostMissed) : Math.Min(Unseen, byIn[i] + LayerCosts.Turned);
                byOut[i] = outOwn[i] > 0.5f ? byOut[i] : Math.Min(Unseen, byOut[i] + LayerCosts.Turned);
                prior[i] += (inOwn[i] - 0.5f) * 2 / beside.Count;
                colour[i] += hue[i] / beside.Count;
            }
            costIn = costIn is null ? byIn : [.. costIn.Zip(byIn, Math.Min)];
            costOut = costOut is null ? byOut : [.. costOut.Zip(byOut, Math.Min)];
            found += inner.Found / beside.Count;
        }
        float[] seenOut = [.. costOut!];
        layers.HearPlace(frame, box, costIn!, costOut!, i => seenOut[i] < 1.5f);
        float[] off = layers.Distance(own, box);
        var costs = new float[w * h];
        double band = 20 * size;
        for (int i = 0; i < costs.Length; i++)
        {
            costs[i] =
                Math.Abs(off[i]) > band && prior[i] * off[i] > 0
                    ? (off[i] > 0 ? 3 * LayerCosts.Most : -3 * LayerCosts.Most)
                    : costOut![i] - costIn![i] + 1.5f * prior[i] + colour[i] + Own(near, box, i);
        }
        PassFrame settled = BorderCut.Settled(to, near.Curve, box, costs, layers.Noise);
        return settled with { Confidence = settled.Confidence * (0.4 + 0.6 * Math.Min(1, found / 0.5)), Drift = near.Drift };
    }

    /// <summary>What was found of a pixel before.</summary>
    private static float Own(PassFrame near, PixelBox box, int i)
    {
        int x = box.X0 + i % box.Width - near.Box.X0,
            y = box.Y0 + i / box.Width - near.Box.Y0;
        return near.Costs.Length > 0 && x >= 0 && y >= 0 && x < near.Box.Width && y < near.Box.Height
            ? Before * Math.Clamp(near.Costs[y * near.Box.Width + x], -8, 8)
            : 0;
    }

    /// <summary>How far the middle of what one encloses lies from another's.</summary>
    private static (double U, double V) Pace(Curve from, Curve to) =>
        (Middle(from), Middle(to)) is var ((ax, ay), (bx, by)) ? (bx - ax, by - ay) : default;

    private static (double X, double Y) Middle(Curve curve)
    {
        double[] flat = curve.Flat(0.5);
        double area = 0,
            x = 0,
            y = 0;
        for (int i = 0, n = flat.Length / 2, j = n - 1; i < n; j = i++)
        {
            double cross = flat[2 * j] * flat[2 * i + 1] - flat[2 * i] * flat[2 * j + 1];
            (area, x, y) = (area + cross, x + (flat[2 * j] + flat[2 * i]) * cross, y + (flat[2 * j + 1] + flat[2 * i + 1]) * cross);
        }
        return Math.Abs(area) < 1e-9 ? (flat[0], flat[1]) : (x / (3 * area), y / (3 * area));
    }
}
