namespace Plenk.Core.Images;

/// <summary>
/// Coverage in a band whose sides are known: alpha that is linear in colour over every 3 × 3 pixels, as far as one can be (Levin, Lischinski and Weiss
/// 2008, A Closed-Form Solution to Natural Image Matting, equations 11 and 12), drawn to what the colours on either side say of a pixel (as in Wang and
/// Cohen 2007, by how well their mix explains it). Solved by conjugate gradients without the matrix being written down.
/// </summary>
public static class AlphaMatte
{
    /// <summary>Keeps the colour line of an even window from following noise; of light squared.</summary>
    private const double Regular = 1e-5;

    private const double Told = 100;

    /// <param name="linear">RGB, scene-linear.</param>
    /// <param name="known">1: foreground, 0: background, NaN: to be found; one a pixel.</param>
    /// <param name="background">What lies behind, where it is known: RGB of every pixel.</param>
    /// <returns>0..1 a pixel; what was known is as it was.</returns>
    /// <exception cref="ArgumentException">No pixel is known to be foreground, or none background.</exception>
    public static float[] Of(
        FloatImage linear,
        ReadOnlySpan<float> known,
        FloatImage? background = null,
        Action<double>? progress = null,
        CancellationToken stop = default
    )
    {
        int w = linear.Width,
            h = linear.Height,
            n = w * h;
        float[] given = known.ToArray();
        if (!given.Contains(1f) || !given.Contains(0f))
        {
            throw new ArgumentException("foreground and background must be known somewhere", nameof(known));
        }
        // Highlights would weigh as much as all else: light beyond twice white is drawn in.
        float[] rgb = [.. linear.Data.Select(v => v > 2 ? 2 + MathF.Log(v / 2) : MathF.Max(v, -0.1f))];
        var hold = new double[n];
        var right = new double[n];
        var x = new double[n];
        Parallel.For(0, n, Cores.Until(stop), i =>
        {
            if (!float.IsNaN(given[i]))
            {
                (hold[i], x[i]) = (Told, given[i]);
            }
            else
            {
                var (alpha, sure) = BySamples(linear, given, background, i);
                (hold[i], x[i]) = (sure, alpha);
            }
            right[i] = hold[i] * x[i];
        });
        // Windows that touch what is to be found; the rest tells nothing.
        bool[] open = Morphology.Dilated(Array.ConvertAll(given, float.IsNaN), w, h, 2);
        (int X, int Y)[] windows =
        [
            .. Enumerable
                .Range(0, n)
                .Where(i => open[i])
                .Select(i => (X: i % w, Y: i / w))
                .Where(p => p.X > 0 && p.Y > 0 && p.X < w - 1 && p.Y < h - 1),
        ];
        var at = new int[n];
        Array.Fill(at, -1);
        for (int k = 0; k < windows.Length; k++)
        {
            at[windows[k].Y * w + windows[k].X] = k;
        }
        var lines = new Line[windows.Length];
        Parallel.For(0, windows.Length, Cores.Until(stop), k => lines[k] = Line.Of(rgb, w, windows[k].X, windows[k].Y));
        int[] pixels = [.. Enumerable.Range(0, n).Where(i => open[i] || float.IsNaN(given[i]))];
        var slopes = new (double R, double G, double B, double Off)[windows.Length];
        void Apply(double[] p, double[] to)
        {
            Parallel.For(0, windows.Length, Cores.All, k => slopes[k] = lines[k].Fit(rgb, p, w, windows[k].X, windows[k].Y));
            Parallel.For(0, pixels.Length, Cores.All, q =>
            {
                int i = pixels[q],
                    px = i % w,
                    py = i / w;
                double sum = hold[i] * p[i];
                for (int dy = -1; dy <= 1; dy++)
                {
                    for (int dx = -1; dx <= 1; dx++)
                    {
                        int x0 = px + dx,
                            y0 = py + dy;
                        if (x0 < 0 || y0 < 0 || x0 >= w || y0 >= h || at[y0 * w + x0] is var k && k < 0)
                        {
                            continue;
                        }
                        var s = slopes[k];
                        sum += p[i] - (s.R * rgb[3 * i] + s.G * rgb[3 * i + 1] + s.B * rgb[3 * i + 2] + s.Off);
                    }
                }
                to[i] = sum;
            });
        }
        Solve(Apply, pixels, right, x, progress, stop);
        return [.. x.Select((v, i) => float.IsNaN(given[i]) ? (float)Math.Clamp(v, 0, 1) : given[i])];
    }

