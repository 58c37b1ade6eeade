using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// Defocus of a thin lens: a point at depth z leaves a disc of diameter c = f² |z − s| ÷ (N z (s − f)) on the sensor when it is focused at
/// s (Potmesil and Chakravarty 1982). Layers by disc size are blurred each by its own disc and laid over one another from far to near; what
/// lies behind is carried on beneath what lies before it, so that a sharp front edge neither takes in nor lets through what is blurred
/// behind.
/// </summary>
public static class Defocus
{
    /// <summary>Discs of neighbouring layers differ by so much of their diameter, and by half a pixel at least.</summary>
    private const double LayerStep = 0.15;

    /// <summary>Largest disc's radius, pixels; larger ones are held to it, as the time grows with it.</summary>
    public const double MostPixels = 200;

    /// <summary>Diameter of the disc on the sensor, millimetres; signed: negative in front of what is sharp.</summary>
    /// <param name="depth">Metres along the camera's axis; +∞ allowed.</param>
    public static double Diameter(double focalMm, double fNumber, double focusMetres, double depth)
    {
        double s = focusMetres * 1000,
            share = double.IsPositiveInfinity(depth) ? 1 : (depth - focusMetres) / depth;
        return focalMm / fNumber * share * focalMm / (s - focalMm);
    }

    /// <summary>
    /// How far behind which all is as sharp as within a disc of c: H = f² ÷ (N c) + f; metres (Ray, Applied Photographic Optics).
    /// </summary>
    public static double Hyperfocal(double focalMm, double fNumber, double circleMm) =>
        (focalMm * focalMm / (fNumber * circleMm) + focalMm) / 1000;

    /// <summary>From where to where discs are smaller than c; metres, the far end +∞ from the hyperfocal distance on.</summary>
    public static (double Near, double Far) SharpRange(double focalMm, double fNumber, double circleMm, double focusMetres)
    {
        double h = Hyperfocal(focalMm, fNumber, circleMm),
            f = focalMm / 1000;
        return (
            focusMetres * (h - f) / (h + focusMetres - 2 * f),
            focusMetres >= h ? double.PositiveInfinity : focusMetres * (h - f) / (h - focusMetres)
        );
    }

    /// <summary>Null when the settings make a lens; else why not.</summary>
    public static string? Fault(DefocusSettings d, double focalMm) =>
        !(d.FNumber > 0) ? "An f-number is greater than 0: the opening is the focal length divided by it."
        : !(d.FocusMetres > focalMm / 1000)
            ? $"The lens cannot be focused at {d.FocusMetres:0.###} m: that is behind it, or nearer than its focal length of {focalMm:0.#} mm."
        : null;

    /// <summary>The corners of three blades lie furthest from the middle: √(2π ÷ (3 sin 120°)) radii of the disc with their area.</summary>
    private const double Farthest = 1.5552;

    /// <summary>How far the largest disc of what is seen reaches, whole pixels.</summary>
    public static int Reach(FloatImage rgba, float[] radius) => (int)Math.Ceiling(Math.Min(MostPixels, Worst(rgba, radius)) * Farthest) + 2;

    private static double Worst(FloatImage rgba, float[] radius)
    {
        double worst = 0;
        for (int i = 0; i < radius.Length; i++)
        {
            if (rgba.Data[4 * i + 3] > 0)
            {
                worst = Math.Max(worst, Math.Abs(radius[i]));
            }
        }
        return worst;
    }

