using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>Colour of what is seen of the element, or of one part of its light.</summary>
public sealed class GradeKind : StepKind
{
    public override FinishKind Kind => FinishKind.Grade;
    public override string Title => "Grade";
    public override bool ByObjects => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Grade = new(),
        };

    // The part, the curve and the CDL have hands of their own on the page.
    public override IReadOnlyList<KindField> Fields =>
        [
            new("grade.stops", "Exposure", "stops", Min: -20, Max: 20),
            new("grade.white", "White balance", "×", FieldShape.Triple),
            new("grade.lift", "Lift", "", FieldShape.Triple),
            new("grade.gamma", "Gamma", "", FieldShape.Triple),
            new("grade.gain", "Gain", "×", FieldShape.Triple),
            new("grade.saturation", "Saturation", "×", Min: 0, Max: 10),
        ];

    public override StepNeeds Needs(FinishStep step) =>
        step.Of is GradePart.Element or GradePart.Added or GradePart.Mirror ? StepNeeds.None : StepNeeds.Parts;

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Grade switch
        {
            null => "it has no values.",
            { } g when !Settings.Positive(g.Gamma) => "gamma is greater than 0.",
            { } g
                when !(
                    Settings.NotNegative(g.White)
                    && Settings.NotNegative(g.Gain)
                    && g.Lift.IsFinite
                    && double.IsFinite(g.Stops)
                    && Math.Abs(g.Stops) <= 20
                    && g.Saturation is >= 0 and <= 10
                ) => "gains and saturation are not negative, and exposure changes by up to 20 stops.",
            { Curve: { } curve } when curve.Count < 2 || curve.Select(p => p.In).Distinct().Count() < curve.Count =>
                "a curve needs two points and more, no two over the same value.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep step) => GradedLight.Lay(canvas, step, new(Given(step.Grade)));

    public override string? Says(FinishStep step, StepEffect.Frames frames) => GradedLight.Says(frames);
}