    /// <summary>Directions in which samples of either side are looked for, and how far.</summary>
    private const double Mixed = 40;
    private const int Ways = 16,
        Deep = 4,
        Far = 80;

    /// <summary>
    /// What a pixel's own colour says: of the nearest known pixels of either side the pairs whose mix explains it best (Wang and Cohen 2007, section 3),
    /// and how much that counts.
    /// </summary>
    private static (double Alpha, double Sure) BySamples(FloatImage picture, float[] known, FloatImage? background, int i)
    {
        int w = picture.Width,
            h = picture.Height,
            x = i % w,
            y = i / w;
        Span<int> fore = stackalloc int[Ways * Deep],
            back = stackalloc int[Ways * Deep];
        int fores = 0,
            backs = 0;
        for (int k = 0; k < Ways; k++)
        {
            double angle = 2 * Math.PI * (k + 0.5 * (i & 1)) / Ways,
                dx = Math.Cos(angle),
                dy = Math.Sin(angle);
            // The first of either side on the way, and some behind it: sides have texture.
            int nextFore = 0,
                nextBack = 0,
                seenFore = 0,
                seenBack = background is not null ? Deep : 0;
            for (int r = 1; r < Far && !(seenFore == Deep && seenBack == Deep); r++)
            {
                int px = (int)Math.Round(x + r * dx),
                    py = (int)Math.Round(y + r * dy);
                if (px < 0 || py < 0 || px >= w || py >= h)
                {
                    break;
                }
                float own = known[py * w + px];
                if (own == 1 && seenFore < Deep && r >= nextFore)
                {
                    (fore[fores++], nextFore, seenFore) = (py * w + px, r + 1 + seenFore, seenFore + 1);
                }
                else if (own == 0 && seenBack < Deep && r >= nextBack)
                {
                    (back[backs++], nextBack, seenBack) = (py * w + px, r + 1 + seenBack, seenBack + 1);
                }
            }
        }
        float[] c = picture.Data;
        double light = Math.Max(0, (c[3 * i] + c[3 * i + 1] + c[3 * i + 2]) / 3.0),
            noise = 2e-5 + 4e-4 * light;
        float[] behind = background?.Data ?? c;
        if (background is not null)
        {
            (back[0], backs) = (i, 1);
            double differs = 0;
            for (int k = 3 * i; k < 3 * i + 3; k++)
            {
                differs += (c[k] - behind[k]) * (double)(c[k] - behind[k]);
            }
            // It is what lies behind, to its noise.
            if (differs < 20 * noise)
            {
                return (0, Math.Exp(-differs / (14 * noise)));
            }
        }
        var best = (Cost: double.PositiveInfinity, Alpha: 0.5, Off: 1.0, Square: 0.0);
        double sum = 0,
            weights = 0;
        for (int a = 0; a < fores; a++)
        {
            for (int b = 0; b < backs; b++)
            {
                double dot = 0,
                    square = 0,
                    off = 0;
                int f = 3 * fore[a],
                    g = 3 * back[b];
                for (int k = 0; k < 3; k++)
                {
                    double d = c[f + k] - behind[g + k];
                    dot += (c[3 * i + k] - behind[g + k]) * d;
                    square += d * d;
                }
                double alpha = square > 1e-9 ? Math.Clamp(dot / square, 0, 1) : 0.5;
                for (int k = 0; k < 3; k++)
                {
                    double e = c[3 * i + k] - alpha * c[f + k] - (1 - alpha) * behind[g + k];
                    off += e * e;
                }
                double away = Math.Abs(fore[a] % w - x) + Math.Abs(fore[a] / w - y),
                    // Few pixels are mixed: what one side explains as well is that side's.
                    cost = off / noise + 0.04 * away + Mixed * alpha * (1 - alpha);
                double weight = Math.Exp(-0.5 * Math.Min(60, cost));
                (sum, weights) = (sum + weight * alpha, weights + weight);
                if (cost < best.Cost)
                {
                    best = (cost, alpha, off, square);
                }
            }
        }
        if (fores == 0 || backs == 0)
        {
            return (0.5, 0);
        }
        // What differs from the known place behind as no mix explains is the foreground's own.
        if (background is not null && best.Off > 24 * noise)
        {
            return (1, 0.1);
        }
        double sure = best.Square / (best.Square + 40 * noise) * Math.Exp(-best.Off / (8 * noise));
        return (weights > 1e-300 ? sum / weights : best.Alpha, (background is not null ? 0.3 : 0.003) * sure);
    }

