using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>Motion blur by vectors, of what was rendered elsewhere.</summary>
public sealed class MotionKind : StepKind
{
    public override FinishKind Kind => FinishKind.Motion;
    public override string Title => "Motion by vectors";
    public override string Name => "motion blur by vectors";
    public override string Hint =>
        "For frames rendered elsewhere that bring motion.X and motion.Y. What stands in the set is blurred by samples: see the shutter above.";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Degrees = 180,
        };
    public override IReadOnlyList<KindField> Fields => [new("degrees", "Shutter", "°", Min: 0, Max: 360)];

    public override StepNeeds Needs(FinishStep step) => StepNeeds.Parts;

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Degrees is >= 0 and <= 360 ? null : "a shutter is open between 0° and 360°.";

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        FloatImage motion = Motion(canvas);
        canvas.Replace(step, MotionVectors.Reach(canvas.Element, motion, step.Degrees), (e, box) =>
            MotionVectors.Apply(e, motion.Cut(box), step.Degrees)
        );
    }

    /// <summary>
    /// By pixel, where what is seen of elements goes: by its own vectors where it was rendered elsewhere, else by the frame's; what samples
    /// have blurred stands.
    /// </summary>
    private static FloatImage Motion(FinishCanvas canvas)
    {
        RenderedLayer[] own = [.. canvas.Layers.Rendered.Where(r => r.Motion is not null)];
        if (own.Length == 0 && (canvas.Context.BlurredBySamples || canvas.Layers.Parts is null))
        {
            throw new FinishFault(
                "Motion by vectors acts on frames rendered elsewhere that bring a motion layer (motion.X, motion.Y); none does. What "
                    + "stands in the set is blurred by the shutter itself: switch the step off."
            );
        }
        var motion = new FloatImage(canvas.Width, canvas.Height, 2);
        if (!canvas.Context.BlurredBySamples && canvas.Layers.Parts is { } parts)
        {
            parts.Motion.Data.CopyTo(motion.Data, 0);
        }
        foreach (RenderedLayer layer in own)
        {
            for (int i = 0; i < canvas.Width * canvas.Height; i++)
            {
                if (layer.Rgba.Data[4 * i + 3] > 0)
                {
                    layer.Motion!.Data.AsSpan(2 * i, 2).CopyTo(motion.Data.AsSpan(2 * i));
                }
            }
        }
        return motion;
    }
}
