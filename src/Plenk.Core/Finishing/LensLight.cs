using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// Light that the lens spreads: from bright surroundings over an element's edge, from bright elements over the plate, and from lamps into
/// the lens.
/// </summary>
public static class LensLight
{
    /// <summary>What lies beside the element, blurred, reaches in over its edge; nothing outside it changes.</summary>
    /// <param name="box">Outside of it nothing is held.</param>
    public static void Wrap(FloatImage comp, FloatImage held, PixelBox box, double sigma, float[] mask)
    {
        int w = comp.Width;
        PixelBox near = box.Grown(Blur.Reach(sigma), w, comp.Height);
        if (near.IsEmpty)
        {
            return;
        }
        FloatImage around = comp.Cut(near);
        for (int y = 0; y < near.Height; y++)
        {
            for (int x = 0; x < near.Width; x++)
            {
                float open = 1 - MathF.Min(1, held.Data[4 * ((near.Y0 + y) * w + near.X0 + x) + 3]);
                foreach (ref float v in around.Pixel(x, y))
                {
                    v = MathF.Max(0, v) * open;
                }
            }
        }
        around = Blur.Gaussian(around, sigma);
        for (int y = box.Y0; y < box.Y1; y++)
        {
            for (int x = box.X0; x < box.X1; x++)
            {
                int i = y * w + x;
                float by = mask[i] * MathF.Min(1, held.Data[4 * i + 3]);
                if (by > 0)
                {
                    for (int c = 0; c < 3; c++)
                    {
                        comp.Data[3 * i + c] += by * around[x - near.X0, y - near.Y0, c];
                    }
                }
            }
        }
    }

    /// <summary>
    /// What is brighter than a threshold on the element and by new lamps shines over all around it: three Gaussians, each twice as wide as
    /// the last.
    /// </summary>
    public static void Glow(FloatImage comp, FloatImage held, FloatImage added, float threshold, double sigma, float[] mask, bool[] touched)
    {
        var bright = new FloatImage(comp.Width, comp.Height, 3);
        Parallel.For(0, comp.Height, Cores.All, y =>
        {
            for (int i = y * comp.Width; i < (y + 1) * comp.Width; i++)
            {
                for (int c = 0; c < 3; c++)
                {
                    float own = comp.Data[3 * i + c],
                        over = own - threshold;
                    if (over > 0)
                    {
                        bright.Data[3 * i + c] =
                            over * MathF.Max(MathF.Min(1, held.Data[4 * i + 3]), own > 0 ? MathF.Min(1, added.Data[3 * i + c] / own) : 0);
                    }
                }
            }
        });
        Spread(comp, bright, sigma, mask, touched);
    }

    /// <summary>The same of all that is brighter than the threshold, whatever it is.</summary>
    public static void GlowOfAll(FloatImage comp, float threshold, double sigma, float[] mask, bool[] touched)
    {
        var bright = new FloatImage(comp.Width, comp.Height, 3);
        for (int i = 0; i < bright.Data.Length; i++)
        {
            bright.Data[i] = MathF.Max(0, comp.Data[i] - threshold);
        }
        Spread(comp, bright, sigma, mask, touched);
    }

    private static void Spread(FloatImage comp, FloatImage bright, double sigma, float[] mask, bool[] touched)
    {
        PixelBox box = PixelBox.Of(bright).Grown(Blur.Reach(4 * sigma), comp.Width, comp.Height);
        if (box.IsEmpty)
        {
            return;
        }
        bright = bright.Cut(box);
        FloatImage spread = new(box.Width, box.Height, 3);
        for (int k = 0; k < 3; k++)
        {
            Blur.Add(spread.Data, Blur.Gaussian(bright, sigma * (1 << k)).Data, 1f / 3);
        }
        Lay(comp, spread, box, mask, touched);
    }

    /// <summary>Light added to the picture, and where that changes it.</summary>
    internal static void Lay(FloatImage comp, FloatImage light, PixelBox box, float[] mask, bool[] touched)
    {
        Parallel.For(0, box.Height, Cores.All, y =>
        {
            for (int x = 0; x < box.Width; x++)
            {
                int i = (box.Y0 + y) * comp.Width + box.X0 + x;
                ReadOnlySpan<float> own = light.Pixel(x, y);
                float most = mask[i] * MathF.Max(own[0], MathF.Max(own[1], own[2]));
                // Below this a 16-bit code does not change: what was the plate stays it to the bit.
                touched[i] |= most > 1e-6f;
                if (touched[i])
                {
                    for (int c = 0; c < 3; c++)
                    {
                        comp.Data[3 * i + c] += mask[i] * own[c];
                    }
                }
            }
        });
    }

