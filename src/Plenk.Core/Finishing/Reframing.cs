using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Finishing;

/// <summary>
/// The finished picture moved: by heat in the air, by a hand, by another framing. All of it is resampled then (cubic, Catmull and Rom
/// 1974).
/// </summary>
public static class Reframing
{
    /// <summary>Where the finished picture's pixel is taken from; pixels of the plate, keys and shake together.</summary>
    public static (double X, double Y, double TurnDegrees, double Scale) At(
        ReframeSettings settings,
        double frame,
        double seconds,
        uint seed
    )
    {
        double Key(Func<FrameKey, double?> of, double otherwise) =>
            KeyCurve.At(settings.Keys, frame, k => k.Frame, of, k => k.Ease) ?? otherwise;
        double shake = settings.ShakePixels * Math.Sqrt(3),
            t = seconds * settings.ShakePerSecond;
        return (
            Key(k => k.X, 0) + shake * Wander.At(t, seed),
            Key(k => k.Y, 0) + shake * Wander.At(t, seed + 1),
            Key(k => k.TurnDegrees, 0),
            Key(k => k.Scale, 1)
        );
    }

    public static (FloatImage Comp, bool[] Touched) Apply(FloatImage comp, bool[] touched, ReframeSettings settings, FinishContext context)
    {
        var (ox, oy, turn, scale) = At(settings, context.Frame, context.Seconds, context.Seed);
        if (!(scale > 0))
        {
            throw new FinishFault("A picture is enlarged by more than 0.");
        }
        if (ox == 0 && oy == 0 && turn == 0 && scale == 1)
        {
            return (comp, touched);
        }
        double cx = comp.Width / 2.0,
            cy = comp.Height / 2.0,
            a = turn * Math.PI / 180,
            cos = Elementary.Cos(a) / scale,
            sin = Elementary.Sin(a) / scale;
        var result = new FloatImage(comp.Width, comp.Height, 3);
        Parallel.For(0, comp.Height, Cores.All, y =>
        {
            for (int x = 0; x < comp.Width; x++)
            {
                double dx = x + 0.5 - cx,
                    dy = y + 0.5 - cy;
                CatmullRom.Sample(
                    comp,
                    cx + cos * dx + sin * dy + ox * context.Scale,
                    cy - sin * dx + cos * dy + oy * context.Scale,
                    result.Pixel(x, y)
                );
            }
        });
        return (result, [.. Enumerable.Repeat(true, touched.Length)]);
    }

    public static (FloatImage Comp, bool[] Touched) Ripple(
        FloatImage comp,
        bool[] touched,
        RippleSettings ripple,
        FinishContext context,
        float[] mask
    )
    {
        FloatImage? picture = context.Driving?.Invoke(ripple);
        int w = comp.Width,
            h = comp.Height;
        double size = Math.Max(1, ripple.SizePixels * context.Scale),
            t = context.Seconds * ripple.PerSecond;
        FloatImage result = comp.Copy();
        var moved = (bool[])touched.Clone();
        Parallel.For(0, h, Cores.All, y =>
        {
            Span<float> drive = stackalloc float[Math.Max(3, picture?.Channels ?? 3)];
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (mask[i] <= 0)
                {
                    continue;
                }
                double dx,
                    dy;
                if (picture is not null)
                {
                    picture.SampleBilinear((x + 0.5) * picture.Width / w, (y + 0.5) * picture.Height / h, drive);
                    (dx, dy) = (2 * (drive[0] - 0.5), 2 * ((picture.Channels > 1 ? drive[1] : drive[0]) - 0.5));
                }
                // Heat rises: the pattern goes upwards.
                else
                {
                    (dx, dy) = (Field(x / size, y / size + t, context.Seed + 7), Field(x / size, y / size + t, context.Seed + 8));
                }
                double by = mask[i] * ripple.Pixels * context.Scale;
                if (Math.Abs(dx * by) + Math.Abs(dy * by) < 1e-3)
                {
                    continue;
                }
                CatmullRom.Sample(comp, x + 0.5 + dx * by, y + 0.5 + dy * by, result.Pixel(x, y));
                moved[i] = true;
            }
        });
        return (result, moved);
    }

    /// <summary>Smooth noise of the plane, −1..1, by values at whole places (value noise).</summary>
    private static double Field(double x, double y, uint seed)
    {
        int ix = (int)Math.Floor(x),
            iy = (int)Math.Floor(y);
        double u = x - ix,
            v = y - iy;
        (u, v) = (u * u * (3 - 2 * u), v * v * (3 - 2 * v));
        double At(int a, int b) =>
            Sampling.Hash((uint)(a + 100_000) * 73856093u ^ (uint)(b + 100_000) * 19349663u ^ seed * 83492791u) / 2147483648.0 - 1;
        double top = At(ix, iy) + u * (At(ix + 1, iy) - At(ix, iy)),
            bottom = At(ix, iy + 1) + u * (At(ix + 1, iy + 1) - At(ix, iy + 1));
        return top + v * (bottom - top);
    }
}
