using System.Diagnostics;
using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>A clean plate of foreign footage in which something passes, against the same frames without it.</summary>
public static class CleanAccuracy
{
    public static int Run(string passer)
    {
        foreach (bool withSet in (bool[])[true, false])
        {
            Console.WriteLine(withSet ? "with the set" : "without a set, by what is followed");
            string work = Directory.CreateTempSubdirectory("plenk-clean-").FullName;
            try
            {
                Measure(passer, work, withSet);
            }
            finally
            {
                Directory.Delete(work, recursive: true);
            }
        }
        return 0;
    }

    private static FloatImage Linear(string file) => RasterFile.Read(File.ReadAllBytes(file), file).ToLinear(ColorEncoding.Srgb);

    private static void Measure(string passer, string work, bool withSet)
    {
        var frames = new List<int>();
        Directory.CreateDirectory(Path.Combine(work, "mask"));
        var masks = new Dictionary<int, bool[]>();
        foreach (string plate in Directory.GetFiles(Path.Combine(passer, "plate"), "*.png").Order(StringComparer.Ordinal))
        {
            int frame = int.Parse(Path.GetFileName(plate).Split('.')[^2], System.Globalization.CultureInfo.InvariantCulture);
            frames.Add(frame);
            CodeImage a = RasterFile.Read(File.ReadAllBytes(plate), plate),
                b = RasterFile.Read(File.ReadAllBytes(Path.Combine(passer, "clean", Path.GetFileName(plate))), plate),
                m = RasterFile.Read(File.ReadAllBytes(Path.Combine(passer, "matte", $"matte.{frame}.png")), plate);
            // Crate and shadow: what differs by more than noise, in the mean of 5 × 5 pixels; grown by 4.
            int w = a.Width,
                h = a.Height;
            var apart = new bool[w * h];
            for (int y = 2; y < h - 2; y++)
            {
                for (int x = 2; x < w - 2; x++)
                {
                    double sum = 0;
                    for (int k = 0; k < 25; k++)
                    {
                        int i = 3 * ((y + k / 5 - 2) * w + x + k % 5 - 2);
                        sum += a.Codes[i + 1] - (double)b.Codes[i + 1];
                    }
                    apart[y * w + x] = Math.Abs(sum / 25) > 3.5 || m.Codes[(y * w + x) * m.Channels] > 0;
                }
            }
            bool[] mask = Morphology.Dilated(apart, w, h, 4);
            masks[frame] = mask;
            File.WriteAllBytes(
                Path.Combine(work, "mask", $"mask.{frame}.png"),
                RasterFile.ToPng(new CodeImage(w, h, 1, 8, [.. mask.Select(v => (ushort)(v ? 255 : 0))]))
            );
        }
        var clock = Stopwatch.StartNew();
        FilmedSet set = FilmedSet.Open(
            Path.Combine(passer, "plate"),
            Path.Combine(passer, "truth.json"),
            withSet ? Path.Combine(passer, "set.obj") : null,
            new(new(24, 1), new(-0.06, 0.01, 0, 0, 0))
        );
        var told = new List<string>();
        var reports = CleanPlateFiles.Run(set, Path.Combine(work, "mask"), frames, Path.Combine(work, "out"), true, told);
        Console.WriteLine(
            $"{clock.Elapsed.TotalSeconds / frames.Count:0.00} s a frame; masked {reports.Average(r => r.Masked):0} px, taken {100 * reports.Average(r => r.Taken):0.0} %, filled {100 * reports.Average(r => r.Filled):0.00} %"
        );
        foreach (string t in told.Take(5))
        {
            Console.WriteLine(t);
        }
        double squares = 0;
        long n = 0,
            codes = 0,
            outside = 0;
        var made = new Dictionary<int, FloatImage>();
        var clean = new Dictionary<int, FloatImage>();
        double worst = 99;
        foreach (int f in frames)
        {
            ExrPicture exr = ExrFile.Read(Path.Combine(work, "out", $"clean.{f}.exr"));
            made[f] = exr.Layer("RGB")!;
            clean[f] = Linear(Path.Combine(passer, "clean", $"plate.{f}.png"));
            CodeImage plate = RasterFile.Read(File.ReadAllBytes(Path.Combine(passer, "plate", $"plate.{f}.png")), "plate");
            double own = 0;
            int count = 0;
            for (int i = 0; i < masks[f].Length; i++)
            {
                for (int c = 0; c < 3; c++)
                {
                    if (masks[f][i])
                    {
                        double off = made[f].Data[3 * i + c] - clean[f].Data[3 * i + c];
                        own += off * off;
                        count++;
                    }
                    else
                    {
                        outside++;
                        codes += ColorEncodings.ToCode(ColorEncoding.Srgb, made[f].Data[3 * i + c], 8) == plate.Codes[3 * i + c] ? 1 : 0;
                    }
                }
            }
            (squares, n) = (squares + own, n + count);
            worst = count > 0 ? Math.Min(worst, -10 * Math.Log10(own / count)) : worst;
        }
        double psnr = -10 * Math.Log10(squares / n);
        Say("PSNR inside, linear, peak 1", psnr, 32, more: true, "dB");
        Say("  of the worst frame", worst, 32, more: true, "dB");
        Say("outside, other codes", outside - codes, 0, more: false, "values");
        // Flicker along the set's motion, inside both masks.
        double ours = 0,
            theirs = 0;
        var place = new SetBehind(
            FilmedSet
                .Open(
                    Path.Combine(passer, "plate"),
                    Path.Combine(passer, "truth.json"),
                    Path.Combine(passer, "set.obj"),
                    new(new(24, 1), new(-0.06, 0.01, 0, 0, 0))
                )
                .Set
        );
        foreach (int f in frames.SkipLast(1))
        {
            var (pose, pinhole) = set.Camera(f);
            var (next, nextPinhole) = set.Camera(f + 1);
            var grid = new RayGrid(pinhole, pose);
            var view = new FilmedView(f, clean[f], masks[f], pinhole, pose);
            var a = new float[3];
            for (int y = 2; y < grid.Height - 2; y++)
            {
                for (int x = 2; x < grid.Width - 2; x++)
                {
                    if (
                        !masks[f][y * grid.Width + x]
                        || !place.TryPlace(view, grid, x, y, out Vector3 p, out _)
                        || !nextPinhole.TryProject(next, Vec3.From(p), out double px, out double py)
                        || px < 2
                        || py < 2
                        || px > grid.Width - 2
                        || py > grid.Height - 2
                        || !masks[f + 1][(int)py * grid.Width + (int)px]
                    )
                    {
                        continue;
                    }
                    double Change(Dictionary<int, FloatImage> of, float[] at)
                    {
                        of[f + 1].SampleBilinear(px, py, at);
                        double sum = 0;
                        for (int c = 0; c < 3; c++)
                        {
                            sum += Math.Abs(at[c] - of[f][x, y, c]);
                        }
                        return sum;
                    }
                    ours += Change(made, a);
                    theirs += Change(clean, a);
                }
            }
        }
        Say("flicker, times that of the clean frames", ours / theirs, 1.3, more: false, "×");
        // Power by frequency: bands of a Laplacian pyramid of luminance, ours against the clean frames' in the same places.
        for (int band = 0; band < 4; band++)
        {
            double power = 0,
                meant = 0;
            foreach (int f in frames)
            {
                power += Power(made[f], masks[f], band);
                meant += Power(clean[f], masks[f], band);
            }
            Say(
                $"power from {Math.Pow(0.5, band + 1):0.###} to {Math.Pow(0.5, band + 2):0.###} cycles a pixel, times the clean frames'",
                power / meant,
                0.15,
                more: false,
                "×",
                about: 1
            );
        }
    }

