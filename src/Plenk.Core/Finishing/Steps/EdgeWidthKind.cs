using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The element’s edges as soft as the plate’s.</summary>
public sealed class EdgeWidthKind : StepKind
{
    public override FinishKind Kind => FinishKind.EdgeWidth;
    public override string Title => "Edge width";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Pixels = 0.7,
        };
    public override IReadOnlyList<KindField> Fields => [new("pixels", "Blur", "px", Min: 0, Max: 1000)];

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        double sigma = step.Pixels * canvas.Context.Scale;
        canvas.Replace(step, Blur.Reach(sigma), (e, _) => Blur.Gaussian(e, sigma));
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) =>
        FormattableString.Invariant($"A sharp edge becomes {Blur.EdgeOfSigma * step.Pixels:0.00} px wide from 10 to 90 %.");
}
