using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The plate’s light around the element’s edges.</summary>
public sealed class WrapKind : StepKind
{
    public override FinishKind Kind => FinishKind.Wrap;
    public override string Title => "Light wrap";
    public override bool AfterMerge => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Pixels = 6,
            Strength = 0.3,
        };
    public override IReadOnlyList<KindField> Fields => [new("pixels", "Reach", "px", Min: 0, Max: 1000)];

    public override void Lay(FinishCanvas canvas, FinishStep step) =>
        LensLight.Wrap(canvas.Comp, canvas.Held, canvas.Box, step.Pixels * canvas.Context.Scale, canvas.Mask(step));
}
