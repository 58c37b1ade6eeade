using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>What a pass found in a frame.</summary>
/// <param name="Curve">Laid on the picture's border.</param>
/// <param name="Box">Where pixels were looked at: left, top, right, bottom.</param>
/// <param name="Costs">In that box, what it costs to call a pixel outside less what it costs to call it inside.</param>
internal sealed record PassFrame(Curve Curve, PixelBox Box, float[] Costs, double Confidence, double Drift);

/// <summary>An outline carried from frame to frame in one direction, with what is remembered of both its sides.</summary>
internal sealed class OutlinePass
{
    private readonly PictureLine _pictures;
    private readonly OutlineLayers _layers;
    private int _frame;
    private Curve _curve;
    private float[] _coverage;

    // What is remembered of the inside and of the outside, and how sure: in the pixels of the frame that was last.
    private FloatImage _inside,
        _outside;
    private float[] _insideKnown,
        _outsideKnown;
    private (double U, double V) _paceIn,
        _paceOut;
    private bool _hasPace;

    public OutlinePass(PictureLine pictures, OutlineLayers layers, int frame, Curve curve)
    {
        (_pictures, _layers, _frame, _curve) = (pictures, layers, frame, curve);
        FloatImage even = pictures.Of(frame).Even;
        _coverage = layers.CoverageOf(curve);
        (_inside, _outside) = (even.Copy(), even.Copy());
        _insideKnown = [.. _coverage.Select(a => a > 0.95f ? 1f : 0)];
        _outsideKnown = [.. _coverage.Select(a => a < 0.05f ? 1f : 0)];
    }

    /// <param name="after">The frame that comes next, which tells what moves with which side; null: there is none.</param>
    public PassFrame Next(int frame, int? after)
    {
        var from = _pictures.Of(_frame);
        var to = _pictures.Of(frame);
        double size = _layers.Size,
            reach = _layers.Reach;
        var old = _layers.BoxOf(_curve, 40 * size);
        float[] outside = [.. _coverage.Select(a => 1 - a)];
        LayerFlow inner = LayerFlow.Of(from.Levels, to.Levels, _coverage, old, _paceIn, _hasPace, reach);
        IPictureMotion outer = _layers.Outer(_frame, frame, from, to, outside, old, _paceOut, _hasPace, reach);
        (_paceIn, _paceOut, _hasPace) = (inner.Mean, (outer as LayerFlow)?.Mean ?? default, true);
        Curve moved = Moved(_curve, inner);
        var box = _layers.BoxOf(moved, 36 * size);
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] expected = _layers.CoverageOf(moved);
        if (!moved.Closed)
        {
            (_frame, _curve, _coverage) = (frame, moved, expected);
            return new(moved, box, new float[w * h], inner.Found, 0);
        }

