using System.Globalization;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras.Readers;

/// <summary>What all readers make of their samples.</summary>
internal static class CameraSamples
{
    public static void Check(string name, double frame, double[] m, double focal)
    {
        if (Pose.FromRowMajor16(m, out string? why) is null)
        {
            throw new FormatFault("nan", $"{name}, frame {frame:0.##}: {why}", "Export the camera without scale or shear.");
        }
        if (!(focal > 0) || !double.IsFinite(focal))
        {
            throw new FormatFault(
                "nan",
                $"{name}, frame {frame:0.##}: the focal length is {focal.ToString(CultureInfo.InvariantCulture)}",
                "Export the camera with its focal length."
            );
        }
    }

    public static CameraSource Finish(string name, CameraImport import, int width, int height, LensValues lens, List<CameraSample> samples)
    {
        if (samples.Count == 0)
        {
            throw new FormatFault("file", $"{name} has no frames", "Export one sample a frame.");
        }
        var twice = samples.GroupBy(s => s.Frame).FirstOrDefault(g => g.Count() > 1);
        if (twice is not null)
        {
            throw new FormatFault("duplicate", $"{name} has frame {twice.Key:0.##} twice", "Export one sample a frame.");
        }
        return new CameraSource
        {
            Name = name,
            Rate = import.Rate,
            Mapping = new(import.FirstFrame, import.FirstFrame),
            Width = width,
            Height = height,
            Lens = lens,
            Samples = [.. samples.OrderBy(s => s.Frame)],
        };
    }

    public static Matrix3 Rows(IReadOnlyList<double> m, int stride) =>
        new(m[0], m[1], m[2], m[stride], m[stride + 1], m[stride + 2], m[2 * stride], m[2 * stride + 1], m[2 * stride + 2]);

    /// <summary>16 numbers in either layout: where the last row holds the place, vectors are rows and the matrix is transposed.</summary>
    public static (Matrix3 Rotation, Vec3 Position) FromSixteen(IReadOnlyList<double> m, string name, double frame)
    {
        if (m.Count != 16 || m.Any(v => !double.IsFinite(v)))
        {
            throw new FormatFault(
                "nan",
                $"{name}: the matrix of frame {frame.ToString(CultureInfo.InvariantCulture)} has {m.Count} numbers, or one that is not finite; 16 are needed",
                "Export the camera again."
            );
        }
        bool rows = m[3] == 0 && m[7] == 0 && m[11] == 0 && (m[12] != 0 || m[13] != 0 || m[14] != 0);
        Matrix3 r = Rows(m, 4);
        Vec3 p = rows ? new(m[12], m[13], m[14]) : new(m[3], m[7], m[11]);
        return (Unscaled(rows ? r.Transpose() : r, name, frame), p);
    }

    /// <summary>A uniform scale is taken off; a shear is refused. A mirror stays: the finder reads it.</summary>
    public static Matrix3 Unscaled(Matrix3 r, string name, double frame)
    {
        double s = Math.Cbrt(Math.Abs(r.Determinant));
        Matrix3 m = r * (1 / s);
        double off = Math.Max(
            Math.Abs(Vec3.Dot(m.Column(0), m.Column(1))),
            Math.Max(Math.Abs(Vec3.Dot(m.Column(1), m.Column(2))), Math.Abs(Vec3.Dot(m.Column(0), m.Column(2))))
        );
        if (!(s > 0) || !(off < 0.01))
        {
            throw new FormatFault(
                "file",
                $"{name}: the matrix of frame {frame.ToString(CultureInfo.InvariantCulture)} is not a rotation",
                "Export the camera without shear or uneven scale."
            );
        }
        // A mirrored rotation is one of a left-handed camera: its own back axis turns round.
        return m.Determinant < 0 ? Matrix3.FromColumns(m.Column(0), m.Column(1), -m.Column(2)) : m;
    }
}
