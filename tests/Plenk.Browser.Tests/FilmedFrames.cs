using System.Globalization;
using System.Text;
using Plenk.Core.Images;
using Plenk.Formats.Raster;

namespace Plenk.Browser.Tests;

/// <summary>Made-up footage by a camera that goes sideways, as files.</summary>
internal static class FilmedFrames
{
    /// <param name="plate">Linear light at a place of a frame, pixels.</param>
    /// <param name="stands">Where the camera is to the right, and how high, metres.</param>
    public static (string[] Frames, string Camera) Write(
        string folder,
        string stem,
        (int Width, int Height, double Focal) picture,
        IEnumerable<int> frames,
        Func<double, double, int, double[]> plate,
        Func<int, (double X, double Eye)> stands
    )
    {
        Directory.CreateDirectory(folder);
        var files = new List<string>();
        var csv = new StringBuilder("frame,tx,ty,tz,qx,qy,qz,qw,focal_px\n");
        foreach (int f in frames)
        {
            var codes = new ushort[picture.Width * picture.Height * 3];
            for (int i = 0; i < picture.Width * picture.Height; i++)
            {
                double[] c = plate(i % picture.Width + 0.5, i / picture.Width + 0.5, f);
                for (int k = 0; k < 3; k++)
                {
                    codes[3 * i + k] = (ushort)ColorEncodings.ToCode(ColorEncoding.Srgb, (float)c[k], 8);
                }
            }
            files.Add(Path.Combine(folder, $"{stem}.{f}.png"));
            File.WriteAllBytes(files[^1], RasterFile.ToPng(new CodeImage(picture.Width, picture.Height, 3, 8, codes)));
            var (x, eye) = stands(f);
            csv.Append(CultureInfo.InvariantCulture, $"{f},{x:R},{eye:R},0,0,0,0,1,{picture.Focal:R}\n");
        }
        string camera = Path.Combine(folder, $"{stem}.csv");
        File.WriteAllText(camera, csv.ToString());
        return ([.. files], camera);
    }
}
