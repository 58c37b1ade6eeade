using System.Diagnostics;
using Plenk.Core.Cameras;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;

namespace Plenk.Bench;

/// <summary>
/// Twelve steps on a comp of 1920 × 1080 beside a copy of the same bytes; and what a frame of layers takes to disk and back.
/// </summary>
internal static class FinishBench
{
    private const int W = 1920,
        H = 1080;

    public static void Run()
    {
        var (layers, plate) = Scene();
        var context = new FinishContext(new Pinhole(W, H, 1500, 1500, W / 2.0, H / 2.0, Lens.None), 1, 36, 1001, 0, 3)
        {
            Grain = Grain.Of(plate),
            Matte = _ => [.. Enumerable.Repeat(1f, W * H)],
            Lamps = new Dictionary<string, SeenLamp> { ["lamp"] = new(300, 200, new(1, 0.8f, 0.6f), 1, 9) },
        };
        FinishStep S(FinishKind kind) => new() { Id = kind.ToString(), Kind = kind };
        FinishStep[] steps =
        [
            S(FinishKind.Grade) with
            {
                Grade = new()
                {
                    Stops = 0.2,
                    Gamma = new(1.1, 1, 0.95),
                    Saturation = 0.9,
                },
            },
            S(FinishKind.Levels) with
            {
                Levels = new(new(0.004, 0.004, 0.005), new(0.98, 0.98, 0.98)),
            },
            S(FinishKind.Haze) with
            {
                Haze = new(new(0.4, 0.45, 0.5), new(0.01, 0.01, 0.012)),
            },
            S(FinishKind.Defocus) with
            {
                Defocus = new(2.8, 4),
            },
            S(FinishKind.EdgeWidth) with
            {
                Pixels = 0.8,
            },
            S(FinishKind.Lens) with
            {
                Lens = new(-0.1, 0, 0.3, -0.3),
            },
            S(FinishKind.Shadow) with
            {
                Shadow = new(new(1.05, 1.05, 1), 1, 1.5),
            },
            S(FinishKind.ShadowMerge) with
            {
                ShadowJoin = new("m", new(0.6, 0.6, 0.6)),
            },
            S(FinishKind.Wrap) with
            {
                Pixels = 6,
                Strength = 0.3,
            },
            S(FinishKind.Glow) with
            {
                Pixels = 8,
                Threshold = 0.6,
                Strength = 0.1,
            },
            S(FinishKind.Flare) with
            {
                Flare = new("lamp"),
            },
            S(FinishKind.Grain),
        ];
        Console.WriteLine($"comp {W} × {H}, {steps.Length} steps, {Environment.ProcessorCount} threads");
        Finisher.Run(layers, plate, steps, context);
        double all = Best(() => Finisher.Run(layers, plate, steps, context));
        float[] bytes = new float[W * H * 14];
        double copy = Best(() =>
        {
            layers.Element.Data.CopyTo(bytes, 0);
            plate.Data.CopyTo(bytes, W * H * 4);
            layers.Comp.Data.CopyTo(bytes, W * H * 7);
            layers.Shadow.Data.CopyTo(bytes, W * H * 10);
        });
        Console.WriteLine($"all together {all:0.00} s a frame; a copy of the same pictures {copy * 1000:0.0} ms");
        foreach (FinishStep s in steps)
        {
            Finisher.Run(layers, plate, [s], context);
            Console.WriteLine($"  {s.Kind, -12} {Best(() => Finisher.Run(layers, plate, [s], context)):0.000} s");
        }

        string path = Path.Combine(Path.GetTempPath(), $"plenk-bench-{Guid.NewGuid():N}.exr");
        try
        {
            ExrChannel[] four = [.. ExrChannel.Of(layers.Element, "RGBA", "element", half: true)],
                many =

                [
                    .. four,
                    .. ExrChannel.Of(layers.Comp, "RGB", "comp", half: true),
                    .. ExrChannel.Of(layers.Shadow, "RGB", "shadow", half: true),
                    .. ExrChannel.Of(layers.Position, "RGB", "P"),
                ];
            foreach (var (name, channels) in new[] { ("4 half channels", four), ("13 channels", many) })
            {
                foreach (ExrCompression c in (ReadOnlySpan<ExrCompression>)[ExrCompression.Zip, ExrCompression.Piz])
                {
                    double write = Best(() => ExrFile.Write(path, W, H, channels, c)),
                        read = Best(() => ExrFile.Read(path));
                    double mb = channels.Sum(k => (k.Half ? 2.0 : 4) * W * H) / 1e6;
                    Console.WriteLine(
                        $"EXR, {name}, {c}: write {write * 1000:0} ms ({mb / write:0} MB/s), read {read * 1000:0} ms ({mb / read:0} MB/s)"
                    );
                }
            }
        }
        finally
        {
            File.Delete(path);
        }
    }

    private static double Best(Action act)
    {
        double best = double.PositiveInfinity;
        for (int i = 0; i < 3; i++)
        {
            var watch = Stopwatch.StartNew();
            act();
            best = Math.Min(best, watch.Elapsed.TotalSeconds);
        }
        return best;
    }

    /// <summary>An element of a seventh of the picture over a ramp with grain.</summary>
    private static (FrameLayers, FloatImage) Scene()
    {
        FloatImage plate = new(W, H, 3),
            element = new(W, H, 4),
            shadow = new(W, H, 3),
            zero = new(W, H, 3),
            one = new(W, H, 1);
        var distance = new float[W * H];
        var random = new Random(1);
        for (int i = 0; i < W * H; i++)
        {
            double x = i % W - W * 0.55,
                y = i / W - H * 0.5,
                r = Math.Sqrt(x * x + y * y) / 300,
                n = random.NextDouble() + random.NextDouble() + random.NextDouble() - 1.5;
            float alpha = (float)Math.Clamp((1 - r) * 300, 0, 1),
                s = (float)Math.Clamp(r - 0.4, 0.4, 1);
            distance[i] = alpha > 0 ? 5 : float.PositiveInfinity;
            one.Data[i] = 9;
            for (int c = 0; c < 3; c++)
            {
                plate.Data[3 * i + c] = (float)(0.1 + 0.4 * (i % W) / W + 0.006 * n);
                element.Data[4 * i + c] = alpha * (float)(0.2 + 0.8 * Math.Max(0, 1 - r));
                shadow.Data[3 * i + c] = s;
            }
            element.Data[4 * i + 3] = alpha;
        }
        var (comp, touched) = FrameMerge.Over(element, plate, shadow, null, zero, null, []);
        return (
            new(comp, element, one, shadow, zero, one, one, one, plate, zero)
            {
                Touched = touched,
                Counts = default,
                Held = element,
                Distance = distance,
            },
            plate
        );
    }
}
