using System.Buffers.Binary;
using System.Diagnostics;
using System.IO.Compression;
using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;

namespace Plenk.Bench;

/// <summary>
/// A real stereo pair with measured disparity (Scharstein et al. 2014, as Debian's python3-skimage carries it): how much is given, how much
/// of it is wrong by more than 2 px.
/// </summary>
public static class StereoBench
{
    public static int Run(string folder)
    {
        GrayImage Gray(string name)
        {
            CodeImage c = RasterFile.Read(File.ReadAllBytes(Path.Combine(folder, name)), name);
            return GrayPyramid.Of(c.Width, c.Height, c.Channels, c.Bits, c.Codes, levels: 1).Levels[0];
        }
        GrayImage left = Gray("motorcycle_left.png"),
            right = Gray("motorcycle_right.png");
        float[] truth = Npz(Path.Combine(folder, "motorcycle_disp.npz"), out int height, out int width);
        if (width != left.Width || height != left.Height)
        {
            throw new InvalidDataException($"the disparity is {width} × {height}, the picture {left.Width} × {left.Height}");
        }
        // A pair side by side: x in the right picture is x in the left less f · base ÷ depth, so with f = 1000 and base 1 depth is 1000 ÷ disparity.
        var pinhole = new Pinhole(width, height, 1000, 1000, width / 2.0, height / 2.0, Lens.None);
        var watch = Stopwatch.StartNew();
        DepthMap map = DenseDepth.Sweep(
            new(left, Pose.Identity, pinhole),
            [new(right, new(Matrix3.Identity, new(1, 0, 0)), pinhole)],
            1000.0 / 80,
            double.PositiveInfinity,
            128
        );
        int known = 0,
            given = 0,
            wrong = 0;
        for (int i = 0; i < truth.Length; i++)
        {
            if (!float.IsFinite(truth[i]) || truth[i] <= 0)
            {
                continue;
            }
            known++;
            if (float.IsInfinity(map.Depth[i]))
            {
                continue;
            }
            given++;
            if (Math.Abs(1000 / map.Depth[i] - truth[i]) > 2)
            {
                wrong++;
            }
        }
        double coverage = 100.0 * given / known,
            bad = 100.0 * wrong / given;
        Console.WriteLine(
            $"{width} × {height}, 128 planes, {watch.Elapsed.TotalSeconds:0.0} s: {coverage:0.0} % given (bar 75), {bad:0.00} % of it wrong by more than 2 px (bar 8): {(coverage >= 75 && bad < 8 ? "within" : "OUTSIDE")}"
        );
        return coverage >= 75 && bad < 8 ? 0 : 3;
    }

    /// <summary>The first array of an .npz: NumPy's format 1.0, little-endian floats in C order.</summary>
    private static float[] Npz(string path, out int height, out int width)
    {
        using ZipArchive zip = ZipFile.OpenRead(path);
        using Stream stream = zip.Entries[0].Open();
        using var memory = new MemoryStream();
        stream.CopyTo(memory);
        byte[] b = memory.ToArray();
        int header = BinaryPrimitives.ReadUInt16LittleEndian(b.AsSpan(8));
        string text = Encoding.ASCII.GetString(b, 10, header);
        string[] shape = text[(text.IndexOf('(') + 1)..text.IndexOf(')')].Split(',', StringSplitOptions.TrimEntries);
        (height, width) = (
            int.Parse(shape[0], System.Globalization.CultureInfo.InvariantCulture),
            int.Parse(shape[1], System.Globalization.CultureInfo.InvariantCulture)
        );
        bool doubles = text.Contains("<f8", StringComparison.Ordinal);
        var values = new float[width * height];
        for (int i = 0; i < values.Length; i++)
        {
            values[i] = doubles
                ? (float)BinaryPrimitives.ReadDoubleLittleEndian(b.AsSpan(10 + header + 8 * i))
                : BinaryPrimitives.ReadSingleLittleEndian(b.AsSpan(10 + header + 4 * i));
        }
        return values;
    }
}
