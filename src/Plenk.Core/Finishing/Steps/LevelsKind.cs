using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>Black and white level by an affine map a channel.</summary>
public sealed class LevelsKind : StepKind
{
    public override FinishKind Kind => FinishKind.Levels;
    public override string Title => "Black and white level";
    public override bool ByObjects => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Levels = new(default, new(1, 1, 1)),
        };
    public override IReadOnlyList<KindField> Fields =>
        [new("levels.lift", "Lift", "", FieldShape.Triple), new("levels.gain", "Gain", "×", FieldShape.Triple)];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Levels is null || !Settings.NotNegative(step.Levels.Gain) || !step.Levels.Lift.IsFinite
            ? "black and white are given as a lift and a gain that is not negative."
            : null;

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        LevelMatch levels = Given(step.Levels);
        GradedLight.Lay(canvas, step, new(new() { Gain = levels.Gain, Lift = levels.Lift }));
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) => GradedLight.Says(frames);
}
