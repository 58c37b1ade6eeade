using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>comp = element (held out) over (plate · S′ · contact + added + mirror); premultiplied (Porter and Duff 1984).</summary>
public static class FrameMerge
{
    /// <summary>The comp, RGB, and by pixel whether it differs from the plate; elsewhere it is the plate to the bit.</summary>
    /// <param name="near">What the contact look leaves; null: all.</param>
    public static (FloatImage Comp, bool[] Touched) Over(
        FloatImage held,
        FloatImage plate,
        FloatImage shadow,
        float[]? near,
        FloatImage added,
        FloatImage? mirror,
        IReadOnlyList<HidingMatte> mattes
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
                bool touch = alpha > 0 || contact != 1;
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
                        if (alpha <= 0 || m.Coverage[pixel] is not (> 0 and < 1))
                        {
                            continue;
                        }
                        float whole = MathF.Min(1, alpha / (1 - m.Coverage[pixel]));
                        comp.Data[at] = held.Data[4 * pixel + k] + under * (1 - whole) + whole * m.Foreground!.Data[at];
                    }
                }
                touched[pixel] = touch;
                if (!touch)
                {
                    plate.Data.AsSpan(3 * pixel, 3).CopyTo(comp.Data.AsSpan(3 * pixel));
                }
            }
        });
        return (comp, touched);
    }
}
