using System.Diagnostics;
using System.Globalization;
using Plenk.Core.Images;
using Plenk.Core.Tracking.Outlines;
using Plenk.Formats.Outlines;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>Outlines followed from one key and from two, against the coverage that a foreign renderer gives.</summary>
internal static class OutlineBench
{
    /// <param name="folder">With plate/ and matte/.</param>
    public static int Run(string folder, bool mattesOnly = false)
    {
        var plate = new PlateFolder(Path.Combine(folder, "plate"), null);
        int first = plate.First,
            last = plate.Last;
        int[] frames = [.. Enumerable.Range(first, last - first + 1)];
        CodeImage Truth(int frame)
        {
            string file = Path.Combine(folder, "matte", $"matte.{frame.ToString("0000", CultureInfo.InvariantCulture)}.png");
            return RasterFile.Read(File.ReadAllBytes(file), file);
        }
        var truth = frames.ToDictionary(f => f, f => Coverage(Truth(f)));
        int width = plate.Codes(first).Width,
            height = plate.Codes(first).Height;
        Console.WriteLine($"{folder}: {frames.Length} frames of {width} × {height}");
        bool all = true;
        if (mattesOnly)
        {
            return Pulled(folder, plate, truth, frames) ? 0 : 1;
        }
        FilmedSet filmed = FilmedSet.Open(
            Path.Combine(folder, "plate"),
            Path.Combine(folder, "truth.json"),
            Path.Combine(folder, "set.obj"),
            new FilmedSetOptions(new(24, 1), new(-0.06, 0.01, 0, 0, 0))
        );
        foreach (FilmedSet? place in (FilmedSet?[])[filmed, null])
        {
            foreach (
                var (says, keys, mean, worst) in new[]
                {
                    ("first and last", new[] { first, last }, 0.97, 0.93),
                    ("a third and two thirds", [first + frames.Length / 3, first + 2 * frames.Length / 3], 0.97, 0.93),
                    ("the first", [first], 0.93, 0.85),
                    ("the middle", [first + frames.Length / 2], 0.93, 0.85),
                    ("the last", [last], 0.93, 0.85),
                }
            )
            {
                var outline = new NamedOutline("bench", [.. keys.Select(f => NamedOutline.KeyOf(f, Drawn(truth[f], width, height)))]);
                long begun = Stopwatch.GetTimestamp();
                IReadOnlyList<FollowedOutline> followed = OutlineWork.Follow(plate, [outline], first, last, place)[0].Frames;
                double seconds = Stopwatch.GetElapsedTime(begun).TotalSeconds / frames.Length;
                var ious = new List<(int Frame, double Iou, double Near, double Confidence)>();
                var offs = new Dictionary<int, double[]>();
                foreach (FollowedOutline f in followed)
                {
                    float[] own = OutlineCoverage.Of(f.Curve, width, height),
                        real = truth[f.Frame];
                    double both = 0,
                        either = 0;
                    for (int i = 0; i < own.Length; i++)
                    {
                        bool a = own[i] > 0.5f,
                            b = real[i] > 0.5f;
                        both += a && b ? 1 : 0;
                        either += a || b ? 1 : 0;
                    }
                    double[] line = Contours.Largest(real, width, height);
                    double[] flat = [.. f.Curve.Even(400).SelectMany(p => f.Curve.At(p) is var (x, y) ? new[] { x, y } : [])];
                    double near = Enumerable.Range(0, 400).Count(i => Off(line, flat[2 * i], flat[2 * i + 1]) <= 1) / 400.0;
                    offs[f.Frame] = [.. f.Curve.Knots.Select(k => Off(line, k.X, k.Y) * (MatteContains(line, k.X, k.Y) ? -1 : 1))];
                    if (!keys.Contains(f.Frame))
                    {
                        ious.Add((f.Frame, either > 0 ? both / either : 1, near, f.Confidence));
                    }
                }
                // A knot's way about the real border that its neighbours in time do not share.
                var shakes = new List<double>();
                for (int f = first + 1; f < last; f++)
                {
                    if (
                        offs.TryGetValue(f - 1, out double[]? a)
                        && offs.TryGetValue(f, out double[]? b)
                        && offs.TryGetValue(f + 1, out double[]? c)
                    )
                    {
                        shakes.AddRange(b.Select((v, i) => v - (a[i] + c[i]) / 2).Where(v => Math.Abs(v) < 8));
                    }
                }
                double chatter = Math.Sqrt(shakes.Average(v => v * v) / 1.5),
                    own90 = ious.Average(i => i.Near);
                bool ok = ious.Average(i => i.Iou) >= mean && ious.Min(i => i.Iou) >= worst;
                all &= ok;
                Console.WriteLine(
                    FormattableString.Invariant(
                        $"{(ok ? "within " : "outside")} key at {says}{(place is null ? "" : ", by camera and set")}: IoU mean {ious.Average(i => i.Iou):0.0000} (≥ {mean}), worst {ious.Min(i => i.Iou):0.0000} at {ious.MinBy(i => i.Iou).Frame} (≥ {worst}); edge within 1 px over {100 * own90:0.0} %; chatter {chatter:0.00} px; {outline.Keys[0].Points.Count} points drawn, {followed[0].Curve.Knots.Count} followed; {seconds:0.00} s a frame"
                    )
                );
                Console.WriteLine(
                    $"        {string.Join(' ', ious.Select(i => FormattableString.Invariant($"{i.Frame % 1000}:{i.Iou:0.000}/{i.Confidence:0.00}")))}"
                );
            }
        }
        return Pulled(folder, plate, truth, frames) && all ? 0 : 1;
    }

