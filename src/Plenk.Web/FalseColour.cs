using Plenk.Core;
using Plenk.Core.Projection;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;

namespace Plenk.Web;

/// <summary>
/// Coverage as colours that go from dark blue over green to pale yellow, evenly in lightness; what nothing covers is hatched, where no set
/// is it is grey.
/// </summary>
public static class FalseColour
{
    // Lightness rises evenly, so the order is read without colour as well.
    private static readonly (double R, double G, double B)[] Ramp =
    [
        (38, 28, 72),
        (44, 72, 122),
        (36, 120, 130),
        (62, 164, 112),
        (150, 202, 92),
        (250, 232, 140),
    ];

    public static CodeImage Of(CoverageMap map, string kind)
    {
        var codes = new ushort[map.Width * map.Height * 3];
        Parallel.For(0, map.Height, Cores.All, y =>
        {
            for (int x = 0; x < map.Width; x++)
            {
                int i = y * map.Width + x;
                (double R, double G, double B) c =
                    map.Texels[i] < 0 ? (119, 119, 119)
                    : map.Texels[i] == 0 ? ((x + y) % 9 < 1 ? (30, 30, 30) : (119.0, 119.0, 119.0))
                    : kind switch
                    {
                        // A quarter of a texel to a pixel and less is dark; two and more are light.
                        "texels" => At(Math.Log2(Math.Clamp(map.Texels[i], 0.25, 2)) / 3 + 2.0 / 3),
                        // Seen square on is light, stretched five times and more dark.
                        "stretch" => At(1 - Math.Log(Math.Clamp(map.Stretch[i], 1, 5)) / Math.Log(5)),
                        _ => At((map.Source[i] % 6 + 0.5) / 6),
                    };
                (codes[3 * i], codes[3 * i + 1], codes[3 * i + 2]) = ((ushort)c.R, (ushort)c.G, (ushort)c.B);
            }
        });
        return new(map.Width, map.Height, 3, 8, codes);
    }

    /// <summary>Stops, from one darker (dark) to one brighter (light); hatched where nothing is known.</summary>
    public static CodeImage OfStops(float[] stops, int width) =>
        Shown(width, stops.Length / width, width, i => stops[i], s => At((Math.Clamp(s, -1, 1) + 1) / 2));

    /// <summary>Luminance in stops about a middle grey of 0.18: six below it is dark, four above light.</summary>
    public static CodeImage OfExposure(Core.Images.FloatImage picture) =>
        Shown(
            picture.Width,
            picture.Height,
            picture.Width,
            i => Core.Images.Luminance.Of(picture.Data.AsSpan(3 * i, 3)),
            l => At((Math.Clamp(Math.Log2(Math.Max(l, 1e-6) / 0.18), -6, 4) + 6) / 10)
        );

    /// <summary>
    /// Depth: near is light, far dark, even in the logarithm between the nearest and the farthest hundredth; where none is given it is
    /// hatched.
    /// </summary>
    public static CodeImage Of(Core.Sets.DepthMap map, int width) => OfDepth(map.Depth, map.Width, map.Height, width);

    /// <summary>The same of a layer, along the camera's axis.</summary>
    public static CodeImage OfDepth(float[] depth, int fromWidth, int fromHeight, int width)
    {
        float[] given = [.. depth.Where(d => float.IsFinite(d) && d > 0).Order()];
        double near = given.Length == 0 ? 1 : Math.Log(given[given.Length / 100]),
            far = given.Length == 0 ? 2 : Math.Log(given[given.Length - 1 - given.Length / 100]);
        return Shown(fromWidth, fromHeight, width, i => depth[i], d => At(1 - (Math.Log(d) - near) / Math.Max(1e-3, far - near)));
    }

    /// <summary>ID mattes: a shade for each, mixed as they cover a pixel.</summary>
    public static CodeImage OfIds(IReadOnlyList<(float[] Id, float[] Coverage)> ranks, int width, int height)
    {
        var codes = new ushort[3 * width * height];
        for (int i = 0; i < width * height; i++)
        {
            double r = 0,
                g = 0,
                b = 0;
            foreach (var (id, coverage) in ranks)
            {
                // Bits of the ID spread over the ramp, so that neighbours differ.
                uint mixed = Core.Tracing.Sampling.Hash(BitConverter.SingleToUInt32Bits(id[i]));
                var c = At(mixed / (double)uint.MaxValue);
                (r, g, b) = (r + coverage[i] * c.R, g + coverage[i] * c.G, b + coverage[i] * c.B);
            }
            (codes[3 * i], codes[3 * i + 1], codes[3 * i + 2]) = (
                (ushort)Math.Min(255, r),
                (ushort)Math.Min(255, g),
                (ushort)Math.Min(255, b)
            );
        }
        return new(width, height, 3, 8, codes);
    }

    /// <summary>Where nothing is known.</summary>
    public static (ushort R, ushort G, ushort B) Hatched(int x, int y) =>
        (x + y) % 9 < 1 ? ((ushort)30, (ushort)30, (ushort)30) : ((ushort)119, (ushort)119, (ushort)119);

    /// <summary>
    /// How much nearer the footage is found than the set stands there: even is the middle tone, 10 % of the distance nearer is light,
    /// farther is dark.
    /// </summary>
    public static CodeImage Of(Work.DepthDifference difference, int width) =>
        Shown(difference.Width, difference.Height, width, i => difference.Relative[i], d => At(0.5 - Math.Clamp(d, -0.1, 0.1) * 5));

    /// <summary>
    /// Which frame gave to a clean plate: early ones dark, late ones light; what was painted or filled is hatched, the plate's own black.
    /// </summary>
    public static CodeImage OfGiven((int Width, int Height, int[] Given) given, FrameRange range) =>
        Shown(
            given.Width,
            given.Height,
            given.Width,
            i => given.Given[i] < 0 ? float.NaN : given.Given[i],
            f => f == 0 ? (0, 0, 0) : At(0.1 + 0.9 * (f - range.First) / Math.Max(1, range.Count - 1))
        );

    private static CodeImage Shown(
        int fromWidth,
        int fromHeight,
        int width,
        Func<int, float> value,
        Func<float, (double R, double G, double B)> colour
    )
    {
        int height = Math.Max(1, (int)Math.Round((double)fromHeight * width / fromWidth));
        var codes = new ushort[width * height * 3];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                float v = value(
                    Math.Min(fromHeight - 1, y * fromHeight / height) * fromWidth + Math.Min(fromWidth - 1, x * fromWidth / width)
                );
                int i = 3 * (y * width + x);
                var (r, g, b) = float.IsFinite(v) ? colour(v) : Hatched(x, y);
                (codes[i], codes[i + 1], codes[i + 2]) = ((ushort)r, (ushort)g, (ushort)b);
            }
        });
        return new(width, height, 3, 8, codes);
    }

    private static (double R, double G, double B) At(double t)
    {
        double at = Math.Clamp(t, 0, 1) * (Ramp.Length - 1);
        int i = Math.Min((int)at, Ramp.Length - 2);
        double u = at - i;
        return (
            Ramp[i].R + (Ramp[i + 1].R - Ramp[i].R) * u,
            Ramp[i].G + (Ramp[i + 1].G - Ramp[i].G) * u,
            Ramp[i].B + (Ramp[i + 1].B - Ramp[i].B) * u
        );
    }
}
