using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// What one step does to a frame: measured between the frame with it and the frame without it, all other steps laid on in both.
/// </summary>
/// <param name="Share">Of the picture's pixels, how many it changes.</param>
/// <param name="Mean">Linear light, the mean over these of the most that a channel changes.</param>
/// <param name="Most">The largest change, and where: pixels of the plate.</param>
/// <param name="Says">In the step's own terms: a disc, a streak, a level; null where there is nothing to say.</param>
public sealed record StepEffect(double Share, double Mean, double Most, double X, double Y, string? Says)
{
    /// <summary>Less is rounding.</summary>
    private const float Least = 1e-5f;

    public static StepEffect Of(FinishStep step, FrameLayers with, FrameLayers without, FinishContext context)
    {
        FloatImage a = with.Comp,
            b = without.Comp;
        int w = a.Width,
            changed = 0,
            worst = -1;
        double sum = 0,
            most = 0;
        for (int i = 0; i < w * a.Height; i++)
        {
            float apart = 0;
            for (int c = 3 * i; c < 3 * i + 3; c++)
            {
                apart = MathF.Max(apart, MathF.Abs(a.Data[c] - b.Data[c]));
            }
            if (!(apart > Least))
            {
                continue;
            }
            (changed, sum) = (changed + 1, sum + apart);
            if (apart > most)
            {
                (most, worst) = (apart, i);
            }
        }
        double share = (double)changed / (w * a.Height),
            mean = changed > 0 ? sum / changed : 0;
        return new(
            share,
            mean,
            most,
            worst < 0 ? 0 : (worst % w + 0.5) / context.Scale,
            worst < 0 ? 0 : (worst / w + 0.5) / context.Scale,
            StepKinds.Of(step).Says(step, new(with, without, context))
        );
    }

    /// <summary>The frame with a step and without it, and what is measured of both.</summary>
    public sealed record Frames(FrameLayers With, FrameLayers Without, FinishContext Context)
    {
        /// <summary>The middle distance of what is seen of elements, metres; null: none is.</summary>
        public double? Away { get; } = Distance(Without);

        private static double? Distance(FrameLayers layers)
        {
            float[] away = [.. layers.Distance.Where((d, i) => float.IsFinite(d) && layers.Held.Data[4 * i + 3] > 0.5f).Order()];
            return away.Length > 0 ? away[away.Length / 2] : null;
        }

        /// <summary>The element's mean colour, not premultiplied; null where nothing of it is seen.</summary>
        public static Vector3? Colour(FloatImage held)
        {
            double r = 0,
                g = 0,
                b = 0,
                alpha = 0;
            for (int i = 0; i < held.Data.Length; i += 4)
            {
                (r, g, b, alpha) = (r + held.Data[i], g + held.Data[i + 1], b + held.Data[i + 2], alpha + held.Data[i + 3]);
            }
            return alpha > 0.5 ? new((float)(r / alpha), (float)(g / alpha), (float)(b / alpha)) : null;
        }

        /// <summary>How the light that is left in shadow changes; null where there is no shadow.</summary>
        public string? ShadowSays
        {
            get
            {
                double now = 0,
                    was = 0;
                int n = 0;
                for (int i = 1; i < Without.Shadow.Data.Length; i += 3)
                {
                    float a = With.Shadow.Data[i],
                        b = Without.Shadow.Data[i];
                    if (a < 0.97f || b < 0.97f)
                    {
                        (now, was, n) = (now + a, was + b, n + 1);
                    }
                }
                return n > 0
                    ? FormattableString.Invariant(
                        $"Where there is shadow, the light that is left goes from {100 * was / n:0.0} to {100 * now / n:0.0} %."
                    )
                    : null;
            }
        }
    }
}
