using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The plate’s own grain on what has none.</summary>
public sealed class GrainKind : StepKind
{
    public override FinishKind Kind => FinishKind.Grain;
    public override string Title => "Grain";
    public override bool AfterMerge => true;
    public override string Hint => "The plate’s own, level by level, another in every frame and the same in every render.";

    public override StepNeeds Needs(FinishStep step) => StepNeeds.Grain;

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        if (canvas.Context.Grain is not { } grain)
        {
            throw new FinishFault("No part of the plate is flat enough to tell its grain. Choose another region, or switch the grain off.");
        }
        float[] mask = canvas.Mask(step);
        for (int i = 0; i < mask.Length; i++)
        {
            mask[i] *= MathF.Min(1, canvas.Held.Data[4 * i + 3]);
        }
        grain.AddTo(canvas.Comp, mask, Tracing.Sampling.Hash(canvas.Context.Seed ^ 0x6772616eu) + (uint)canvas.Context.Frame);
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) =>
        frames.Context.Grain is { } grain && StepEffect.Frames.Colour(frames.Without.Held) is { } at
            ? FormattableString.Invariant(
                $"At the element’s mean level it lays on a spread of {grain.Deviation(0, at.X):0.0000} {grain.Deviation(1, at.Y):0.0000} {grain.Deviation(2, at.Z):0.0000}."
            )
            : null;
}