    /// <summary>Premultiplied RGBA, each pixel spread over its disc.</summary>
    /// <param name="radius">By pixel, in pixels; the sign tells what lies before (negative) and behind what is sharp.</param>
    /// <param name="nearness">By pixel: greater lies nearer; layers are laid over in this order.</param>
    public static FloatImage Apply(FloatImage rgba, float[] radius, float[] nearness, DefocusSettings shape)
    {
        int w = rgba.Width,
            h = rgba.Height;
        if (Worst(rgba, radius) < 0.1)
        {
            return rgba;
        }
        int[] layer = Layers(rgba, radius, nearness, out double[] discs);
        var result = new FloatImage(w, h, 4);
        // From far to near; what lies nearer than a layer is carried over by it.
        for (int l = 0; l < discs.Length; l++)
        {
            var own = new FloatImage(w, h, 4);
            var known = new float[w * h];
            bool any = false,
                covered = false;
            for (int i = 0; i < layer.Length; i++)
            {
                if (layer[i] == l)
                {
                    any = true;
                    known[i] = 1;
                    rgba.Data.AsSpan(4 * i, 4).CopyTo(own.Data.AsSpan(4 * i));
                }
                else if (layer[i] > l)
                {
                    covered = true;
                }
                else
                {
                    known[i] = 1;
                } // nothing of this layer there, and that is known
            }
            if (!any)
            {
                continue;
            }
            if (covered)
            {
                own = CarriedOn(own, layer, l, known);
            }
            FloatImage blurred = Disc(own, Math.Min(MostPixels, discs[l]), shape);
            Parallel.For(0, h, Cores.All, y =>
            {
                Span<float> to = result.Row(y),
                    from = blurred.Row(y);
                for (int x = 0; x < w; x++)
                {
                    float rest = 1 - MathF.Min(1, from[4 * x + 3]);
                    for (int c = 0; c < 4; c++)
                    {
                        to[4 * x + c] = from[4 * x + c] + to[4 * x + c] * rest;
                    }
                }
            });
        }
        return result;
    }

    /// <summary>A layer's own pixels next to nearer ones, carried on beneath them; far from its own nothing is.</summary>
    private static FloatImage CarriedOn(FloatImage own, int[] layer, int l, float[] known)
    {
        FloatImage wide = PictureEdge.Extended(own, known);
        FloatImage result = own.Copy();
        for (int i = 0; i < layer.Length; i++)
        {
            if (layer[i] > l)
            {
                wide.Data.AsSpan(4 * i, 4).CopyTo(result.Data.AsSpan(4 * i));
            }
        }
        return result;
    }

    /// <summary>Pixels sorted into layers of like discs and nearness, 0 the farthest; −1 where nothing is.</summary>
    private static int[] Layers(FloatImage rgba, float[] radius, float[] nearness, out double[] discs)
    {
        // Signed discs grow with distance, so their steps are steps of nearness too; what is as sharp before as behind falls apart by its sign.
        static int Step(double r) =>
            Math.Sign(r) * (int)Math.Round(Elementary.Log(1 + Math.Abs(r) * LayerStep / 0.5) / Elementary.Log(1 + LayerStep));
        var steps = new int[radius.Length];
        var mean = new SortedDictionary<int, (double Radius, double Near, double Weight)>();
        for (int i = 0; i < radius.Length; i++)
        {
            float a = rgba.Data[4 * i + 3];
            if (a <= 0)
            {
                steps[i] = int.MinValue;
                continue;
            }
            steps[i] = Step(radius[i]);
            var m = mean.GetValueOrDefault(steps[i]);
            mean[steps[i]] = (m.Radius + a * Math.Abs(radius[i]), m.Near + a * nearness[i], m.Weight + a);
        }
        int[] order = [.. mean.OrderBy(m => m.Value.Near / m.Value.Weight).Select(m => m.Key)];
        discs = [.. order.Select(k => mean[k].Radius / mean[k].Weight)];
        var place = order.Select((k, i) => (k, i)).ToDictionary(v => v.k, v => v.i);
        var layer = new int[radius.Length];
        for (int i = 0; i < layer.Length; i++)
        {
            layer[i] = steps[i] == int.MinValue ? -1 : place[steps[i]];
        }
        return layer;
    }

