using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// The way along the strongest edge between two places of a picture: the cheapest path over its gradient (Mortensen and Barrett, “Intelligent
/// scissors for image composition”, 1995), put to where the gradient is greatest across it, as few cubics.
/// </summary>
public sealed class EdgePath
{
    /// <summary>A click this near to an edge is on it, pixels.</summary>
    public const double Snaps = 3;

    private const int MostSteps = 100;
    private const double Tolerance = 0.5;
    private readonly int _width,
        _height;
    private readonly float[] _across,
        _down,
        _size;

    /// <param name="linear">RGB; its gradient is taken of square roots of light, over about two pixels.</param>
    public EdgePath(FloatImage linear)
    {
        (_width, _height) = (linear.Width, linear.Height);
        int n = _width * _height;
        (_across, _down, _size) = (new float[n], new float[n], new float[n]);
        var even = new FloatImage(_width, _height, 3, [.. linear.Data.Select(v => MathF.Sqrt(Math.Clamp(v, 0, 4)))]);
        even = Blur.Gaussian(even, 0.8);
        Parallel.For(0, _height, Cores.All, y =>
        {
            int up = Math.Max(0, y - 1),
                down = Math.Min(_height - 1, y + 1);
            for (int x = 0; x < _width; x++)
            {
                int left = Math.Max(0, x - 1),
                    right = Math.Min(_width - 1, x + 1),
                    i = y * _width + x;
                // The channel that changes most.
                for (int c = 0; c < 3; c++)
                {
                    float gx = (even.Pixel(right, y)[c] - even.Pixel(left, y)[c]) / 2,
                        gy = (even.Pixel(x, down)[c] - even.Pixel(x, up)[c]) / 2,
                        g = MathF.Sqrt(gx * gx + gy * gy);
                    if (g > _size[i])
                    {
                        (_size[i], _across[i], _down[i]) = (g, gx, gy);
                    }
                }
            }
        });
    }

    /// <summary>What it takes up, bytes.</summary>
    public long Bytes => 12L * _size.Length;

    /// <summary>The nearest strong edge to a place; the place itself where there is none.</summary>
    public (double X, double Y) Snapped(double x, double y)
    {
        double best = 0;
        var at = (x, y);
        int reach = (int)Snaps;
        for (int j = (int)y - reach; j <= (int)y + reach; j++)
        {
            for (int i = (int)x - reach; i <= (int)x + reach; i++)
            {
                double far = Math.Sqrt(Math.Pow(i + 0.5 - x, 2) + Math.Pow(j + 0.5 - y, 2));
                if (i < 0 || j < 0 || i >= _width || j >= _height || far > Snaps)
                {
                    continue;
                }
                double worth = _size[j * _width + i] * (1 - 0.2 * far / Snaps);
                if (worth > best)
                {
                    (best, at) = (worth, (i + 0.5, j + 0.5));
                }
            }
        }
        return best > 0.01 ? Finer(at.Item1, at.Item2) : at;
    }

    /// <summary>An open curve from one place to the other; places beyond the picture are gone to straight.</summary>
    public Curve Between(double x0, double y0, double x1, double y1)
    {
        bool Out(double x, double y) => x < 0 || y < 0 || x >= _width || y >= _height;
        if (Out(x0, y0) || Out(x1, y1) || Math.Abs(x1 - x0) + Math.Abs(y1 - y0) < 3)
        {
            return new([new(x0, y0), new(x1, y1)], false);
        }
        List<(int X, int Y)> path = Cheapest(((int)x0, (int)y0), ((int)x1, (int)y1));
        var line = new List<double> { x0, y0 };
        (double X, double Y)[] fine = Even([.. path.Select(p => Finer(p.X + 0.5, p.Y + 0.5))]);
        foreach (var (x, y) in fine.Skip(1).SkipLast(1))
        {
            line.AddRange([x, y]);
        }
        line.AddRange([x1, y1]);
        return CurveThrough.Of([.. line], false, Tolerance);
    }

    /// <summary>By how much a way along the edge is told by more than one pixel.</summary>
    private static (double X, double Y)[] Even((double X, double Y)[] path) =>
        [
            .. path.Select(
                (_, i) =>
                {
                    double x = 0,
                        y = 0,
                        whole = 0;
                    int reach = Math.Min(3, Math.Min(i, path.Length - 1 - i));
                    for (int k = -reach; k <= reach; k++)
                    {
                        double w = Math.Exp(-k * k / 4.0);
                        (x, y, whole) = (x + w * path[i + k].X, y + w * path[i + k].Y, whole + w);
                    }
                    return (x / whole, y / whole);
                }
            ),
        ];