    /// <summary>Alpha in a band of five pixels on either side of the edge, in six frames, against the renderer's own.</summary>
    private static bool Pulled(string folder, PlateFolder plate, Dictionary<int, float[]> truth, int[] frames)
    {
        bool all = true;
        foreach (bool known in (bool[])[false, true])
        {
            double off = 0,
                count = 0;
            var rims = new double[3];
            long begun = Stopwatch.GetTimestamp();
            int[] some = [.. frames.Where((_, i) => i % 4 == 1)];
            foreach (int f in some)
            {
                CodeImage codes = plate.Codes(f);
                int w = codes.Width,
                    h = codes.Height;
                FloatImage picture = codes.ToLinear(plate.Space);
                string clean = Path.Combine(folder, "clean", $"plate.{f.ToString("0000", CultureInfo.InvariantCulture)}.png");
                FloatImage behind = RasterFile.Read(File.ReadAllBytes(clean), clean).ToLinear(plate.Space);
                float[] real = truth[f];
                bool[] inner = Morphology.Eroded(Array.ConvertAll(real, a => a >= 0.999f), w, h, 5),
                    wide = Morphology.Dilated(Array.ConvertAll(real, a => a > 0.001f), w, h, 5);
                float[] trimap =
                [
                    .. inner.Select(
                        (v, i) =>
                            v ? 1
                            : wide[i] ? float.NaN
                            : 0
                    ),
                ];
                var (alpha, fore) = PullMatte.Of(picture, trimap, known ? behind : null);
                for (int i = 0; i < real.Length; i++)
                {
                    if (!float.IsNaN(trimap[i]))
                    {
                        continue;
                    }
                    off += Math.Abs(alpha[i] - real[i]);
                    count++;
                    double[][] grounds =
                    [
                        [0, 0, 0],
                        [0.18, 0.18, 0.18],
                        [0, 0.8, 0],
                    ];
                    for (int g = 0; g < 3; g++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            // What the renderer's own coverage would give: C − (1 − α) B, laid over.
                            double own = fore.Data[3 * i + c] + (1 - alpha[i]) * grounds[g][c],
                                asked = picture.Data[3 * i + c] - (1 - real[i]) * behind.Data[3 * i + c] + (1 - real[i]) * grounds[g][c];
                            rims[g] += Math.Abs(own - asked) / 3;
                        }
                    }
                }
            }
            double mean = off / count;
            all &= mean <= 0.06;
            Console.WriteLine(
                FormattableString.Invariant(
                    $"{(mean <= 0.06 ? "within " : "outside")} matte pulled {(known ? "before its known background" : "from the picture alone")}: alpha off by {mean:0.0000} (≤ 0.06) in the band; laid over black {rims[0] / count:0.0000}, grey {rims[1] / count:0.0000}, green {rims[2] / count:0.0000} off on average; {Stopwatch.GetElapsedTime(begun).TotalSeconds / some.Length:0.0} s a frame"
                )
            );
        }
        return all;
    }

    private static bool MatteContains(double[] line, double x, double y) => Core.Tracking.MatteShape.Contains(line, x, y);

    private static float[] Coverage(CodeImage codes)
    {
        float top = (1 << codes.Bits) - 1;
        return [.. Enumerable.Range(0, codes.Width * codes.Height).Select(i => codes.Codes[i * codes.Channels] / top)];
    }

    /// <summary>As it would be drawn: few points on the line of half coverage, none further off than a third of a pixel (Douglas and Peucker 1973).</summary>
    private static Curve Drawn(float[] coverage, int width, int height)
    {
        double[] line = Contours.Largest(coverage, width, height);
        int n = line.Length / 2;
        int far = Enumerable.Range(0, n).MaxBy(i => Square(line, 0, i));
        var kept = new SortedSet<int> { 0, far };
        Keep(0, far);
        Keep(far, n);
        return new([.. kept.Select(i => new Knot(line[2 * i], line[2 * i + 1]))], true);

        void Keep(int a, int b)
        {
            int worst = -1;
            double most = 0.35 * 0.35;
            for (int i = a + 1; i < b; i++)
            {
                double d = Segment(line[2 * i], line[2 * i + 1], line[2 * a], line[2 * a + 1], line[2 * (b % n)], line[2 * (b % n) + 1]);
                if (d > most)
                {
                    (worst, most) = (i, d);
                }
            }
            if (worst >= 0)
            {
                kept.Add(worst);
                Keep(a, worst);
                Keep(worst, b);
            }
        }
    }

    private static double Square(double[] p, int i, int j) =>
        (p[2 * i] - p[2 * j]) * (p[2 * i] - p[2 * j]) + (p[2 * i + 1] - p[2 * j + 1]) * (p[2 * i + 1] - p[2 * j + 1]);

    private static double Segment(double x, double y, double ax, double ay, double bx, double by)
    {
        double dx = bx - ax,
            dy = by - ay,
            t = Math.Clamp(((x - ax) * dx + (y - ay) * dy) / Math.Max(1e-12, dx * dx + dy * dy), 0, 1),
            ex = x - ax - t * dx,
            ey = y - ay - t * dy;
        return ex * ex + ey * ey;
    }

    private static double Off(double[] line, double x, double y)
    {
        double best = double.MaxValue;
        for (int i = 0, n = line.Length / 2, j = n - 1; i < n; j = i++)
        {
            best = Math.Min(best, Segment(x, y, line[2 * j], line[2 * j + 1], line[2 * i], line[2 * i + 1]));
        }
        return Math.Sqrt(best);
    }
}
