namespace Plenk.Core.Tracking;

/// <summary>A place worth following, in pixels (centres at +0.5), and its smaller eigenvalue.</summary>
public readonly record struct Feature(double X, double Y, float Strength);

/// <summary>
/// Places with texture in two directions: the smaller eigenvalue of the gradients' second moments (Shi and Tomasi, CVPR 1994).
/// </summary>
public static class FeatureFinder
{
    private const int Radius = 4;

    /// <summary>
    /// Up to <paramref name="count"/> features, spread over a grid of cells so that every part of the frame has its share,
    /// none nearer than <paramref name="distance"/> pixels to another or to <paramref name="taken"/>, and none where
    /// <paramref name="allowed"/> is false.
    /// </summary>
    public static IReadOnlyList<Feature> Find(
        GrayImage image,
        int count,
        double distance,
        IReadOnlyList<(double X, double Y)> taken,
        Func<int, int, bool>? allowed = null
    )
    {
        int w = image.Width,
            h = image.Height;
        float[] strength = Strength(image);
        int cellsX = Math.Max(1, (int)Math.Round(Math.Sqrt(count * (double)w / h / 2))),
            cellsY = Math.Max(1, (int)Math.Round((double)cellsX * h / w));
        float strongest = 0;
        foreach (float s in strength)
        {
            strongest = Math.Max(strongest, s);
        }
        float least = Math.Max(strongest * 5e-4f, 2e-6f);
        var cells = new List<Feature>[cellsX * cellsY];
        for (int i = 0; i < cells.Length; i++)
        {
            cells[i] = [];
        }
        const int margin = 12;
        for (int y = margin; y < h - margin; y++)
        {
            for (int x = margin; x < w - margin; x++)
            {
                float s = strength[y * w + x];
                if (s < least || !IsPeak(strength, w, x, y, s) || allowed?.Invoke(x, y) == false)
                {
                    continue;
                }
                cells[y * cellsY / h * cellsX + x * cellsX / w].Add(new(x + 0.5, y + 0.5, s));
            }
        }
        foreach (List<Feature> cell in cells)
        {
            cell.Sort((a, b) => b.Strength.CompareTo(a.Strength));
        }
        var chosen = new List<Feature>();
        // Places by cells as wide as the distance: whatever is too near lies in one of nine.
        var places = new Dictionary<(int, int), List<(double X, double Y)>>();
        bool Free(double x, double y)
        {
            int cx = (int)(x / distance),
                cy = (int)(y / distance);
            for (int dy = -1; dy <= 1; dy++)
            {
                for (int dx = -1; dx <= 1; dx++)
                {
                    if (
                        places.TryGetValue((cx + dx, cy + dy), out var list)
                        && list.Exists(p => (p.X - x) * (p.X - x) + (p.Y - y) * (p.Y - y) < distance * distance)
                    )
                    {
                        return false;
                    }
                }
            }
            return true;
        }
        void Take(double x, double y)
        {
            var key = ((int)(x / distance), (int)(y / distance));
            if (!places.TryGetValue(key, out var list))
            {
                places[key] = list = [];
            }
            list.Add((x, y));
        }
        foreach (var (x, y) in taken)
        {
            Take(x, y);
        }
        // Round after round, the next best of every cell.
        var next = new int[cells.Length];
        for (bool any = true; any && chosen.Count < count; )
        {
            any = false;
            for (int c = 0; c < cells.Length && chosen.Count < count; c++)
            {
                while (next[c] < cells[c].Count)
                {
                    Feature f = cells[c][next[c]++];
                    if (!Free(f.X, f.Y))
                    {
                        continue;
                    }
                    chosen.Add(f);
                    Take(f.X, f.Y);
                    any = true;
                    break;
                }
            }
        }
        return chosen;
    }

    private static bool IsPeak(float[] s, int w, int x, int y, float value)
    {
        for (int dy = -2; dy <= 2; dy++)
        {
            for (int dx = -2; dx <= 2; dx++)
            {
                float other = s[(y + dy) * w + x + dx];
                if (other > value || (other == value && (dy < 0 || (dy == 0 && dx < 0))))
                {
                    return false;
                }
            }
        }
        return true;
    }

    /// <summary>Smaller eigenvalue of the mean outer product of gradients over a square around every pixel.</summary>
    private static float[] Strength(GrayImage image)
    {
        int w = image.Width,
            h = image.Height;
        var xx = new float[w * h];
        var xy = new float[w * h];
        var yy = new float[w * h];
        Parallel.For(1, h - 1, Cores.All, y =>
        {
            for (int x = 1; x < w - 1; x++)
            {
                int i = y * w + x;
                float gx = (image.Data[i + 1] - image.Data[i - 1]) / 2,
                    gy = (image.Data[i + w] - image.Data[i - w]) / 2;
                (xx[i], xy[i], yy[i]) = (gx * gx, gx * gy, gy * gy);
            }
        });
        foreach (float[] a in (float[][])[xx, xy, yy])
        {
            Box(a, w, h);
        }
        var result = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int i = y * w; i < (y + 1) * w; i++)
            {
                float mean = (xx[i] + yy[i]) / 2,
                    half = (xx[i] - yy[i]) / 2;
                result[i] = mean - MathF.Sqrt(half * half + xy[i] * xy[i]);
            }
        });
        return result;
    }

    private static void Box(float[] a, int w, int h)
    {
        var rows = new float[w * h];
        const int n = 2 * Radius + 1;
        Parallel.For(0, h, Cores.All, y =>
        {
            double sum = 0;
            for (int x = -Radius; x < w; x++)
            {
                if (x + Radius < w)
                {
                    sum += a[y * w + x + Radius];
                }
                if (x - Radius - 1 >= 0)
                {
                    sum -= a[y * w + x - Radius - 1];
                }
                if (x >= 0)
                {
                    rows[y * w + x] = (float)(sum / n);
                }
            }
        });
        Parallel.For(0, w, Cores.All, x =>
        {
            double sum = 0;
            for (int y = -Radius; y < h; y++)
            {
                if (y + Radius < h)
                {
                    sum += rows[(y + Radius) * w + x];
                }
                if (y - Radius - 1 >= 0)
                {
                    sum -= rows[(y - Radius - 1) * w + x];
                }
                if (y >= 0)
                {
                    a[y * w + x] = (float)(sum / n);
                }
            }
        });
    }
}