    /// <summary>Conjugate gradients (Hestenes and Stiefel 1952), to a thousandth of the first residual.</summary>
    private static void Solve(
        Action<double[], double[]> apply,
        int[] pixels,
        double[] right,
        double[] x,
        Action<double>? progress,
        CancellationToken stop
    )
    {
        double[] r = new double[x.Length],
            p = new double[x.Length],
            ap = new double[x.Length];
        apply(x, ap);
        double rr = 0;
        foreach (int i in pixels)
        {
            r[i] = p[i] = right[i] - ap[i];
            rr += r[i] * r[i];
        }
        double end = rr * 1e-8;
        const int most = 600;
        for (int round = 0; round < most && rr > end && rr > 1e-14; round++)
        {
            stop.ThrowIfCancellationRequested();
            apply(p, ap);
            double pap = 0;
            foreach (int i in pixels)
            {
                pap += p[i] * ap[i];
            }
            if (!(pap > 0))
            {
                break;
            }
            double step = rr / pap,
                next = 0;
            foreach (int i in pixels)
            {
                x[i] += step * p[i];
                r[i] -= step * ap[i];
                next += r[i] * r[i];
            }
            double beta = next / rr;
            foreach (int i in pixels)
            {
                p[i] = r[i] + beta * p[i];
            }
            rr = next;
            progress?.Invoke((double)round / most);
        }
    }

    /// <summary>A window's mean colour, and the inverse of its covariance with what keeps it regular.</summary>
    private readonly record struct Line(double R, double G, double B, double Rr, double Rg, double Rb, double Gg, double Gb, double Bb)
    {
        public static Line Of(float[] rgb, int w, int x, int y)
        {
            Span<double> mean = stackalloc double[3],
                c = stackalloc double[6];
            for (int dy = -1; dy <= 1; dy++)
            {
                for (int dx = -1; dx <= 1; dx++)
                {
                    int i = 3 * ((y + dy) * w + x + dx);
                    double r = rgb[i],
                        g = rgb[i + 1],
                        b = rgb[i + 2];
                    (mean[0], mean[1], mean[2]) = (mean[0] + r / 9, mean[1] + g / 9, mean[2] + b / 9);
                    (c[0], c[1], c[2]) = (c[0] + r * r / 9, c[1] + r * g / 9, c[2] + r * b / 9);
                    (c[3], c[4], c[5]) = (c[3] + g * g / 9, c[4] + g * b / 9, c[5] + b * b / 9);
                }
            }
            double rr = c[0] - mean[0] * mean[0] + Regular / 9,
                rg = c[1] - mean[0] * mean[1],
                rb = c[2] - mean[0] * mean[2],
                gg = c[3] - mean[1] * mean[1] + Regular / 9,
                gb = c[4] - mean[1] * mean[2],
                bb = c[5] - mean[2] * mean[2] + Regular / 9,
                det = rr * (gg * bb - gb * gb) - rg * (rg * bb - gb * rb) + rb * (rg * gb - gg * rb);
            return new(
                mean[0],
                mean[1],
                mean[2],
                (gg * bb - gb * gb) / det,
                (gb * rb - rg * bb) / det,
                (rg * gb - gg * rb) / det,
                (rr * bb - rb * rb) / det,
                (rg * rb - rr * gb) / det,
                (rr * gg - rg * rg) / det
            );
        }

        /// <summary>The line a · colour + b that fits a field best in the window.</summary>
        public (double R, double G, double B, double Off) Fit(float[] rgb, double[] p, int w, int x, int y)
        {
            double mean = 0,
                cr = 0,
                cg = 0,
                cb = 0;
            for (int dy = -1; dy <= 1; dy++)
            {
                for (int dx = -1; dx <= 1; dx++)
                {
                    int i = (y + dy) * w + x + dx;
                    double v = p[i] / 9;
                    mean += v;
                    (cr, cg, cb) = (cr + v * rgb[3 * i], cg + v * rgb[3 * i + 1], cb + v * rgb[3 * i + 2]);
                }
            }
            (cr, cg, cb) = (cr - mean * R, cg - mean * G, cb - mean * B);
            double ar = Rr * cr + Rg * cg + Rb * cb,
                ag = Rg * cr + Gg * cg + Gb * cb,
                ab = Rb * cr + Gb * cg + Bb * cb;
            return (ar, ag, ab, mean - ar * R - ag * G - ab * B);
        }
    }
}
