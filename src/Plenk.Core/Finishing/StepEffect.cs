using System.Globalization;
using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>What one step does to a frame: measured between the frame with it and the frame without it, all other steps laid on in both.</summary>
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
        FloatImage a = with.Comp, b = without.Comp;
        int w = a.Width, changed = 0, worst = -1;
        double sum = 0, most = 0;
        for (int i = 0; i < w * a.Height; i++)
        {
            float apart = 0;
            for (int c = 3 * i; c < 3 * i + 3; c++) { apart = MathF.Max(apart, MathF.Abs(a.Data[c] - b.Data[c])); }
            if (!(apart > Least)) { continue; }
            (changed, sum) = (changed + 1, sum + apart);
            if (apart > most) { (most, worst) = (apart, i); }
        }
        double share = (double)changed / (w * a.Height), mean = changed > 0 ? sum / changed : 0;
        return new(share, mean, most, worst < 0 ? 0 : (worst % w + 0.5) / context.Scale, worst < 0 ? 0 : (worst / w + 0.5) / context.Scale, Words(step, with, without, context));
    }

    private static string? Words(FinishStep s, FrameLayers with, FrameLayers without, FinishContext context)
    {
        string Said(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);
        double? away = Distance(without);
        switch (s.Kind)
        {
            case FinishKind.Grade or FinishKind.Levels when Colours(with.Held) is { } now && Colours(without.Held) is { } was:
                return Said($"The element’s mean goes from {was.X:0.0000} {was.Y:0.0000} {was.Z:0.0000} to {now.X:0.0000} {now.Y:0.0000} {now.Z:0.0000}.");
            case FinishKind.Haze when s.Haze is { } haze && away is { } d:
                {
                    Vector3 t = Haze.Transmission(haze, d);
                    return Said($"At {d:0.0} m it lets {100 * t.X:0.0}, {100 * t.Y:0.0}, {100 * t.Z:0.0} % of the element’s light through.");
                }
            case FinishKind.Defocus when s.Defocus is { } defocus && away is { } d && Defocus.Fault(defocus, context.FocalMm) is null:
                {
                    double disc = Math.Abs(Defocus.Diameter(context.FocalMm, defocus.FNumber, defocus.FocusMetres, d)) * context.PlateWidth / context.SensorWidthMm / context.Scale;
                    return Said($"A point at {d:0.0} m becomes a disc of {disc:0.0} px of the plate.");
                }
            case FinishKind.EdgeWidth:
                return Said($"A sharp edge becomes {Blur.EdgeOfSigma * s.Pixels:0.00} px wide from 10 to 90 %.");
            case FinishKind.Shadow or FinishKind.ShadowMerge when Level(with.Shadow, without.Shadow) is { } level:
                return Said($"Where there is shadow, the light that is left goes from {100 * level.Was:0.0} to {100 * level.Now:0.0} %.");
            case FinishKind.Flare when s.Flare is { } flare:
                return context.Lamps.TryGetValue(flare.Light, out SeenLamp? lamp) ? Said($"The lamp stands at {lamp.X / context.Scale:0}, {lamp.Y / context.Scale:0}; {100 * lamp.Visible:0} % of it is seen.") : "The lamp is off or behind the camera: nothing shines into the lens.";
            case FinishKind.Grain when context.Grain is { } grain && Colours(without.Held) is { } at:
                return Said($"At the element’s mean level it lays on a spread of {grain.Deviation(0, at.X):0.0000} {grain.Deviation(1, at.Y):0.0000} {grain.Deviation(2, at.Z):0.0000}.");
            case FinishKind.Reframe when s.Reframe is { } reframe:
                {
                    var (x, y, turn, scale) = Reframing.At(reframe, context.Frame, context.Seconds, context.Seed);
                    return Said($"Here it moves by {x:0.0}, {y:0.0} px, turns by {turn:0.00}°, enlarges {scale:0.000} times.");
                }
            default: return null;
        }
    }

    /// <summary>The middle distance of what is seen of elements, metres; null: none is.</summary>
    private static double? Distance(FrameLayers layers)
    {
        float[] away = [.. layers.Distance.Where((d, i) => float.IsFinite(d) && layers.Held.Data[4 * i + 3] > 0.5f).Order()];
        return away.Length > 0 ? away[away.Length / 2] : null;
    }

    /// <summary>The element's mean colour, not premultiplied; null where nothing of it is seen.</summary>
    private static Vector3? Colours(FloatImage held)
    {
        double r = 0, g = 0, b = 0, alpha = 0;
        for (int i = 0; i < held.Data.Length; i += 4) { (r, g, b, alpha) = (r + held.Data[i], g + held.Data[i + 1], b + held.Data[i + 2], alpha + held.Data[i + 3]); }
        return alpha > 0.5 ? new((float)(r / alpha), (float)(g / alpha), (float)(b / alpha)) : null;
    }

    private static (double Was, double Now)? Level(FloatImage now, FloatImage was)
    {
        double a = 0, b = 0;
        int n = 0;
        for (int i = 1; i < was.Data.Length; i += 3) { if (was.Data[i] < 0.97f || now.Data[i] < 0.97f) { (a, b, n) = (a + was.Data[i], b + now.Data[i], n + 1); } }
        return n > 0 ? (a / n, b / n) : null;
    }
}
