using Plenk.Core.Images;

namespace Plenk.Core.Finishing;

/// <summary>
/// Motion blur by vectors, for what was rendered at one moment: every pixel is spread along its own motion over the time that the shutter
/// is open (Potmesil and Chakravarty 1983), centred on the frame. What moves by samples needs none of it.
/// </summary>
public static class MotionVectors
{
    /// <summary>How far the longest streak of what is seen reaches from where it stood, whole pixels; the shutter in degrees.</summary>
    public static int Reach(FloatImage rgba, FloatImage motion, double shutterDegrees) =>
        (int)Math.Ceiling(Longest(rgba, motion) * shutterDegrees / 720) + 1;

    private static double Longest(FloatImage rgba, FloatImage motion)
    {
        double longest = 0;
        for (int i = 0; i < rgba.Width * rgba.Height; i++)
        {
            if (rgba.Data[4 * i + 3] <= 0)
            {
                continue;
            }
            float mx = motion.Data[2 * i],
                my = motion.Data[2 * i + 1];
            if (float.IsFinite(mx) && float.IsFinite(my))
            {
                longest = Math.Max(longest, Math.Sqrt((double)mx * mx + (double)my * my));
            }
        }
        // What flies further than any picture is wide leaves it anyhow.
        return Math.Min(longest, 1e5);
    }

    /// <param name="rgba">Premultiplied.</param>
    /// <param name="motion">Pixels to the next frame, two values a pixel; what is no number stands still.</param>
    public static FloatImage Apply(FloatImage rgba, FloatImage motion, double shutterDegrees)
    {
        int w = rgba.Width,
            h = rgba.Height;
        double open = shutterDegrees / 360,
            longest = open * Longest(rgba, motion);
        if (longest < 0.1)
        {
            return rgba;
        }
        int moments = Math.Clamp((int)Math.Ceiling(2 * longest), 8, 512);
        var sum = new FloatImage(w, h, 4);
        var coverage = new float[w * h];
        for (int m = 0; m < moments; m++)
        {
            double t = ((m + 0.5) / moments - 0.5) * open;
            var moved = new FloatImage(w, h, 4);
            Array.Clear(coverage);
            for (int y = 0; y < h; y++)
            {
                for (int x = 0; x < w; x++)
                {
                    int i = y * w + x;
                    if (rgba.Data[4 * i + 3] <= 0)
                    {
                        continue;
                    }
                    double mx = motion.Data[2 * i],
                        my = motion.Data[2 * i + 1];
                    if (!double.IsFinite(mx) || !double.IsFinite(my))
                    {
                        (mx, my) = (0, 0);
                    }
                    double tx = x + mx * t,
                        ty = y + my * t;
                    int x0 = (int)Math.Floor(tx),
                        y0 = (int)Math.Floor(ty);
                    float u = (float)(tx - x0),
                        v = (float)(ty - y0);
                    for (int k = 0; k < 4; k++)
                    {
                        int px = x0 + (k & 1),
                            py = y0 + (k >> 1);
                        float weight = ((k & 1) == 0 ? 1 - u : u) * (k < 2 ? 1 - v : v);
                        if (weight <= 0 || px < 0 || py < 0 || px >= w || py >= h)
                        {
                            continue;
                        }
                        int to = py * w + px;
                        coverage[to] += weight;
                        for (int c = 0; c < 4; c++)
                        {
                            moved.Data[4 * to + c] += weight * rgba.Data[4 * i + c];
                        }
                    }
                }
            }
            // Where the vectors run together more lands than there is room for.
            for (int i = 0; i < coverage.Length; i++)
            {
                if (coverage[i] > 0)
                {
                    float by = 1 / (moments * MathF.Max(1, coverage[i]));
                    for (int c = 0; c < 4; c++)
                    {
                        sum.Data[4 * i + c] += moved.Data[4 * i + c] * by;
                    }
                }
            }
        }
        return sum;
    }
}
