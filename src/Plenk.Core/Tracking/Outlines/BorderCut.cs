using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>The border that a frame's costs and its contrast ask for, with an outline laid on it.</summary>
internal static class BorderCut
{
    /// <summary>Both passes joined where they are between two keys.</summary>
    /// <param name="own">How much the one that goes back counts, 0..1.</param>
    public static PassFrame Joined(PictureLine pictures, int frame, PassFrame ahead, PassFrame back, double own)
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
                : -3 * LayerCosts.Most;
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                float a = Of(ahead, x, y),
                    b = Of(back, x, y);
                // Neither is so sure that the other is not heard, but where both are.
                costs[(y - box.Y0) * w + x - box.X0] =
                    Math.Min(MathF.Abs(a), MathF.Abs(b)) >= 3 * LayerCosts.Most && a * b > 0
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
        PassFrame settled = Settled(to, mean, box, costs, LayerCosts.NoiseOf(to.Even));
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

    public static PassFrame Settled(PictureLine.Frame to, Curve near, PixelBox box, float[] costs, float noise)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        bool[] inside = Cut(to.Even, box, costs, noise);
        float[] coverage = [.. inside.Select(v => v ? 1f : 0)];
        FloatImage soft = Blur.Gaussian(new FloatImage(w, h, 1, coverage), 0.7);
        double[] line = Contours.Largest(soft.Data, w, h);
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
        Curve laid = Beyond(CurveFit.Laid(near, line, 20 * to.Even.Width / 640.0), near, to.Even.Width, to.Even.Height);
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
    internal static bool[] Cut(FloatImage now, PixelBox box, float[] costs, float noise)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        // Only where it is open; the rest holds its sides.
        var number = new int[w * h];
        Array.Fill(number, -1);
        var open = new List<int>();
        for (int i = 0; i < costs.Length; i++)
        {
            if (MathF.Abs(costs[i]) < 2.5f * LayerCosts.Most)
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
