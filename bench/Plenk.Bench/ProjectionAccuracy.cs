using System.Diagnostics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>Three frames of the foreign plate laid on the foreign set, looked at from frames between, against the clean pictures of those.</summary>
public static class ProjectionAccuracy
{
    public static void Run(string directory, TriangleMesh mesh, Dictionary<int, (Pose Pose, Pinhole Pinhole)> cameras, Action<string, double, double, string> report)
    {
        var set = new SetScene([new Piece { Id = "set", Kind = PieceKind.Mesh, Media = "set" }], (_, _) => mesh);
        FloatImage Plate(int f) => RasterFile.Read(File.ReadAllBytes(Path.Combine(directory, $"plate.{f}.png")), "plate").ToLinear(ColorEncoding.Srgb);
        Projector[] sources = [.. ((int[])[1001, 1036, 1072]).Select(f => new Projector(Plate(f), cameras[f].Pinhole, cameras[f].Pose, set, 72, 84, null))];
        foreach (int frame in (int[])[1001, 1024, 1048, 1072])
        {
            var clock = Stopwatch.StartNew();
            DepthMap map = DepthWork.Map(frame, 1001, 1072, f => RasterFile.Read(File.ReadAllBytes(Path.Combine(directory, $"plate.{f}.png")), "plate"), f => cameras[f]);
            float[] truth = ExrFile.Read(Path.Combine(directory, "passes", $"z.{frame}.exr")).Find("z", "Z")!.Values;
            double[] off = [.. Enumerable.Range(0, truth.Length).Where(i => truth[i] < 1e9f && float.IsFinite(map.Depth[i])).Select(i => (double)Math.Abs(map.Depth[i] / truth[i] - 1)).Order()];
            report($"{frame} dense depth, median, relative ({100.0 * off.Length / truth.Count(v => v < 1e9f):0} % given, {clock.Elapsed.TotalSeconds:0} s)", off[off.Length / 2], 0.01, "");
            report($"{frame} dense depth, off by more than 5 %", 100.0 * off.Count(o => o > 0.05) / off.Length, 8, "%");
        }
        foreach (int frame in (int[])[1024, 1048])
        {
            var (pose, pinhole) = cameras[frame];
            var watch = Stopwatch.StartNew();
            FloatImage view = ProjectedView.Render(new RayGrid(pinhole, pose), set, sources, 16, 1, SourceMix.Quality);
            double seconds = watch.Elapsed.TotalSeconds;
            ExrPicture beauty = ExrFile.Read(Path.Combine(directory, "passes", $"beauty.{frame}.exr"));
            float[] z = ExrFile.Read(Path.Combine(directory, "passes", $"z.{frame}.exr")).Find("z", "Z")!.Values;
            float[][] rgb = [.. ((string[])["R", "G", "B"]).Select(c => beauty.Find("beauty", c)!.Values)];
            int w = view.Width, h = view.Height;
            bool Step(int i, int j) => Math.Abs(1 / z[i] - 1 / z[j]) > 0.03 * Math.Max(1 / z[i], 1 / z[j]);
            var edge = new bool[w * h];
            for (int y = 1; y < h - 1; y++) { for (int x = 1; x < w - 1; x++) { int i = y * w + x; edge[i] = Step(i, i - 1) || Step(i, i + 1) || Step(i, i - w) || Step(i, i + w); } }
            var all = new List<double>();
            int near = 0, bled = 0, far = 0, wrong = 0, covered = 0;
            for (int y = 4; y < h - 4; y++)
            {
                for (int x = 4; x < w - 4; x++)
                {
                    int i = y * w + x;
                    if (!(z[i] < 1e9f)) { continue; }
                    if (view.Data[4 * i + 3] < 0.999f) { continue; }
                    covered++;
                    double ours = 0, theirs = 0;
                    for (int c = 0; c < 3; c++) { ours += view.Data[4 * i + c]; theirs += rgb[c][i]; }
                    double off = Math.Abs(ours - theirs) / Math.Max(theirs, 0.01);
                    all.Add(off);
                    // Two and three pixels off a step in depth nothing of the other side may be left.
                    bool two = false, one = false;
                    for (int v = -3; v <= 3; v++) { for (int u = -3; u <= 3; u++) { if (edge[i + v * w + u]) { if (Math.Max(Math.Abs(u), Math.Abs(v)) <= 1) { one = true; } else { two = true; } } } }
                    if (!one && !two)
                    {
                        far++;
                        if (off > 0.25) { wrong++; }
                    }
                    if (one || !two) { continue; }
                    near++;
                    if (off > 0.25) { bled++; }
                }
            }
            all.Sort();
            report($"{frame} projected, median difference ({100.0 * covered / (w * h):0} % covered, {seconds:0.0} s)", 100 * all[all.Count / 2], 1.5, "%");
            // Noise of the plate is wrong by as much in dark places everywhere; what is more at the edges has bled.
            report($"{frame} projected, off by a quarter 2 to 3 px from a depth edge, over elsewhere (bar ours)", Math.Max(0, 100.0 * bled / Math.Max(1, near) - 100.0 * wrong / Math.Max(1, far)), 1, "%");
        }
    }
}
