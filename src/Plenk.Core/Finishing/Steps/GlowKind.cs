using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>What is bright shines on around itself.</summary>
public sealed class GlowKind : StepKind
{
    public override FinishKind Kind => FinishKind.Glow;
    public override string Title => "Glow";
    public override bool AfterMerge => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Pixels = 8,
            Threshold = 1,
            Strength = 0.15,
        };
    public override IReadOnlyList<KindField> Fields =>
        [new("pixels", "Reach", "px", Min: 0, Max: 1000), new("threshold", "From", "linear", Min: 0)];

    public override void Lay(FinishCanvas canvas, FinishStep step) =>
        LensLight.Glow(
            canvas.Comp,
            canvas.Held,
            canvas.Added,
            (float)step.Threshold,
            step.Pixels * canvas.Context.Scale,
            canvas.Mask(step),
            canvas.Touched
        );
}
