using System.Globalization;
using Plenk.Core;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Web;

/// <summary>A layer of a frame, under the name that it is handed over by (docs/exr-layers.md), as it is looked at.</summary>
/// <param name="Channels">Of one layer; of ID mattes all their ranks.</param>
public sealed record LayerPicture(string Name, int Width, int Height, IReadOnlyList<ExrChannel> Channels)
{
    private const float MotionPixels = 16;

    /// <summary>Colours, linear; null: it is data.</summary>
    public FloatImage? Light =>
        Name.Split('_')[0] is not "id" && (Of("R"), Of("G"), Of("B")) is ({ } r, { } g, { } b)
            ? Joined(r, g, b, Name == "mirror" ? 0.18f : 0)
            : null;

    /// <summary>Data as they are read by eye, eight bits; what has none is hatched.</summary>
    public CodeImage Data()
    {
        if (Name == "depth" && Of("Z") is { } depth)
        {
            return FalseColour.OfDepth(depth, Width, Height, Width);
        }
        if (Name.StartsWith("id_", StringComparison.Ordinal))
        {
            return FalseColour.OfIds(Ranks(), Width, Height);
        }
        if ((Of("X"), Of("Y"), Of("Z")) is ({ } x, { } y, var z))
        {
            return Name switch
            {
                "N" => Codes(i => (x[i], y[i], z![i]), v => 0.5f + 0.5f * v),
                // To and fro, so that what lies even at a whole metre is even.
                "P" => Codes(i => (x[i], y[i], z![i]), v => 2 * MathF.Abs(v / 2 - MathF.Floor(v / 2 + 0.5f))),
                "motion" => Codes(i => (x[i], y[i], 0), v => 0.5f + v / (2 * MotionPixels), isThere: _ => true),
                _ => Codes(i => (x[i], y[i], 0), v => v - MathF.Floor(v)),
            };
        }
        float[] one = Channels[0].Values;
        return Codes(i => (one[i], one[i], one[i]), v => v, isThere: _ => true);
    }

    /// <summary>What it holds at a pixel, by channel.</summary>
    public string ValueAt(int x, int y)
    {
        int i = Math.Clamp(y, 0, Height - 1) * Width + Math.Clamp(x, 0, Width - 1);
        return string.Join(
            ' ',
            Channels
                .Where(c => !c.Name.StartsWith("id_", StringComparison.Ordinal))
                .OrderBy(c => "RGBAXYZ".IndexOf(c.Name[^1], StringComparison.Ordinal))
                .Select(c => $"{c.Name[(c.Name.LastIndexOf('.') + 1)..]} {c.Values[i].ToString("0.0###", CultureInfo.InvariantCulture)}")
        );
    }

    private float[]? Of(string channel) => Channels.FirstOrDefault(c => c.Name.EndsWith('.' + channel))?.Values;

    private FloatImage Joined(float[] r, float[] g, float[] b, float zero)
    {
        var rgb = new FloatImage(Width, Height, 3);
        for (int i = 0; i < r.Length; i++)
        {
            (rgb.Data[3 * i], rgb.Data[3 * i + 1], rgb.Data[3 * i + 2]) = (zero + r[i], zero + g[i], zero + b[i]);
        }
        return rgb;
    }

    private CodeImage Codes(Func<int, (float X, float Y, float Z)> at, Func<float, float> shown, Func<int, bool>? isThere = null)
    {
        var codes = new ushort[3 * Width * Height];
        ushort Code(float v) => (ushort)Math.Round(255 * Math.Clamp(shown(v), 0, 1));
        for (int i = 0; i < Width * Height; i++)
        {
            var (x, y, z) = at(i);
            bool there = isThere?.Invoke(i) ?? (float.IsFinite(x + y + z) && (x, y, z) != (0, 0, 0));
            (codes[3 * i], codes[3 * i + 1], codes[3 * i + 2]) = there
                ? (Code(x), Code(y), Code(z))
                : FalseColour.Hatched(i % Width, i / Width);
        }
        return new(Width, Height, 3, 8, codes);
    }

    /// <summary>IDs and how much of a pixel each covers, rank by rank.</summary>
    private List<(float[] Id, float[] Coverage)> Ranks()
    {
        var ranks = new List<(float[], float[])>();
        foreach (var layer in Channels.GroupBy(c => c.Name[..c.Name.LastIndexOf('.')]).OrderBy(g => g.Key, StringComparer.Ordinal))
        {
            float[] Own(string c) => layer.First(x => x.Name.EndsWith('.' + c)).Values;
            ranks.Add((Own("R"), Own("G")));
            ranks.Add((Own("B"), Own("A")));
        }
        return ranks;
    }
}
