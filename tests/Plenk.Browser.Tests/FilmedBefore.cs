using System.Globalization;
using System.Text;
using Plenk.Core.Images;
using Plenk.Formats.Raster;

namespace Plenk.Browser.Tests;

/// <summary>
/// Made-up footage: a standing figure before an even green screen, filmed by a camera that goes sideways; and paintings of a city for its
/// first frame. All of it by its own small arithmetic (similar triangles), so that what comes out can be held against it.
/// </summary>
internal static class FilmedBefore
{
    public const int Width = 480,
        Height = 270,
        First = 1001,
        Count = 5,
        Beyond = 40; // the paintings go on beyond the frame by so much
    public const double Focal = 480,
        Eye = 1.6,
        FigureAt = 4,
        TowersAt = 14,
        SkyAt = 60,
        HouseAt = 9;

    /// <summary>The house's front: left, right, foot, top, metres.</summary>
    public static readonly (double Left, double Right, double Foot, double Top) House = (1.2, 3.4, 0, 3.1);

    /// <summary>The screen, linear.</summary>
    private static readonly double[] Screen = [0.03, 0.36, 0.07];

    public static double CameraX(int frame) => 0.12 * (frame - First);

    /// <summary>How far something at a distance has moved to the left in a frame, pixels.</summary>
    public static double Shift(int frame, double distance) => CameraX(frame) / distance * Focal;

    /// <summary>Coverage of the figure at a place of a frame, and its colour.</summary>
    public static (double Alpha, double[] Linear) Figure(double px, double py, int frame)
    {
        double x = CameraX(frame) + (px - Width / 2.0) / Focal * FigureAt,
            y = Eye - (py - Height / 2.0) / Focal * FigureAt;
        // A head, a body and a coat that widens downwards; inside is the largest of them, metres to the border.
        static double Ellipse(double x, double y, double cx, double cy, double rx, double ry) =>
            (1 - Math.Sqrt((x - cx) * (x - cx) / (rx * rx) + (y - cy) * (y - cy) / (ry * ry))) * Math.Min(rx, ry);
        double inside = Math.Max(Ellipse(x, y, -0.2, 1.66, 0.13, 0.17), Ellipse(x, y, -0.2, 0.75, 0.34, 0.78));
        double pixels = inside * Focal / FigureAt,
            t = Math.Clamp((pixels + 1.5) / 3, 0, 1);
        double shade = 0.75 + 0.25 * Math.Sin(19 * x) * Math.Sin(23 * y);
        return (t * t * (3 - 2 * t), [0.46 * shade, 0.17 * shade, 0.13 * shade]);
    }

    /// <summary>Linear light of the plate at a pixel's middle.</summary>
    public static double[] Plate(int x, int y, int frame)
    {
        var (a, c) = Figure(x + 0.5, y + 0.5, frame);
        return [.. Enumerable.Range(0, 3).Select(k => a * c[k] + (1 - a) * Screen[k])];
    }

    /// <summary>What the paintings show at a place of the first frame, linear.</summary>
    public static double[] Sky(double px, double py)
    {
        double t = Math.Clamp((py + Beyond) / (Height + 2 * Beyond), 0, 1),
            u = px / Width;
        return [0.15 + 0.5 * t, 0.25 + 0.4 * t + 0.05 * u, 0.6 - 0.1 * t];
    }

    /// <summary>Null: nothing there. Towers stand from every 60th pixel on, 36 wide.</summary>
    public static double[]? Towers(double px, double py)
    {
        double k = Math.Floor((px + 600) / 60),
            within = px + 600 - 60 * k,
            top = 60 + 11 * (k % 5);
        return within < 36 && py > top && py < 200 ? [0.05 + 0.01 * (k % 3), 0.05, 0.08] : null;
    }

    public static double[] HouseFront(double px, double py) => [0.5 + 0.3 * Math.Sin(0.11 * px), 0.35 + 0.2 * Math.Sin(0.13 * py), 0.2];

    private static ushort Code(double linear, int bits) => (ushort)ColorEncodings.ToCode(ColorEncoding.Srgb, (float)linear, bits);

    /// <summary>A matte a frame around all of the figure; their paths.</summary>
    public static string[] Mattes(string folder)
    {
        var files = new List<string>();
        for (int f = First; f < First + Count; f++)
        {
            var codes = new ushort[Width * Height];
            for (int i = 0; i < codes.Length; i++)
            {
                codes[i] = (ushort)(Figure(i % Width + 0.5, i / Width + 0.5, f).Alpha > 0 ? 255 : 0);
            }
            files.Add(Path.Combine(folder, $"figure.{f}.png"));
            File.WriteAllBytes(files[^1], RasterFile.ToPng(new CodeImage(Width, Height, 1, 8, codes)));
        }
        return [.. files];
    }

    /// <summary>Frames, camera and paintings as files; the paths of each.</summary>
    public static (string[] Frames, string Camera, string Sky, string Towers, string House) Write(string folder)
    {
        Directory.CreateDirectory(folder);
        var frames = new List<string>();
        for (int f = First; f < First + Count; f++)
        {
            var codes = new ushort[Width * Height * 3];
            for (int y = 0; y < Height; y++)
            {
                for (int x = 0; x < Width; x++)
                {
                    double[] c = Plate(x, y, f);
                    for (int k = 0; k < 3; k++)
                    {
                        codes[3 * (y * Width + x) + k] = Code(c[k], 8);
                    }
                }
            }
            frames.Add(Path.Combine(folder, $"stage.{f}.png"));
            File.WriteAllBytes(frames[^1], RasterFile.ToPng(new CodeImage(Width, Height, 3, 8, codes)));
        }
        var csv = new StringBuilder("frame,tx,ty,tz,qx,qy,qz,qw,focal_px\n");
        for (int f = First; f < First + Count; f++)
        {
            csv.Append(CultureInfo.InvariantCulture, $"{f},{CameraX(f)},{Eye},0,0,0,0,1,{Focal}\n");
        }
        string camera = Path.Combine(folder, "camera.csv");
        File.WriteAllText(camera, csv.ToString());
        return (
            [.. frames],
            camera,
            Painted(folder, "sky.png", Sky),
            Painted(folder, "towers.png", Towers),
            Painted(folder, "house.png", HouseFront)
        );
    }

    /// <summary>A picture of the first frame and what is beyond it, with edges as brushes leave them; its path.</summary>
    public static string Painted(string folder, string name, Func<double, double, double[]?> what)
    {
        const int w = Width + 2 * Beyond,
            h = Height + 2 * Beyond;
        var codes = new ushort[w * h * 4];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                // Edges are painted as brushes leave them: four by four spots a pixel.
                double[] sum = new double[4];
                for (int s = 0; s < 16; s++)
                {
                    if (what(x - Beyond + (s % 4 + 0.5) / 4, y - Beyond + (s / 4 + 0.5) / 4) is { } c)
                    {
                        (sum[0], sum[1], sum[2], sum[3]) = (sum[0] + c[0], sum[1] + c[1], sum[2] + c[2], sum[3] + 1);
                    }
                }
                int i = 4 * (y * w + x);
                for (int k = 0; k < 3; k++)
                {
                    codes[i + k] = sum[3] > 0 ? Code(sum[k] / sum[3], 16) : (ushort)0;
                }
                codes[i + 3] = (ushort)Math.Round(sum[3] / 16 * 65535);
            }
        }
        string path = Path.Combine(folder, name);
        File.WriteAllBytes(path, RasterFile.ToPng(new CodeImage(w, h, 4, 16, codes)));
        return path;
    }
}
