using System.Globalization;
using System.IO.Compression;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;

namespace Plenk.Formats;

/// <summary>
/// The text form of "Bundle Adjustment in the Large" (Agarwal et al. 2010): a line of counts; lines camera, point, x, y; nine
/// values a camera (rotation vector, translation, f, k1, k2); three a point. Its cameras look along −Z:
/// p = −X'xy / X'z, r = f (1 + k1 p² + k2 p⁴) p. They come out turned by half a turn about X, y with its sign changed.
/// </summary>
public static class BundleFile
{
    public static BundleProblem Read(string path)
    {
        using Stream file = File.OpenRead(path);
        using var reader = new StreamReader(
            path.EndsWith(".gz", StringComparison.Ordinal) ? new GZipStream(file, CompressionMode.Decompress) : file
        );
        double[] n =
        [
            .. reader
                .ReadToEnd()
                .Split((char[])[' ', '\n', '\t', '\r'], StringSplitOptions.RemoveEmptyEntries)
                .Select(t => double.Parse(t, CultureInfo.InvariantCulture)),
        ];
        if (n.Length < 3 || n.Length != 3 + 4 * n[2] + 9 * n[0] + 3 * n[1])
        {
            throw new FormatFault(
                "file",
                $"{Path.GetFileName(path)} does not hold as many numbers as its first line says",
                "Fetch it again; it may have been cut off."
            );
        }
        int at = 0,
            cameras = (int)n[at++],
            points = (int)n[at++],
            count = (int)n[at++];
        var seen = new BundleObservation[count];
        for (int i = 0; i < count; i++, at += 4)
        {
            seen[i] = new((int)n[at], (int)n[at + 1], n[at + 2], -n[at + 3]);
        }
        var problem = new BundleProblem { Observations = seen };
        Matrix3 turn = Rotations.AboutX(Math.PI);
        for (int i = 0; i < cameras; i++, at += 9)
        {
            var w = new Vec3(n[at], n[at + 1], n[at + 2]);
            Matrix3 r = w.Length > 0 ? Rotations.FromAxisAngle(w / w.Length, w.Length) : Matrix3.Identity;
            problem.Views.Add(
                new()
                {
                    Rotation = turn * r,
                    Translation = turn * new Vec3(n[at + 3], n[at + 4], n[at + 5]),
                    Group = i,
                }
            );
            problem.Groups.Add(
                new()
                {
                    Focal = n[at + 6],
                    K1 = n[at + 7],
                    K2 = n[at + 8],
                    Refine = Intrinsics.Focal | Intrinsics.K1 | Intrinsics.K2,
                }
            );
        }
        problem.Points = new Vec3[points];
        for (int i = 0; i < points; i++, at += 3)
        {
            problem.Points[i] = new(n[at], n[at + 1], n[at + 2]);
        }
        return problem;
    }
}
