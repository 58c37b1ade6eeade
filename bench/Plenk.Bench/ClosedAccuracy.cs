using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>The demo's closed comp against the generator's film of the bell, within the bell's bounds: not an outside check.</summary>
public static class ClosedAccuracy
{
    private const int Frame = 1036;

    public static void Run(string folder)
    {
        string work = Directory.CreateTempSubdirectory("plenk-bench-").FullName;
        try
        {
            var media = new Store.MediaStore(work);
            var engine = new ShotEngine(media);
            ShotDocument shot = DemoSeed.Build(folder, b => media.Write(b));
            FrameLayers layers = engine.Finish.Frame(shot, Frame, shot.Plate!.Width, RenderQuality.Full, dataPasses: false);
            ExrPicture truth = ExrFile.Read(Path.Combine(folder, $"closed.{Frame}.exr"));
            Compare($"BTH_0040, {Frame}, closed ({layers.Counts.Seconds:0.0} s)", layers, truth, layers.Comp);
            // Grain is another in every frame. Without it on either side: our element, shadow and added light over the place as it was filmed without noise.
            ShotDocument clean = shot with
            {
                Finish = shot.Finish with { Steps = [.. shot.Finish.Steps.Where(s => s.Kind != FinishKind.Grain)] },
            };
            FrameLayers bare = engine.Finish.Frame(clean, Frame, shot.Plate.Width, RenderQuality.Full, dataPasses: false);
            FloatImage place = engine.Plates.Plate(shot, Frame).Copy();
            float[][] without = [.. "RGB".Select(c => truth.Channels.Single(k => k.Name == $"without.{c}").Values)];
            for (int y = 0; y < truth.Height; y++)
            {
                for (int x = 0; x < truth.Width; x++)
                {
                    for (int c = 0; c < 3; c++)
                    {
                        place[truth.DataX + x, truth.DataY + y, c] = without[c][y * truth.Width + x];
                    }
                }
            }
            Compare(
                "the same without grain in either",
                bare,
                truth,
                FrameMerge.Over(bare.Held, place, bare.Shadow, bare.Near, bare.Added, bare.Mirror, bare.Mattes).Comp
            );
        }
        finally
        {
            Directory.Delete(work, recursive: true);
        }
    }

    private static void Compare(string name, FrameLayers layers, ExrPicture truth, FloatImage picture)
    {
        var (left, top) = (truth.DataX, truth.DataY);
        FloatImage theirs = FloatImage.Of(
            truth.Width,
            truth.Height,
            truth.Find("", "R")!.Values,
            truth.Find("", "G")!.Values,
            truth.Find("", "B")!.Values
        );
        // Grain is not a difference: means over squares of a few pixels tell what lies below it.
        foreach (int side in (int[])[1, 4, 8])
        {
            var (all, bell, rest) = (new List<double>(), new List<double>(), new List<double>());
            double[] ours = new double[3],
                want = new double[3];
            for (int y = 0; y + side <= truth.Height; y += side)
            {
                for (int x = 0; x + side <= truth.Width; x += side)
                {
                    double apart = 0,
                        level = 0,
                        covered = 0,
                        touched = 0;
                    for (int c = 0; c < 3; c++)
                    {
                        double a = 0,
                            b = 0;
                        for (int v = y; v < y + side; v++)
                        {
                            for (int u = x; u < x + side; u++)
                            {
                                (a, b) = (a + Math.Min(1, picture[left + u, top + v, c]), b + Math.Min(1, theirs[u, v, c])); // the plate's encoding ends at 1
                                if (c != 0)
                                {
                                    continue;
                                }
                                covered += layers.Held[left + u, top + v, 3];
                                touched += Math.Abs(layers.Shadow[left + u, top + v, 1] - 1);
                            }
                        }
                        (apart, level) = (apart + Math.Abs(a - b), level + b);
                        if (covered >= side * side * 0.999)
                        {
                            (ours[c], want[c]) = (ours[c] + a, want[c] + b);
                        }
                    }
                    double by = 100 * apart / Math.Max(level, 3e-3 * side * side);
                    all.Add(by);
                    if (covered >= side * side * 0.999)
                    {
                        bell.Add(by);
                    }
                    else if (covered == 0 && touched < 1e-3)
                    {
                        rest.Add(by);
                    }
                }
            }
            static double Median(List<double> v)
            {
                v.Sort();
                return v.Count > 0 ? v[v.Count / 2] : double.NaN;
            }
            Console.WriteLine(
                $"{name}, squares of {side} px: median difference in the bounds {Median(all):0.00} %, on the bell {Median(bell):0.00} %, beside bell and shadow {Median(rest):0.00} %; mean colour on the bell {string.Join(", ", ours.Zip(want).Select(p => $"{100 * (p.First / p.Second - 1):+0.0;-0.0}"))} %"
            );
        }
    }
}
