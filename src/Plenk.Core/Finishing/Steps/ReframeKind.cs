using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The finished picture moved, turned and enlarged by keys, and shaken by a hand.</summary>
public sealed class ReframeKind : StepKind
{
    public override FinishKind Kind => FinishKind.Reframe;
    public override string Title => "Shake and framing";
    public override bool AfterMerge => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Reframe = new([]),
        };

    // Its keys have hands of their own on the page.
    public override IReadOnlyList<KindField> Fields =>
        [new("reframe.shakePixels", "Shaken by", "px", Min: 0), new("reframe.shakePerSecond", "Times a second", "", Min: 0)];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Reframe is { ShakePixels: >= 0 } r && r.Keys.All(k => k.Scale is null or > 0)
            ? null
            : "a picture is enlarged by more than 0, and shaken by no less than 0 px.";

    public override void Lay(FinishCanvas canvas, FinishStep step) =>
        (canvas.Comp, canvas.Touched) = Reframing.Apply(canvas.Comp, canvas.Touched, Given(step.Reframe), canvas.Context);

    public override string? Says(FinishStep step, StepEffect.Frames frames)
    {
        if (step.Reframe is not { } reframe)
        {
            return null;
        }
        var (x, y, turn, scale) = Reframing.At(reframe, frames.Context.Frame, frames.Context.Seconds, frames.Context.Seed);
        return FormattableString.Invariant($"Here it moves by {x:0.0}, {y:0.0} px, turns by {turn:0.00}°, enlarges {scale:0.000} times.");
    }
}
