using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The finished picture moved by hot air, or by a driving picture.</summary>
public sealed class RippleKind : StepKind
{
    public override FinishKind Kind => FinishKind.Ripple;
    public override string Title => "Heat ripple";
    public override bool AfterMerge => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Ripple = new(),
        };
    public override IReadOnlyList<KindField> Fields =>
        [
            new("ripple.pixels", "Moves by", "px"),
            new("ripple.sizePixels", "Pattern", "px", Min: 1),
            new("ripple.perSecond", "Rises a second", "×"),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Ripple is { SizePixels: > 0 } ? null : "its pattern has a size.";

    public override void Lay(FinishCanvas canvas, FinishStep step) =>
        (canvas.Comp, canvas.Touched) = Reframing.Ripple(
            canvas.Comp,
            canvas.Touched,
            Given(step.Ripple),
            canvas.Context,
            canvas.Mask(step)
        );
}
