using System.Diagnostics;
using System.Text.Json;
using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;

namespace Plenk.Bench;

/// <summary>The camera of a foreign sequence from its frames alone, sensor known and focal length not, against its truth.</summary>
public static class SolveAccuracy
{
    public static void Run(string directory, JsonElement truth, Action<string, double, double, string> report)
    {
        string[] files = [.. Directory.GetFiles(directory, "plate.*.png").Order()];
        var watch = Stopwatch.StartNew();
        var tracker = new PointTracker(new());
        int first = int.Parse(Path.GetFileName(files[0]).Split('.')[1], System.Globalization.CultureInfo.InvariantCulture), width = 0, height = 0;
        for (int i = 0; i < files.Length; i++)
        {
            CodeImage picture = RasterFile.Read(File.ReadAllBytes(files[i]), files[i]);
            (width, height) = (picture.Width, picture.Height);
            tracker.Next(first + i, GrayPyramid.Of(width, height, picture.Channels, picture.Bits, picture.Codes));
        }
        double tracked = watch.Elapsed.TotalSeconds;
        SolveResult result = CameraSolver.Travelling(tracker.Tracks, first, first + files.Length - 1, new() { Width = width, Height = height });
        double solved = watch.Elapsed.TotalSeconds - tracked;
        Console.WriteLine($"{tracker.Tracks.Count} tracks in {tracked:0.0} s, solve in {solved:0.0} s; {result.TracksUsed} used, {result.LeftOut.Count} left out{(result.Solved ? "" : $"; FAILED: {result.Reason}")}");
        if (!result.Solved)
        {
            report("solve", 1, 0, "");
            return;
        }
        var poses = truth.GetProperty("frames").EnumerateArray().ToDictionary(f => f.GetProperty("frame").GetInt32(), f => Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value);
        Similarity to = Align([.. result.Frames.Select(f => f.CameraToWorld.Position)], [.. result.Frames.Select(f => poses[f.Frame].Position)]);
        double length = 0, square = 0, turn = 0;
        for (int i = 0; i < result.Frames.Count; i++)
        {
            Pose mine = result.Frames[i].CameraToWorld.Moved(to), theirs = poses[result.Frames[i].Frame];
            square += (mine.Position - theirs.Position).LengthSquared;
            if (i > 0) { length += (theirs.Position - poses[result.Frames[i - 1].Frame].Position).Length; }
            Matrix3 d = mine.Rotation.Transpose() * theirs.Rotation;
            turn = Math.Max(turn, Rotations.Degrees(Math.Acos(Math.Clamp((d.M11 + d.M22 + d.M33 - 1) / 2, -1, 1))));
        }
        double focal = truth.GetProperty("frames")[0].GetProperty("focal_px").GetDouble();
        var real = new Pinhole(width, height, focal, focal, width / 2.0, height / 2.0, new Lens(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble()));
        double lens = 0;
        for (int y = 0; y <= height; y += 10)
        {
            for (int x = 0; x <= width; x += 10)
            {
                if (real.TryDirection(x, y, out Vec3 ray) && result.Pinhole!.TryProject(ray, out double px, out double py)) { lens = Math.Max(lens, Math.Sqrt((px - x) * (px - x) + (py - y) * (py - y))); }
            }
        }
        report("solve: frames that were solved, of all", files.Length - result.Frames.Count, 0, "");
        report("solve: reprojection RMS", result.RmsPx, 0.3, "px");
        report("solve: path, RMS by its length", 100 * Math.Sqrt(square / result.Frames.Count) / length, 0.15, "%");
        report("solve: rotation, worst frame", turn, 0.03, "deg");
        report("solve: focal length", 100 * Math.Abs(result.Pinhole!.Fx / focal - 1), 0.3, "%");
        report("solve: lens, worst place in the frame", lens, 0.3, "px");
    }

    /// <summary>The similarity of least squares (Umeyama, PAMI 1991).</summary>
    private static Similarity Align(Vec3[] from, Vec3[] to)
    {
        Vec3 a = from.Aggregate((x, y) => x + y) / from.Length, b = to.Aggregate((x, y) => x + y) / to.Length;
        var m = Matrix<double>.Build.Dense(3, 3);
        double variance = 0;
        for (int i = 0; i < from.Length; i++)
        {
            Vec3 p = from[i] - a, q = to[i] - b;
            double[] u = [q.X, q.Y, q.Z], v = [p.X, p.Y, p.Z];
            for (int r = 0; r < 3; r++) { for (int c = 0; c < 3; c++) { m[r, c] += u[r] * v[c]; } }
            variance += p.LengthSquared;
        }
        var svd = m.Svd();
        double sign = Math.Sign((svd.U * svd.VT).Determinant());
        var rotation = svd.U * Matrix<double>.Build.DenseOfDiagonalArray([1, 1, sign]) * svd.VT;
        double scale = (svd.S[0] + svd.S[1] + sign * svd.S[2]) / variance;
        var r3 = new Matrix3(rotation[0, 0], rotation[0, 1], rotation[0, 2], rotation[1, 0], rotation[1, 1], rotation[1, 2], rotation[2, 0], rotation[2, 1], rotation[2, 2]);
        return new(scale, r3, b - scale * (r3 * a));
    }
}