        // Both sides as they have moved here, and what is remembered of them.
        var (inHere, inKnown) = _layers.Carried(_inside, _insideKnown, inner, box);
        var (outHere, outKnown) = _layers.Carried(_outside, _outsideKnown, outer, box);
        var (inSeen, inOwn) = _layers.Carried(from.Even, _coverage, inner, box);
        var (outSeen, outOwn) = _layers.Carried(from.Even, outside, outer, box);
        float[] costIn = LayerCosts.Of(to.Even, inHere, inKnown, inSeen, inOwn, box, _layers.Noise),
            costOut = LayerCosts.Of(to.Even, outHere, outKnown, outSeen, outOwn, box, _layers.Noise);
        float[] later = after is { } next ? Later(frame, next, to, _pictures.Of(next), expected, box) : new float[w * h];
        float[] colour = LayerCosts.ByColours(to.Even, from.Even, _coverage, box, 9 * size);
        _layers.HearPlace(frame, box, costIn, costOut, i => outKnown[i] >= 0.5f && costOut[i] < 1.5f);
        var costs = new float[w * h];
        double band = 20 * size;
        float[] off = _layers.Distance(expected, box);
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                // Where nothing is told what was inside stays so, the more the deeper it lies; what comes into view does so outside.
                float prior = Math.Clamp(off[i] / (float)(2.5 * size), -1, 1) * 0.8f + 0.15f * MathF.Max(0, off[i]) / (float)size;
                costs[i] =
                    MathF.Abs(off[i]) > band
                        ? (off[i] > 0 ? 3 * LayerCosts.Most : -3 * LayerCosts.Most)
                        : costOut[i] - costIn[i] + later[i] + prior + colour[i];
            }
        });
        PassFrame found = BorderCut.Settled(to, moved, box, costs, _layers.Noise);

        // What is inside and outside from now on: as it is seen here where it is, as it was remembered where it is hidden.
        _coverage = _layers.CoverageOf(found.Curve);
        (_inside, _insideKnown) = Remembered(to.Even, inHere, inKnown, box, a => a > 0.97f);
        (_outside, _outsideKnown) = Remembered(to.Even, outHere, outKnown, box, a => a < 0.03f);
        (_frame, _curve) = (frame, found.Curve);
        _layers.LearnShadow(frame, _coverage, _curve);
        return found with { Confidence = found.Confidence * (0.4 + 0.6 * Math.Min(1, inner.Found / 0.5)) };
    }

    /// <summary>
    /// What the next frame says of a pixel here: what it costs to say that it goes there with the outside less that it does with the inside. What has
    /// just come into view, on either side, is told by nothing else.
    /// </summary>
    private float[] Later(int frame, int then, PictureLine.Frame now, PictureLine.Frame next, float[] expected, PixelBox box)
    {
        int w = box.Width,
            h = box.Height;
        LayerFlow inner = LayerFlow.Of(now.Levels, next.Levels, expected, box, _paceIn, true, _layers.Reach);
        IPictureMotion outer = _layers.Outer(frame, then, now, next, [.. expected.Select(a => 1 - a)], box, _paceOut, true, _layers.Reach);
        float[] Off(IPictureMotion flow)
        {
            var there = new FloatImage(w, h, 3);
            Parallel.For(0, h, Cores.All, y =>
            {
                for (int x = 0; x < w; x++)
                {
                    var (u, v) = flow.At(x + box.X0, y + box.Y0);
                    next.Even.SampleBilinear(x + box.X0 + u + 0.5, y + box.Y0 + v + 0.5, there.Pixel(x, y));
                }
            });
            return LayerCosts.Differences(now.Even, there, box, _layers.Noise);
        }
        float[] a = Off(inner),
            b = Off(outer);
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                // What goes with the outside and is covered there next says nothing.
                var (u, v) = outer.At(x + box.X0, y + box.Y0);
                var (fx, fy) = inner.From(x + box.X0 + u, y + box.Y0 + v);
                bool covered =
                    fx > -1
                    && fy > -1
                    && fx < _layers.Width
                    && fy < _layers.Height
                    && _layers.Bilinear(expected, Math.Clamp(fx, 0, _layers.Width - 1), Math.Clamp(fy, 0, _layers.Height - 1)) > 0.2f;
                int k = y * w + x;
                result[k] = 0.7f * ((covered ? Math.Min(Math.Min(b[k], a[k]), 6) : Math.Min(b[k], 6)) - Math.Min(a[k], 6));
            }
        });
        return result;
    }

    private (FloatImage Picture, float[] Known) Remembered(
        FloatImage seen,
        FloatImage here,
        float[] known,
        PixelBox box,
        Func<float, bool> own
    )
    {
        FloatImage picture = seen.Copy();
        float[] sure = [.. _coverage.Select(a => own(a) ? 1f : 0)];
        int w = box.X1 - box.X0;
        Parallel.For(box.Y0, box.Y1, Cores.All, y =>
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                int i = y * _layers.Width + x,
                    k = (y - box.Y0) * w + x - box.X0;
                if (sure[i] > 0)
                {
                    continue;
                }
                here.Data.AsSpan(3 * k, 3).CopyTo(picture.Data.AsSpan(3 * i));
                // A memory fades: motion that is extrapolated goes astray.
                sure[i] = known[k] * 0.9f;
            }
        });
        return (picture, sure);
    }

    public static Curve Moved(Curve curve, LayerFlow flow) =>
        new(
            [
                .. curve.Knots.Select(k =>
                {
                    (double X, double Y) Go(double x, double y)
                    {
                        var (u, v) = flow.At(x - 0.5, y - 0.5);
                        return (x + u, y + v);
                    }
                    var (x, y) = Go(k.X, k.Y);
                    var (ix, iy) = Go(k.X + k.InX, k.Y + k.InY);
                    var (ox, oy) = Go(k.X + k.OutX, k.Y + k.OutY);
                    return k with { X = x, Y = y, InX = ix - x, InY = iy - y, OutX = ox - x, OutY = oy - y };
                }),
            ],
            curve.Closed
        );
}
