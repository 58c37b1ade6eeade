using Plenk.Core.Projection;
using Plenk.Formats.Raster;

namespace Plenk.Web;

/// <summary>Coverage as colours that go from dark blue over green to pale yellow, evenly in lightness; what nothing covers is hatched, where no set is it is grey.</summary>
public static class FalseColour
{
    // Lightness rises evenly, so the order is read without colour as well.
    private static readonly (double R, double G, double B)[] Ramp = [(38, 28, 72), (44, 72, 122), (36, 120, 130), (62, 164, 112), (150, 202, 92), (250, 232, 140)];

    public static CodeImage Of(CoverageMap map, string kind)
    {
        var codes = new ushort[map.Width * map.Height * 3];
        Parallel.For(0, map.Height, y =>
        {
            for (int x = 0; x < map.Width; x++)
            {
                int i = y * map.Width + x;
                (double R, double G, double B) c = map.Texels[i] < 0 ? (119, 119, 119) : map.Texels[i] == 0 ? ((x + y) % 9 < 1 ? (30, 30, 30) : (119.0, 119.0, 119.0)) : kind switch
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

    private static (double R, double G, double B) At(double t)
    {
        double at = Math.Clamp(t, 0, 1) * (Ramp.Length - 1);
        int i = Math.Min((int)at, Ramp.Length - 2);
        double u = at - i;
        return (Ramp[i].R + (Ramp[i + 1].R - Ramp[i].R) * u, Ramp[i].G + (Ramp[i + 1].G - Ramp[i].G) * u, Ramp[i].B + (Ramp[i + 1].B - Ramp[i].B) * u);
    }
}
