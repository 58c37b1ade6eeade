using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;

namespace Plenk.Bench;

/// <summary>
/// The same features through the same frames by ours and by the reference vision library's pyramidal tracker (run by the bench
/// script, which leaves its answers in the work folder), against where the truth's depth and cameras put them.
/// </summary>
public static class TrackingBench
{
    private const int First = 1001,
        Last = 1024,
        Radius = 10;

    public static int Run(string court, string work)
    {
        JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(court, "truth.json"))).RootElement;
        double focal = truth.GetProperty("focal_px").GetDouble();
        int width = truth.GetProperty("width").GetInt32(),
            height = truth.GetProperty("height").GetInt32();
        var pinhole = new Pinhole(
            width,
            height,
            focal,
            focal,
            truth.GetProperty("cx").GetDouble(),
            truth.GetProperty("cy").GetDouble(),
            new Lens(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble())
        );
        var poses = truth
            .GetProperty("frames")
            .EnumerateArray()
            .ToDictionary(
                f => f.GetProperty("frame").GetInt32(),
                f => Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
            );
        GrayPyramid[] pictures =
        [
            .. Enumerable
                .Range(First, Last - First + 1)
                .Select(f =>
                {
                    CodeImage p = RasterFile.Read(File.ReadAllBytes(Path.Combine(court, $"plate.{f}.png")), "plate");
                    return GrayPyramid.Of(width, height, p.Channels, p.Bits, p.Codes);
                }),
        ];
        string list = Path.Combine(work, "features.txt"),
            answers = Path.Combine(work, "reference.txt");
        if (!File.Exists(list))
        {
            File.WriteAllLines(
                list,
                FeatureFinder
                    .Find(pictures[0].Levels[0], 500, 12, [])
                    .Select(f => string.Create(CultureInfo.InvariantCulture, $"{f.X:R} {f.Y:R}"))
            );
            return 0;
        }
        (double X, double Y)[] features =
        [
            .. File.ReadLines(list)
                .Select(l => l.Split(' '))
                .Select(v => (double.Parse(v[0], CultureInfo.InvariantCulture), double.Parse(v[1], CultureInfo.InvariantCulture))),
        ];

        // Where the truth puts each feature: its place by the depth of the first frame, then through the cameras.
        float[] z = ExrFile.Read(Path.Combine(court, "passes", $"z.{First}.exr")).Channels[0].Values;
        Vec3?[] places =
        [
            .. features.Select(f =>
            {
                int at = (int)f.Y * width + (int)f.X;
                // Only where depth is smooth around the feature is its place sure.
                float d = z[at],
                    near = Enumerable
                        .Range(-3, 7)
                        .SelectMany(v => Enumerable.Range(-3, 7).Select(u => z[at + v * width + u]))
                        .Max(o => MathF.Abs(o - d));
                return d < 1e9 && near < 0.03f * d && pinhole.TryDirection(f.X, f.Y, out Vec3 ray)
                    ? poses[First].ToWorld(ray * d)
                    : (Vec3?)null;
            }),
        ];

        // Ours: the whole tracker (window, way back, settled on its first appearance), and the window alone.
        double whole = double.PositiveInfinity,
            window = double.PositiveInfinity;
        Track[] tracks = [];
        var chained = new (double X, double Y)?[features.Length];
        for (int run = 0; run < 5; run++)
        {
            tracks = [.. features.Select((_, i) => new Track(i))];
            var tracker = new PointTracker(new() { Count = 0, Radius = Radius });
            tracker.Next(First, pictures[0]);
            for (int i = 0; i < features.Length; i++)
            {
                tracker.Seed(tracks[i], features[i].X, features[i].Y);
            }
            var watch = Stopwatch.StartNew();
            for (int f = First + 1; f <= Last; f++)
            {
                tracker.Next(f, Fresh(pictures[f - First]));
            }
            whole = Math.Min(whole, watch.Elapsed.TotalMilliseconds / (Last - First));

            for (int i = 0; i < features.Length; i++)
            {
                chained[i] = (features[i].X - 0.5, features[i].Y - 0.5);
            }
            watch.Restart();
            for (int f = First + 1; f <= Last; f++)
            {
                GrayPyramid from = pictures[f - 1 - First],
                    to = Fresh(pictures[f - First]);
                Parallel.For(0, features.Length, Cores.All, i =>
                {
                    if (chained[i] is not { } at)
                    {
                        return;
                    }
                    double x = at.X,
                        y = at.Y;
                    chained[i] = WindowShift.Find(from, to, at.X, at.Y, Radius, ref x, ref y) ? (x, y) : null;
                });
            }
            window = Math.Min(window, watch.Elapsed.TotalMilliseconds / (Last - First));
        }
        string[] lines = File.ReadAllLines(answers);
        double reference = double.Parse(lines[0], CultureInfo.InvariantCulture);
        var theirs = lines
            .Skip(1)
            .Select(l => l.Split(' '))
            .Select(v =>
                (
                    Good: v[0] == "1",
                    X: double.Parse(v[1], CultureInfo.InvariantCulture),
                    Y: double.Parse(v[2], CultureInfo.InvariantCulture)
                )
            )
            .ToArray();
        var ours = new List<double>();
        var plain = new List<double>();
        var other = new List<double>();
        for (int i = 0; i < features.Length; i++)
        {
            // Features that all three followed to the end.
            if (
                places[i] is not { } p
                || tracks[i].Points.Count != Last - First + 1
                || chained[i] is not { } c
                || !theirs[i].Good
                || !pinhole.TryProject(poses[Last], p, out double x, out double y)
            )
            {
                continue;
            }
            TrackPoint end = tracks[i].Points[^1];
            ours.Add(Distance(end.X, end.Y));
            plain.Add(Distance(c.X + 0.5, c.Y + 0.5));
            other.Add(Distance(theirs[i].X + 0.5, theirs[i].Y + 0.5));
            double Distance(double a, double b) => (a - x) * (a - x) + (b - y) * (b - y);
        }
        static string Rms(List<double> squares) =>
            $"RMS {Math.Sqrt(squares.Average()):0.000} px, median {Math.Sqrt(squares.Order().ElementAt(squares.Count / 2)):0.000} px";
        Console.WriteLine(
            $"{features.Length} features, {Last - First} frames of {width} × {height}; {ours.Count} followed to the end by all, against the truth there; pyramids counted, two cores"
        );
        Console.WriteLine($"ours, whole (way back, settled on the first appearance): {whole:0.0} ms a frame, {Rms(ours)}");
        Console.WriteLine($"ours, the window alone:                                  {window:0.0} ms a frame, {Rms(plain)}");
        Console.WriteLine($"reference, the window alone:                             {reference:0.0} ms a frame, {Rms(other)}");
        Console.WriteLine($"time, whole ÷ reference {whole / reference:0.00}, window ÷ reference {window / reference:0.00} (bar 1.5)");
        return 0;

        // Building the pyramid belongs to following.
        static GrayPyramid Fresh(GrayPyramid p) => new(new(p.Levels[0].Width, p.Levels[0].Height, p.Levels[0].Data), p.Levels.Length);
    }
}
