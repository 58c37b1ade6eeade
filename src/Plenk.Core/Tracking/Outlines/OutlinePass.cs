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
    /// <summary>What a pixel's difference costs at most: it may be a reflection, or something new.</summary>
    private const float Most = 10;

    /// <summary>The price of a part of a layer that was never seen.</summary>
    private const float New = 3;

    /// <summary>The price of a pixel that moves with one side but was called the other's.</summary>
    private const float Turned = 2.5f;

    /// <summary>What a line goes with is looked at so wide at least, pixels.</summary>
    private const double LeastStroke = 12;
    private readonly OutlineFollower.PictureLine _pictures;
    private readonly PlaceBehind _behind;
    private readonly int _width,
        _height;
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
    private readonly float _noise;
    private readonly double _stroke;

    public OutlinePass(OutlineFollower.PictureLine pictures, PlaceBehind behind, int frame, Curve curve, double stroke)
    {
        (_pictures, _behind, _frame, _curve, _stroke) = (pictures, behind, frame, curve, stroke);
        FloatImage even = pictures.Of(frame).Even;
        (_width, _height) = (even.Width, even.Height);
        _coverage = CoverageOf(curve);
        (_inside, _outside) = (even.Copy(), even.Copy());
        _insideKnown = [.. _coverage.Select(a => a > 0.95f ? 1f : 0)];
        _outsideKnown = [.. _coverage.Select(a => a < 0.05f ? 1f : 0)];
        _noise = NoiseOf(even);
    }

    /// <summary>Without its feather.</summary>
    private float[] CoverageOf(Curve curve) =>
        curve.Closed
            ? MatteShape.Coverage(curve.Flat(0.05), _width, _height)
            : OutlineCoverage.Of(
                new([.. curve.Knots.Select(k => k with { Feather = 0, FeatherIn = 0 })], false),
                _width,
                _height,
                strokeWidth: Math.Max(_stroke, LeastStroke)
            );

    /// <summary>Of what neighbours differ by where little is seen: the median of |I(x) − (I(x − 1) + I(x + 1)) ÷ 2|, over its share of σ.</summary>
    private static float NoiseOf(FloatImage even)
    {
        var some = new List<float>();
        for (int y = 1; y < even.Height - 1; y += 3)
        {
            for (int x = 1; x < even.Width - 1; x += 3)
            {
                int i = 3 * (y * even.Width + x) + 1;
                some.Add(MathF.Abs(even.Data[i] - (even.Data[i - 3] + even.Data[i + 3]) / 2));
            }
        }
        some.Sort();
        // √1.5 σ, and the median of |normal| is 0.6745 σ; texture adds to it, so a low part of it is taken.
        return some.Count == 0 ? 0.02f : Math.Clamp(some[some.Count / 4] / (0.3186f * 1.2247f), 0.008f, 0.05f);
    }

    private PixelBox BoxOf(Curve curve, double margin)
    {
        double[] flat = curve.Flat(0.5);
        double left = double.MaxValue,
            top = double.MaxValue,
            right = double.MinValue,
            bottom = double.MinValue;
        for (int i = 0; i < flat.Length; i += 2)
        {
            (left, right) = (Math.Min(left, flat[i]), Math.Max(right, flat[i]));
            (top, bottom) = (Math.Min(top, flat[i + 1]), Math.Max(bottom, flat[i + 1]));
        }
        int Within(double v, int most) => (int)Math.Clamp(v, 0, most);
        return new(
            Within(left - margin, _width - 1),
            Within(top - margin, _height - 1),
            Within(right + margin, _width - 1) + 1,
            Within(bottom + margin, _height - 1) + 1
        );
    }

    /// <param name="after">The frame that comes next, which tells what moves with which side; null: there is none.</param>
    public PassFrame Next(int frame, int? after)
    {
        var from = _pictures.Of(_frame);
        var to = _pictures.Of(frame);
        double size = _width / 640.0,
            reach = 34 * size;
        var old = BoxOf(_curve, 40 * size);
        float[] outside = [.. _coverage.Select(a => 1 - a)];
        LayerFlow inner = LayerFlow.Of(from.Levels, to.Levels, _coverage, old, _paceIn, _hasPace, reach),
            outer = LayerFlow.Of(from.Levels, to.Levels, outside, old, _paceOut, _hasPace, reach);
        (_paceIn, _paceOut, _hasPace) = (inner.Mean, outer.Mean, true);
        Curve moved = Moved(_curve, inner);
        var box = BoxOf(moved, 36 * size);
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] expected = CoverageOf(moved);
        if (!moved.Closed)
        {
            (_frame, _curve, _coverage) = (frame, moved, expected);
            return new(moved, box, new float[w * h], inner.Found, 0);
        }

        // Both sides as they have moved here, and what is remembered of them.
        var (inHere, inKnown) = Carried(_inside, _insideKnown, inner, box);
        var (outHere, outKnown) = Carried(_outside, _outsideKnown, outer, box);
        var (inSeen, inOwn) = Carried(from.Even, _coverage, inner, box);
        var (outSeen, outOwn) = Carried(from.Even, outside, outer, box);
        float[] costIn = Costs(to.Even, inHere, inKnown, inSeen, inOwn, box),
            costOut = Costs(to.Even, outHere, outKnown, outSeen, outOwn, box);
        float[] later = after is { } next ? Later(to, _pictures.Of(next), expected, box, reach) : new float[w * h];
        float[] colour = Colours(to.Even, expected, box, 9 * size);
        float[] hidden = _behind.Hidden(frame, _noise);
        int small = _pictures.Small(frame).Even.Width,
            smallHigh = hidden.Length / small;
        var costs = new float[w * h];
        double band = 20 * size;
        float[] off = Distance(expected, box);
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                int hx = Math.Min(small - 1, (x + box.X0) * small / _width),
                    hy = Math.Min(smallHigh - 1, (y + box.Y0) * smallHigh / _height);
                // What hides the place behind is no part of that; what is as it was a frame ago, and outside, is.
                if (outKnown[i] < 0.5f || costOut[i] > 1.5f)
                {
                    costOut[i] += (Most - costOut[i]) * hidden[hy * small + hx];
                }
                // Where nothing is told what was inside stays so, the more the deeper it lies; what comes into view does so outside.
                float prior = Math.Clamp(off[i] / (float)(2.5 * size), -1, 1) * 0.8f + 0.15f * MathF.Max(0, off[i]) / (float)size;
                costs[i] =
                    MathF.Abs(off[i]) > band ? (off[i] > 0 ? 3 * Most : -3 * Most) : costOut[i] - costIn[i] + later[i] + prior + colour[i];
            }
        });
        PassFrame found = Settled(to, moved, box, costs, _noise, inHere, outHere);

        // What is inside and outside from now on: as it is seen here where it is, as it was remembered where it is hidden.
        _coverage = CoverageOf(found.Curve);
        (_inside, _insideKnown) = Remembered(to.Even, inHere, inKnown, box, a => a > 0.97f);
        (_outside, _outsideKnown) = Remembered(to.Even, outHere, outKnown, box, a => a < 0.03f);
        (_frame, _curve) = (frame, found.Curve);
        return found with { Confidence = found.Confidence * (0.4 + 0.6 * Math.Min(1, inner.Found / 0.5)) };
    }

    /// <summary>
    /// What the next frame says of a pixel here: what it costs to say that it goes there with the outside less that it does with the inside. What has
    /// just come into view, on either side, is told by nothing else.
    /// </summary>
    private float[] Later(
        OutlineFollower.PictureLine.Frame now,
        OutlineFollower.PictureLine.Frame next,
        float[] expected,
        PixelBox box,
        double reach
    )
    {
        int w = box.Width,
            h = box.Height;
        LayerFlow inner = LayerFlow.Of(now.Levels, next.Levels, expected, box, _paceIn, true, reach),
            outer = LayerFlow.Of(now.Levels, next.Levels, [.. expected.Select(a => 1 - a)], box, _paceOut, true, reach);
        float[] Off(LayerFlow flow)
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
            return Differences(now.Even, there, box);
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
                    && fx < _width
                    && fy < _height
                    && Bilinear(expected, Math.Clamp(fx, 0, _width - 1), Math.Clamp(fy, 0, _height - 1)) > 0.2f;
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
                int i = y * _width + x,
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

    private static Curve Moved(Curve curve, LayerFlow flow) =>
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

    private (FloatImage Picture, float[] Known) Carried(FloatImage picture, float[] known, LayerFlow flow, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        var result = new FloatImage(w, h, 3);
        var sure = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                var (fx, fy) = flow.From(x + box.X0, y + box.Y0);
                if (fx < 0 || fy < 0 || fx > _width - 1 || fy > _height - 1)
                {
                    continue;
                }
                picture.SampleBilinear(fx + 0.5, fy + 0.5, result.Pixel(x, y));
                sure[y * w + x] = Bilinear(known, fx, fy);
            }
        });
        return (result, sure);
    }

    private float Bilinear(float[] field, double x, double y)
    {
        int x0 = Math.Clamp((int)x, 0, _width - 2),
            y0 = Math.Clamp((int)y, 0, _height - 2),
            i = y0 * _width + x0;
        float s = (float)(x - x0),
            t = (float)(y - y0);
        return (1 - t) * ((1 - s) * field[i] + s * field[i + 1]) + t * ((1 - s) * field[i + _width] + s * field[i + _width + 1]);
    }

    /// <summary>
    /// What it costs to say that a pixel is of a layer: how it differs from what is remembered of it there, as noise and a third of a pixel's motion
    /// would explain it; of a place that the layer was not seen at, what moving with it as the other side does would.
    /// </summary>
    private float[] Costs(FloatImage now, FloatImage here, float[] known, FloatImage seen, float[] own, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] remembered = Differences(now, here, box),
            moving = Differences(now, seen, box);
        var result = new float[w * h];
        for (int i = 0; i < result.Length; i++)
        {
            float byMotion = own[i] > 0.5f ? moving[i] : Math.Min(moving[i] + Turned, Most),
                byMemory = known[i] > 0.3f ? remembered[i] : Most;
            result[i] = Math.Min(Math.Min(byMotion, byMemory), Most);
            // Nothing is known of it there: neither for nor against.
            if (known[i] <= 0.3f && own[i] <= 0.5f)
            {
                result[i] = Math.Min(result[i], Turned + New);
            }
        }
        return result;
    }

    private float[] Differences(FloatImage now, FloatImage here, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        var own = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                ReadOnlySpan<float> a = now.Pixel(x + box.X0, y + box.Y0),
                    b = here.Pixel(x, y),
                    l = here.Pixel(Math.Max(0, x - 1), y),
                    r = here.Pixel(Math.Min(w - 1, x + 1), y),
                    u = here.Pixel(x, Math.Max(0, y - 1)),
                    d = here.Pixel(x, Math.Min(h - 1, y + 1));
                float sum = 0;
                for (int c = 0; c < 3; c++)
                {
                    float gx = (r[c] - l[c]) / 2,
                        gy = (d[c] - u[c]) / 2,
                        e = a[c] - b[c],
                        variance = 2 * _noise * _noise + 0.12f * (gx * gx + gy * gy);
                    sum += e * e / variance;
                }
                own[y * w + x] = sum;
            }
        });
        // By 3 × 3 pixels: one alone may be anything.
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                float sum = 0,
                    weight = 0;
                for (int j = Math.Max(0, y - 1); j <= Math.Min(h - 1, y + 1); j++)
                {
                    for (int i = Math.Max(0, x - 1); i <= Math.Min(w - 1, x + 1); i++)
                    {
                        float k =
                            i == x && j == y ? 4
                            : i == x || j == y ? 2
                            : 1;
                        sum += k * Math.Min(own[j * w + i], 60);
                        weight += k;
                    }
                }
                // Three channels: 3 is what noise alone gives.
                result[y * w + x] = Math.Clamp((sum / weight - 3) / 3, 0, Most);
            }
        });
        return result;
    }

    /// <summary>
    /// What colours say, in bits: how often a pixel's colour is found inside and outside near it, by histograms of 8 × 8 × 8 that reach about so far.
    /// </summary>
    private float[] Colours(FloatImage now, float[] expected, PixelBox box, double reach)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0,
            cell = Math.Max(8, (int)(2.5 * reach)),
            columns = w / cell + 1,
            rows = h / cell + 1;
        const int bins = 512;
        float[] inner = new float[columns * rows * bins],
            outer = new float[columns * rows * bins];
        FloatImage even = _pictures.Of(_frame).Even;
        int Bin(ReadOnlySpan<float> p)
        {
            int b = 0;
            for (int c = 0; c < 3; c++)
            {
                b = 8 * b + Math.Clamp((int)(p[c] * 8), 0, 7);
            }
            return b;
        }
        // Of the frame before, whose sides are known; a cell and those around it.
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                float a = _coverage[y * _width + x];
                if (a is > 0.05f and < 0.95f)
                {
                    continue;
                }
                int k = ((y - box.Y0) / cell * columns + (x - box.X0) / cell) * bins + Bin(even.Pixel(x, y));
                (a > 0.5f ? inner : outer)[k]++;
            }
        }
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int bin = Bin(now.Pixel(x + box.X0, y + box.Y0)),
                    cx = x / cell,
                    cy = y / cell;
                float a = 0,
                    b = 0;
                for (int j = Math.Max(0, cy - 1); j <= Math.Min(rows - 1, cy + 1); j++)
                {
                    for (int i = Math.Max(0, cx - 1); i <= Math.Min(columns - 1, cx + 1); i++)
                    {
                        int k = (j * columns + i) * bins + bin;
                        (a, b) = (a + inner[k], b + outer[k]);
                    }
                }
                result[y * w + x] = Math.Clamp(0.6f * MathF.Log((a + 2) / (b + 2)), -1.5f, 1.5f);
            }
        });
        return result;
    }

    /// <summary>How far inside its pixels lie, pixels, to about half of one; outside: negative.</summary>
    private float[] Distance(float[] coverage, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] own = FloatImage.Cut(coverage, _width, 1, box);
        float[] wide = MatteField.Grown(own, w, h, 0, 200);
        return [.. wide.Select(v => (v - 0.5f) * 200)];
    }

    /// <summary>Both passes joined where they are between two keys.</summary>
    /// <param name="own">How much the one that goes back counts, 0..1.</param>
    public static PassFrame Joined(OutlineFollower.PictureLine pictures, int frame, PassFrame ahead, PassFrame back, double own)
    {
        var to = pictures.Of(frame);
        int width = to.Even.Width,
            height = to.Even.Height;
        var box = new PixelBox(
            Math.Min(ahead.Box.X0, back.Box.X0),
            Math.Min(ahead.Box.Y0, back.Box.Y0),
            Math.Max(ahead.Box.X1, back.Box.X1),
            Math.Max(ahead.Box.Y1, back.Box.Y1)
        );
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        var costs = new float[w * h];
        float Of(PassFrame pass, int x, int y) =>
            x >= pass.Box.X0 && x < pass.Box.X1 && y >= pass.Box.Y0 && y < pass.Box.Y1
                ? pass.Costs[(y - pass.Box.Y0) * pass.Box.Width + x - pass.Box.X0]
                : -3 * Most;
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                float a = Of(ahead, x, y),
                    b = Of(back, x, y);
                // Neither is so sure that the other is not heard, but where both are.
                costs[(y - box.Y0) * w + x - box.X0] =
                    Math.Min(MathF.Abs(a), MathF.Abs(b)) >= 3 * Most && a * b > 0
                        ? a
                        : (float)(1 - own) * Math.Clamp(a, -8, 8) + (float)own * Math.Clamp(b, -8, 8);
            }
        }
        double apart = Math.Sqrt(
            ahead.Curve.Knots.Zip(back.Curve.Knots, (p, q) => (p.X - q.X) * (p.X - q.X) + (p.Y - q.Y) * (p.Y - q.Y)).Average()
        );
        // Knots that went different ways are taken from the nearer.
        double between =
            apart < 0.01 * width ? own
            : own < 0.5 ? 0
            : 1;
        var mean = new Curve(
            [
                .. ahead.Curve.Knots.Zip(back.Curve.Knots, (p, q) =>
                    p with
                    {
                        X = p.X + between * (q.X - p.X),
                        Y = p.Y + between * (q.Y - p.Y),
                        InX = p.InX + between * (q.InX - p.InX),
                        InY = p.InY + between * (q.InY - p.InY),
                        OutX = p.OutX + between * (q.OutX - p.OutX),
                        OutY = p.OutY + between * (q.OutY - p.OutY),
                        Feather = p.Feather + between * (q.Feather - p.Feather),
                        FeatherIn = p.FeatherIn + between * (q.FeatherIn - p.FeatherIn),
                    }
                ),
            ],
            ahead.Curve.Closed
        );
        if (!mean.Closed)
        {
            return new(mean, box, costs, (1 - own) * ahead.Confidence + own * back.Confidence, 0);
        }
        PassFrame settled = Settled(to, mean, box, costs, NoiseOf(to.Even), null, null);
        return settled with
        {
            Confidence = ((1 - own) * ahead.Confidence + own * back.Confidence) * (1 - Disagreement(ahead, back)),
            Drift = (1 - own) * ahead.Drift + own * back.Drift,
        };
    }

    /// <summary>Points beyond the picture's border go on as they were moved: the border is nobody's edge.</summary>
    private static Curve Beyond(Curve laid, Curve near, int width, int height)
    {
        int n = near.Knots.Count;
        bool Out(int i) => near.Knots[i] is var k && (k.X < 0 || k.Y < 0 || k.X > width || k.Y > height);
        var knots = laid.Knots.ToArray();
        for (int i = 0; i < n; i++)
        {
            int before = (i + n - 1) % n,
                after = (i + 1) % n;
            Knot own = Out(i) ? near.Knots[i] : knots[i];
            if (Out(i) || Out(before))
            {
                own = own with { InX = near.Knots[i].InX, InY = near.Knots[i].InY };
            }
            if (Out(i) || Out(after))
            {
                own = own with { OutX = near.Knots[i].OutX, OutY = near.Knots[i].OutY };
            }
            knots[i] = own;
        }
        return new(knots, true);
    }

    /// <summary>Share of what either encloses that the other does not.</summary>
    private static double Disagreement(PassFrame a, PassFrame b)
    {
        double one = Math.Abs(a.Curve.Area()),
            other = Math.Abs(b.Curve.Area());
        double apart = a
            .Curve.Knots.Zip(b.Curve.Knots, (p, q) => Math.Min(20, Math.Sqrt((p.X - q.X) * (p.X - q.X) + (p.Y - q.Y) * (p.Y - q.Y))))
            .Average();
        return Math.Clamp(Math.Abs(one - other) / Math.Max(1, Math.Max(one, other)) + 0.02 * apart, 0, 0.9);
    }

    private static PassFrame Settled(
        OutlineFollower.PictureLine.Frame to,
        Curve near,
        PixelBox box,
        float[] costs,
        float noise,
        FloatImage? inHere,
        FloatImage? outHere
    )
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        bool[] inside = Cut(to.Even, box, costs, noise);
        float[] coverage = [.. inside.Select(v => v ? 1f : 0)];
        FloatImage soft = Blur.Gaussian(new FloatImage(w, h, 1, coverage), 0.7);
        double[] line = Contours.Longest(soft.Data, w, h);
        if (line.Length < 16)
        {
            return new(near, box, costs, 0, 0);
        }
        for (int i = 0; i < line.Length; i += 2)
        {
            (line[i], line[i + 1]) = (line[i] + box.X0, line[i + 1] + box.Y0);
        }
        line = BorderSettling.Settled(to.Linear, Contours.Resampled(line, 0.75), noise, out _);
        line = BorderSettling.Settled(to.Linear, line, noise, out double contrast);
        Curve laid = Beyond(Contours.Laid(near, line, 20 * to.Even.Width / 640.0), near, to.Even.Width, to.Even.Height);
        double drift = Math.Sqrt(laid.Knots.Zip(near.Knots, (p, q) => (p.X - q.X) * (p.X - q.X) + (p.Y - q.Y) * (p.Y - q.Y)).Average());
        // How decided the pixels beside the border are.
        double sum = 0,
            count = 0;
        for (int y = 1; y < h - 1; y++)
        {
            for (int x = 1; x < w - 1; x++)
            {
                int i = y * w + x;
                if (inside[i] != inside[i - 1] || inside[i] != inside[i + 1] || inside[i] != inside[i - w] || inside[i] != inside[i + w])
                {
                    sum += Math.Clamp((inside[i] ? costs[i] : -costs[i]) / 4, 0, 1);
                    count++;
                }
            }
        }
        double decided = count > 0 ? sum / count : 0;
        return new(laid, box, costs, Math.Clamp(0.55 * decided + 0.45 * contrast, 0, 1), drift);
    }

    /// <summary>The cheapest border: pairs of neighbours cost less where the picture changes between them.</summary>
    private static bool[] Cut(FloatImage now, PixelBox box, float[] costs, float noise)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        // Only where it is open; the rest holds its sides.
        var number = new int[w * h];
        Array.Fill(number, -1);
        var open = new List<int>();
        for (int i = 0; i < costs.Length; i++)
        {
            if (MathF.Abs(costs[i]) < 2.5f * Most)
            {
                number[i] = open.Count;
                open.Add(i);
            }
        }
        var cut = new MinimumCut(open.Count);
        float beta = 1 / (2 * 9 * noise * noise + 0.004f);
        const float strength = 2.6f;
        foreach (int i in open)
        {
            int x = i % w,
                y = i / w,
                n = number[i];
            cut.Unary(n, Math.Max(0, -costs[i]), Math.Max(0, costs[i]));
            for (int k = 0; k < 8; k++)
            {
                int nx =
                        x
                        + (
                            k is 0 or 3 or 5 ? -1
                            : k is 2 or 4 or 7 ? 1
                            : 0
                        ),
                    ny =
                        y
                        + (
                            k < 3 ? -1
                            : k > 4 ? 1
                            : 0
                        );
                if (nx < 0 || ny < 0 || nx >= w || ny >= h)
                {
                    continue;
                }
                int j = ny * w + nx,
                    m = number[j];
                if (m >= 0 && j < i)
                {
                    continue;
                }
                ReadOnlySpan<float> a = now.Pixel(x + box.X0, y + box.Y0),
                    b = now.Pixel(nx + box.X0, ny + box.Y0);
                float d = 0;
                for (int c = 0; c < 3; c++)
                {
                    d += (a[c] - b[c]) * (a[c] - b[c]);
                }
                float cost = strength * (0.2f + MathF.Exp(-beta * d)) / (nx != x && ny != y ? 1.414f : 1);
                if (m >= 0)
                {
                    cut.Pair(n, m, cost);
                }
                else
                {
                    cut.Unary(n, costs[j] > 0 ? 0 : cost, costs[j] > 0 ? cost : 0);
                }
            }
        }
        bool[] within = cut.Solve();
        var result = new bool[w * h];
        for (int i = 0; i < result.Length; i++)
        {
            result[i] = number[i] >= 0 ? within[number[i]] : costs[i] > 0;
        }
        return result;
    }
}