    /// <summary>Across the edge, to the top of a parabola through three gradients.</summary>
    private (double X, double Y) Finer(double x, double y)
    {
        int i = Math.Clamp((int)y, 0, _height - 1) * _width + Math.Clamp((int)x, 0, _width - 1);
        double g = _size[i];
        if (g < 1e-4)
        {
            return (x, y);
        }
        double nx = _across[i] / g,
            ny = _down[i] / g,
            a = At(x - nx, y - ny),
            b = At(x, y),
            c = At(x + nx, y + ny),
            bend = a - 2 * b + c;
        double by = bend < -1e-6 ? Math.Clamp((a - c) / (2 * bend), -1, 1) : 0;
        return (x + by * nx, y + by * ny);
    }

    private double At(double x, double y)
    {
        double px = Math.Clamp(x - 0.5, 0, _width - 1.001),
            py = Math.Clamp(y - 0.5, 0, _height - 1.001);
        int x0 = (int)px,
            y0 = (int)py,
            i = y0 * _width + x0,
            right = x0 + 1 < _width ? 1 : 0,
            down = y0 + 1 < _height ? _width : 0;
        double s = px - x0,
            t = py - y0;
        return (1 - t) * ((1 - s) * _size[i] + s * _size[i + right]) + t * ((1 - s) * _size[i + down] + s * _size[i + down + right]);
    }

    /// <summary>Dijkstra's path with buckets for queue, in a box around both.</summary>
    private List<(int X, int Y)> Cheapest((int X, int Y) from, (int X, int Y) to)
    {
        double apart = Math.Sqrt(Math.Pow(to.X - from.X, 2) + Math.Pow(to.Y - from.Y, 2));
        int margin = (int)(12 + 0.35 * apart);
        var box = new PixelBox(
            Math.Max(0, Math.Min(from.X, to.X) - margin),
            Math.Max(0, Math.Min(from.Y, to.Y) - margin),
            Math.Min(_width, Math.Max(from.X, to.X) + margin + 1),
            Math.Min(_height, Math.Max(from.Y, to.Y) + margin + 1)
        );
        int w = box.Width,
            h = box.Height;
        float strongest = 1e-3f;
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                strongest = Math.Max(strongest, _size[y * _width + x]);
            }
        }
        var cost = new int[w * h];
        Array.Fill(cost, int.MaxValue);
        var before = new int[w * h];
        var buckets = new List<int>[2 * MostSteps];
        for (int i = 0; i < buckets.Length; i++)
        {
            buckets[i] = [];
        }
        int start = (from.Y - box.Y0) * w + from.X - box.X0,
            end = (to.Y - box.Y0) * w + to.X - box.X0;
        cost[start] = 0;
        before[start] = start;
        buckets[0].Add(start);
        for (int now = 0, waiting = 1; waiting > 0; now++)
        {
            List<int> bucket = buckets[now % buckets.Length];
            for (int q = 0; q < bucket.Count; q++)
            {
                int i = bucket[q];
                waiting--;
                if (cost[i] != now)
                {
                    continue;
                }
                if (i == end)
                {
                    return Back(before, end, w, box);
                }
                int x = i % w,
                    y = i / w;
                for (int dy = -1; dy <= 1; dy++)
                {
                    for (int dx = -1; dx <= 1; dx++)
                    {
                        int nx = x + dx,
                            ny = y + dy;
                        if ((dx == 0 && dy == 0) || nx < 0 || ny < 0 || nx >= w || ny >= h)
                        {
                            continue;
                        }
                        int j = ny * w + nx,
                            reached = now + Step((ny + box.Y0) * _width + nx + box.X0, dx, dy, strongest);
                        if (reached < cost[j])
                        {
                            (cost[j], before[j]) = (reached, i);
                            buckets[reached % buckets.Length].Add(j);
                            waiting++;
                        }
                    }
                }
            }
            bucket.Clear();
        }
        return [from, to];
    }

    /// <summary>A step to a pixel is cheap where the gradient is great and lies across it.</summary>
    private int Step(int i, int dx, int dy, float strongest)
    {
        double length = dx != 0 && dy != 0 ? Math.Sqrt(2) : 1,
            size = Math.Min(1, Math.Sqrt(_size[i] / strongest)),
            along = _size[i] > 0 ? Math.Abs(_across[i] * dx + _down[i] * dy) / (_size[i] * length) : 0;
        return 1 + (int)(MostSteps * 0.7 * length * (0.7 * (1 - size) + 0.3 * size * along));
    }

    private static List<(int X, int Y)> Back(int[] before, int end, int width, PixelBox box)
    {
        var path = new List<(int X, int Y)>();
        for (int i = end; ; i = before[i])
        {
            path.Add((i % width + box.X0, i / width + box.Y0));
            if (before[i] == i)
            {
                path.Reverse();
                return path;
            }
        }
    }
}
