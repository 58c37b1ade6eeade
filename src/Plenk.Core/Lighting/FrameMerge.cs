using Plenk.Core.Images;
using Plenk.Core.Projection;

namespace Plenk.Core.Lighting;

/// <summary>comp = element (held out) over (plate · S′ · contact + added + mirror); premultiplied (Porter and Duff 1984).</summary>
public static class FrameMerge
{
    /// <summary>The comp, RGB, and by pixel whether it differs from the plate; elsewhere it is the plate to the bit.</summary>
    /// <param name="near">What the contact look leaves; null: all.</param>
    /// <param name="replaced">By pixel, what is laid on is not the plate as it is; null: it is everywhere.</param>
    public static (FloatImage Comp, bool[] Touched) Over(
        FloatImage held,
        FloatImage plate,
        FloatImage shadow,
        float[]? near,
        FloatImage added,
        FloatImage? mirror,
        IReadOnlyList<HidingMatte> mattes,
        bool[]? replaced = null
    )
    {
        int width = plate.Width,
            height = plate.Height;
        var comp = new FloatImage(width, height, 3);
        var touched = new bool[width * height];
        HidingMatte[] screens = [.. mattes.Where(m => m.Foreground is not null)];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int pixel = y * width; pixel < (y + 1) * width; pixel++)
            {
                float alpha = held.Data[4 * pixel + 3],
                    contact = near?[pixel] ?? 1;
                bool touch = alpha > 0 || contact != 1 || held.Data.AsSpan(4 * pixel, 3).ContainsAnyExcept(0);
                for (int k = 0; k < 3; k++)
                {
                    int at = 3 * pixel + k;
                    float p = plate.Data[at],
                        ratio = shadow.Data[at],
                        mirrored = mirror?.Data[at] ?? 0;
                    touch |= ratio != 1 || added.Data[at] != 0 || mirrored != 0;
                    float under = p * ratio * contact + added.Data[at] + mirrored;
                    comp.Data[at] = held.Data[4 * pixel + k] + (mirrored < 0 ? MathF.Max(0, under) : under) * (1 - alpha);
                    // Before a coloured screen the foreground without it stands over the element.
                    foreach (HidingMatte m in screens)
                    {
                        if (!StandsBefore(m, pixel, alpha, out float whole))
                        {
                            continue;
                        }
                        comp.Data[at] = held.Data[4 * pixel + k] + under * (1 - whole) + whole * m.Foreground!.Data[at];
                    }
                }
                touched[pixel] = touch || replaced?[pixel] == true;
                if (!touch)
                {
                    plate.Data.AsSpan(3 * pixel, 3).CopyTo(comp.Data.AsSpan(3 * pixel));
                }
            }
        });
        return (comp, touched);
    }

    /// <summary>
    /// A matte's soft edge stands before an element there; and how much of the pixel the element has where the matte leaves it open.
    /// </summary>
    private static bool StandsBefore(HidingMatte matte, int pixel, float held, out float whole)
    {
        float coverage = matte.Coverage[pixel];
        bool stands = held > 0 && coverage is > 0 and < 1;
        whole = stands ? MathF.Min(1, held / (1 - coverage)) : 0;
        return stands;
    }

    /// <summary>
    /// All that lies on the background in the finished comp, RGBA premultiplied, held out: comp = this over (background · S′ · contact +
    /// added + mirror), pixel by pixel. Where a matte's soft edge stands before an element, what was filmed there is in it.
    /// </summary>
    /// <param name="under">The background's colours, linear RGB.</param>
    /// <param name="hasComp">Where there is a comp: beyond it (overscan) elements are as they are held out.</param>
    public static FloatImage OnTop(FrameLayers layers, FloatImage under, Func<int, int, bool> hasComp)
    {
        int width = under.Width,
            height = under.Height;
        var result = new FloatImage(width, height, 4);
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                int i = y * width + x;
                Span<float> to = result.Data.AsSpan(4 * i, 4);
                if (!hasComp(x, y))
                {
                    layers.Held.Data.AsSpan(4 * i, 4).CopyTo(to);
                    continue;
                }
                if (!layers.Touched[i])
                {
                    continue;
                }
                float alpha = layers.Held.Data[4 * i + 3];
                foreach (HidingMatte m in layers.Mattes)
                {
                    if (m.Foreground is not null && StandsBefore(m, i, layers.Held.Data[4 * i + 3], out float whole))
                    {
                        alpha = whole;
                    }
                }
                to[3] = alpha;
                for (int c = 0; c < 3; c++)
                {
                    int at = 3 * i + c;
                    float below =
                        under.Data[at] * layers.Shadow.Data[at] * (layers.Near?[i] ?? 1)
                        + layers.Added.Data[at]
                        + (layers.Mirror?.Data[at] ?? 0);
                    to[c] = layers.Comp.Data[at] - (1 - alpha) * below;
                }
            }
        });
        return result;
    }
}