    /// <summary>Mean over a disc, or a polygon of blades of the same area, by the exact share that each row of it covers.</summary>
    public static FloatImage Disc(FloatImage image, double radius, DefocusSettings shape)
    {
        if (radius < 0.1)
        {
            return image;
        }
        List<(int Dy, double From, double To, float Weight)> runs = Runs(radius, shape);
        int w = image.Width,
            h = image.Height,
            n = image.Channels;
        // Sums along each row from the left: a run is the difference of two, with shares of the pixels at its ends.
        var sums = new double[h][];
        Parallel.For(0, h, Cores.All, y =>
        {
            var s = new double[(w + 1) * n];
            ReadOnlySpan<float> row = image.Row(y);
            for (int i = 0; i < row.Length; i++)
            {
                s[i + n] = s[i] + row[i];
            }
            sums[y] = s;
        });
        var result = new FloatImage(w, h, n);
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> to = result.Row(y);
            foreach (var (dy, from, until, weight) in runs)
            {
                int v = y + dy;
                if (v < 0 || v >= h)
                {
                    continue;
                }
                double[] s = sums[v];
                for (int x = 0; x < w; x++)
                {
                    double a = Math.Clamp(x + from, 0, w),
                        b = Math.Clamp(x + until, 0, w);
                    if (b <= a)
                    {
                        continue;
                    }
                    int ia = Math.Min(w - 1, (int)a),
                        ib = Math.Min(w - 1, (int)b);
                    double fa = a - ia,
                        fb = b - ib;
                    for (int c = 0; c < n; c++)
                    {
                        double low = s[ia * n + c] + fa * (s[(ia + 1) * n + c] - s[ia * n + c]),
                            high = s[ib * n + c] + fb * (s[(ib + 1) * n + c] - s[ib * n + c]);
                        to[x * n + c] += weight * (float)(high - low);
                    }
                }
            }
        });
        return result;
    }

    /// <summary>
    /// Rows of the shape, eight a pixel: from where to where from the left edge of the middle pixel, and the weight of a pixel's whole
    /// width.
    /// </summary>
    private static List<(int Dy, double From, double To, float Weight)> Runs(double radius, DefocusSettings shape)
    {
        const int fine = 8;
        int reach = (int)Math.Ceiling(radius * Farthest + 0.5);
        var runs = new List<(int Dy, double From, double To, double Length)>();
        for (int i = -reach * fine; i < (reach + 1) * fine; i++)
        {
            double y = (i + 0.5) / fine;
            // The middle pixel's centre is (0.5, 0.5) of it.
            if (Row(radius, shape, y - 0.5) is { } r && r.To > r.From)
            {
                runs.Add(((int)Math.Floor(y), r.From + 0.5, r.To + 0.5, r.To - r.From));
            }
        }
        double area = runs.Sum(r => r.Length);
        return [.. runs.Select(r => (r.Dy, r.From, r.To, (float)(1 / area)))];
    }

    private static (double From, double To)? Row(double radius, DefocusSettings shape, double y)
    {
        if (shape.Blades < 3)
        {
            return Math.Abs(y) < radius ? (-Math.Sqrt(radius * radius - y * y), Math.Sqrt(radius * radius - y * y)) : null;
        }
        int n = shape.Blades;
        // A polygon with the disc's area: n/2 R² sin(2π/n) = π r².
        double corner = radius * Math.Sqrt(2 * Math.PI / (n * Elementary.Sin(2 * Math.PI / n)));
        double turn = shape.TurnDegrees * Math.PI / 180,
            from = double.PositiveInfinity,
            to = double.NegativeInfinity;
        for (int i = 0; i < n; i++)
        {
            double a = turn + 2 * Math.PI * i / n,
                b = turn + 2 * Math.PI * (i + 1) / n;
            var (x0, y0, x1, y1) = (
                corner * Elementary.Sin(a),
                -corner * Elementary.Cos(a),
                corner * Elementary.Sin(b),
                -corner * Elementary.Cos(b)
            );
            if ((y0 - y) * (y1 - y) > 0 || y0 == y1)
            {
                continue;
            }
            double x = x0 + (x1 - x0) * (y - y0) / (y1 - y0);
            (from, to) = (Math.Min(from, x), Math.Max(to, x));
        }
        return from < to ? (from, to) : null;
    }
}