    /// <summary>
    /// A lamp's light in the lens, by the share of it that nothing hides: a veil that falls off as 1 ÷ (1 + (r/R)²)^1.5, streaks, ghosts
    /// along the line through the picture's middle; and shafts, the share of open picture on the way to the lamp (Mitchell 2007,
    /// "Volumetric light scattering as a post-process").
    /// </summary>
    public static void Flare(
        FloatImage comp,
        FloatImage depth,
        FloatImage held,
        SeenLamp lamp,
        FlareSettings flare,
        FinishContext context,
        float[] mask,
        bool[] touched
    )
    {
        int w = comp.Width,
            h = comp.Height;
        double radius = Math.Max(1, flare.RadiusPixels * context.Scale),
            cx = w / 2.0,
            cy = h / 2.0;
        var light = new FloatImage(w, h, 3);
        float top = MathF.Max(lamp.Color.X, MathF.Max(lamp.Color.Y, lamp.Color.Z));
        if (top <= 0)
        {
            return;
        }
        Vector3 colour = lamp.Color / top;
        (double At, double Size, Vector3 Tint)[] ghosts =
        [
            (-0.35, 0.30, new(1, 0.8f, 0.6f)),
            (-0.7, 0.55, new(0.6f, 0.9f, 1)),
            (-1.15, 0.2, new(0.8f, 1, 0.7f)),
            (0.45, 0.14, new(1, 0.7f, 0.8f)),
        ];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                double dx = x + 0.5 - lamp.X,
                    dy = y + 0.5 - lamp.Y,
                    r = Math.Sqrt(dx * dx + dy * dy) / radius;
                double wide = 1 + r * r,
                    veil = flare.Veil / (wide * Math.Sqrt(wide));
                if (flare.Streaks > 0)
                {
                    double a = ElementaryF.Cos((float)(Elementary.Atan2(dy, dx) * flare.Streaks / 2.0)),
                        a4 = a * a * a * a,
                        a8 = a4 * a4,
                        a16 = a8 * a8;
                    veil *= 1 + 2 * a16 * a16 * a16 * a8 * a4; // |a|⁶⁰
                }
                Vector3 sum = colour * (float)(veil * lamp.Visible);
                if (flare.Ghosts > 0)
                {
                    foreach (var (at, size, tint) in ghosts)
                    {
                        double gx = cx + (lamp.X - cx) * at - (x + 0.5),
                            gy = cy + (lamp.Y - cy) * at - (y + 0.5),
                            d = Math.Sqrt(gx * gx + gy * gy) / (radius * size);
                        // A disc a little brighter at its rim, its edge a twentieth wide.
                        double disc = Math.Clamp((1 - d) * 20, 0, 1) * (0.6 + 0.4 * d * d);
                        sum += colour * tint * (float)(flare.Ghosts * disc * lamp.Visible);
                    }
                }
                if (flare.Shafts > 0)
                {
                    const int steps = 64;
                    double open = 0,
                        weight = 1,
                        all = 0;
                    for (int k = 0; k < steps; k++)
                    {
                        double t = (k + 0.5) / steps;
                        int sx = (int)(x + (lamp.X - x) * t),
                            sy = (int)(y + (lamp.Y - y) * t);
                        all += weight;
                        if (
                            sx >= 0
                            && sy >= 0
                            && sx < w
                            && sy < h
                            && (depth.Data[sy * w + sx] >= lamp.Depth || depth.Data[sy * w + sx] <= 0)
                        )
                        {
                            open += weight * (1 - MathF.Min(1, held.Data[4 * (sy * w + sx) + 3]));
                        }
                        weight *= 0.97;
                    }
                    sum += colour * (float)(flare.Shafts * open / all / (1 + r * r / 9));
                }
                (light[x, y, 0], light[x, y, 1], light[x, y, 2]) = (sum.X * top, sum.Y * top, sum.Z * top);
            }
        });
        Lay(comp, light, PixelBox.Whole(comp), mask, touched);
    }
}
