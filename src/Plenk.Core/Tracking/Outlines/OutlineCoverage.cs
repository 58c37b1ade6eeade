namespace Plenk.Core.Tracking.Outlines;

/// <summary>How much of each pixel lies in an outline, or on an open line of a width.</summary>
public static class OutlineCoverage
{
    /// <summary>Straight pieces of a curve, and at each how far its edge is soft outwards and inwards, pixels.</summary>
    private sealed record Line(double[] Corners, float[] Outer, float[] Inner);

    /// <summary>
    /// Half on the curve, whole where its inner feather ends and nothing where its outer one does, even between; at least as wide as a pixel.
    /// </summary>
    /// <param name="strokeWidth">Of an open curve: so wide, pixels.</param>
    /// <param name="scale">The picture's width over that of the pixels that the curve is told in.</param>
    public static float[] Of(Curve curve, int width, int height, double scale = 1, double growPixels = 0, double strokeWidth = 0)
    {
        var corners = new List<double>();
        var outer = new List<float>();
        var inner = new List<float>();
        for (int i = 0; i < curve.Spans; i++)
        {
            Knot a = curve.Knots[i],
                b = curve.Knots[(i + 1) % curve.Knots.Count];
            double[] flat = new Curve([a, b], false).Flat(0.05 / Math.Max(0.1, scale));
            // The end of one is the beginning of the next.
            int n = flat.Length / 2 - (i + 1 == curve.Spans && !curve.Closed ? 0 : 1);
            for (int k = 0; k < n; k++)
            {
                double t = (double)k / Math.Max(1, flat.Length / 2 - 1);
                corners.Add(flat[2 * k] * scale);
                corners.Add(flat[2 * k + 1] * scale);
                outer.Add((float)(scale * (a.Feather + t * (b.Feather - a.Feather))));
                inner.Add((float)(scale * (a.FeatherIn + t * (b.FeatherIn - a.FeatherIn))));
            }
        }
        return Of(
            new([.. corners], [.. outer], [.. inner]),
            curve.Closed,
            width,
            height,
            growPixels,
            curve.Closed ? 0 : strokeWidth * scale
        );
    }

    /// <summary>The same of a closed polygon with one feather: so wide in all, half of it on either side.</summary>
    public static float[] Of(double[] corners, int width, int height, double featherPixels, double growPixels)
    {
        float[] half = [.. Enumerable.Repeat((float)(Math.Max(1, featherPixels) / 2), corners.Length / 2)];
        return Of(new(corners, half, half), true, width, height, growPixels, 0);
    }

    private static float[] Of(Line line, bool closed, int width, int height, double growPixels, double strokeWidth)
    {
        var inside = new float[width * height];
        int n = line.Corners.Length / 2;
        if (n < (closed ? 3 : 2))
        {
            return inside;
        }
        double reach = Math.Max(0.5, Math.Max(line.Outer.Max(), line.Inner.Max())) + Math.Abs(growPixels) + strokeWidth / 2 + 1;
        var square = new float[width * height];
        Array.Fill(square, (float)(reach * reach));
        bool even = line.Outer.All(f => f == line.Outer[0]) && line.Inner.All(f => f == line.Inner[0]);
        float[] outer = even ? [] : new float[width * height],
            inner = even ? [] : new float[width * height];
        var crossings = new List<double>[height];
        for (int i = closed ? 0 : 1, j = closed ? n - 1 : 0; i < n; j = i++)
        {
            double ax = line.Corners[2 * j],
                ay = line.Corners[2 * j + 1],
                bx = line.Corners[2 * i],
                by = line.Corners[2 * i + 1],
                dx = bx - ax,
                dy = by - ay,
                length = Math.Max(1e-12, dx * dx + dy * dy);
            int y0 = Math.Clamp((int)(Math.Min(ay, by) - reach), 0, height),
                y1 = Math.Clamp((int)(Math.Max(ay, by) + reach) + 1, 0, height);
            int x0 = Math.Clamp((int)(Math.Min(ax, bx) - reach), 0, width),
                x1 = Math.Clamp((int)(Math.Max(ax, bx) + reach) + 1, 0, width);
            for (int y = y0; y < y1; y++)
            {
                double py = y + 0.5;
                if (closed && ay > py != by > py)
                {
                    (crossings[y] ??= []).Add(ax + dx * (py - ay) / dy);
                }
                for (int x = x0; x < x1; x++)
                {
                    double px = x + 0.5,
                        t = Math.Clamp(((px - ax) * dx + (py - ay) * dy) / length, 0, 1),
                        ex = px - ax - t * dx,
                        ey = py - ay - t * dy;
                    float own = (float)(ex * ex + ey * ey);
                    int at = y * width + x;
                    if (own < square[at])
                    {
                        square[at] = own;
                        if (!even)
                        {
                            outer[at] = (float)(line.Outer[j] + t * (line.Outer[i] - line.Outer[j]));
                            inner[at] = (float)(line.Inner[j] + t * (line.Inner[i] - line.Inner[j]));
                        }
                    }
                }
            }
        }
        Parallel.For(0, height, Cores.All, y =>
        {
            List<double>? row = crossings[y];
            row?.Sort();
            for (int x = 0, k = 0; x < width; x++)
            {
                while (row is not null && k < row.Count && row[k] <= x + 0.5)
                {
                    k++;
                }
                int at = y * width + x;
                double off = Math.Sqrt(square[at]),
                    d = closed ? off * ((k & 1) == 1 ? 1 : -1) + growPixels : strokeWidth / 2 - off + growPixels,
                    side = d < 0
                        ? even
                            ? line.Outer[0]
                            : outer[at]
                        : even
                            ? line.Inner[0]
                            : inner[at];
                inside[at] = (float)Math.Clamp(0.5 + d / (2 * Math.Max(0.5, side)), 0, 1);
            }
        });
        return inside;
    }
}