    private static double Power(FloatImage picture, bool[] mask, int band)
    {
        float[] y = new float[picture.Width * picture.Height];
        for (int i = 0; i < y.Length; i++)
        {
            y[i] = Luminance.Of(new Vector3(picture.Data[3 * i], picture.Data[3 * i + 1], picture.Data[3 * i + 2]));
        }
        float[] finer = Blurred(y, picture.Width, picture.Height, band == 0 ? 0 : 0.6 * Math.Pow(2, band - 1)),
            coarser = Blurred(y, picture.Width, picture.Height, 0.6 * Math.Pow(2, band));
        double sum = 0;
        for (int i = 0; i < y.Length; i++)
        {
            if (mask[i])
            {
                double d = finer[i] - coarser[i];
                sum += d * d;
            }
        }
        return sum;
    }

    private static float[] Blurred(float[] values, int w, int h, double sigma)
    {
        if (sigma <= 0)
        {
            return values;
        }
        int reach = (int)Math.Ceiling(3 * sigma);
        double[] kernel = [.. Enumerable.Range(-reach, 2 * reach + 1).Select(k => Math.Exp(-k * k / (2 * sigma * sigma)))];
        double all = kernel.Sum();
        float[] Pass(float[] from, int step, int length, int count)
        {
            var to = new float[from.Length];
            Parallel.For(0, h, y =>
            {
                for (int x = 0; x < w; x++)
                {
                    double sum = 0;
                    int at = step == 1 ? x : y;
                    for (int k = -reach; k <= reach; k++)
                    {
                        int near = Math.Clamp(at + k, 0, length - 1);
                        sum += kernel[k + reach] * (step == 1 ? from[y * w + near] : from[near * w + x]);
                    }
                    to[y * w + x] = (float)(sum / all);
                }
            });
            return to;
        }
        return Pass(Pass(values, 1, w, h), w, h, w);
    }

    private static void Say(string what, double value, double bar, bool more, string unit, double? about = null)
    {
        bool good =
            about is { } middle ? Math.Abs(value - middle) <= bar
            : more ? value >= bar
            : value <= bar;
        Console.WriteLine(
            FormattableString.Invariant(
                $"{what, -70} {value, 9:0.000} {unit, -7} bar {(about is { } m ? $"{m} ± {bar}" : $"{(more ? "≥" : "≤")} {bar}"), -10} {(good ? "met" : "MISSED")}"
            )
        );
    }
}
