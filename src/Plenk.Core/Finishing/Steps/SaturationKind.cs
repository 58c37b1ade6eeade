using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>
/// Saturation about the BT.709 luminance (ITU-R BT.709-6, item 3.2), by how light a colour is: film and print hold less colour in their
/// blacks and whites than between (common practice, no source). Bands meet by smooth steps over two stops.
/// </summary>
public sealed class SaturationKind : StepKind
{
    public override FinishKind Kind => FinishKind.Saturation;
    public override string Title => "Saturation by luminance";

    /// <summary>Half of the way from one band to the next, in stops.</summary>
    private const float Half = 1;

    public override bool ByObjects => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Saturation = new(),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("saturation.dark", "Of darks", "×", Min: 0, Max: 10),
            new("saturation.middle", "Between", "×", Min: 0, Max: 10),
            new("saturation.light", "Of lights", "×", Min: 0, Max: 10),
            new("saturation.darkBelow", "Darks below", "linear", Min: 0.0001),
            new("saturation.lightAbove", "Lights above", "linear", Min: 0.0001),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Saturation switch
        {
            null => "it has no values.",
            { Dark: >= 0 and <= 10, Middle: >= 0 and <= 10, Light: >= 0 and <= 10 } s => s.DarkBelow > 0
            && s.LightAbove > s.DarkBelow
            && double.IsFinite(s.LightAbove)
                ? null
                : "darks end above 0 and before lights begin.",
            _ => "a saturation lies between 0 and 10.",
        };

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        SaturationBands bands = Given(step.Saturation);
        canvas.Recolour(step, (c, alpha, _) => alpha > 0 ? alpha * Apply(bands, c / alpha) : c);
        canvas.RecolourPieces(step, c => Apply(bands, c));
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) => GradedLight.Says(frames);

    /// <summary>Of a colour that is not premultiplied; its luminance stays.</summary>
    public static Vector3 Apply(SaturationBands bands, Vector3 c)
    {
        float y = Luminance.Of(c);
        if (!(y > 0))
        {
            return c;
        }
        float dark = Beyond((float)bands.DarkBelow / y),
            light = Beyond(y / (float)bands.LightAbove);
        float by = (float)(dark * bands.Dark + light * bands.Light + (1 - dark - light) * bands.Middle);
        return new Vector3(y) + by * (c - new Vector3(y));
    }

    /// <summary>0 a stop before a border, ½ at it, 1 a stop beyond: a smooth step (3t² − 2t³) over the logarithm of the ratio.</summary>
    private static float Beyond(float ratio)
    {
        float t = Math.Clamp((MathF.Max(-100, Algebra.ElementaryF.Log2(ratio)) + Half) / (2 * Half), 0, 1);
        return t * t * (3 - 2 * t);
    }
}
