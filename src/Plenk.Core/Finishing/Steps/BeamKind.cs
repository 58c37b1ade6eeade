using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>A lamp's light seen in the air before it.</summary>
public sealed class BeamKind : StepKind
{
    public override FinishKind Kind => FinishKind.Beam;
    public override string Title => "Beam in the air";
    public override string Name => "beam";
    public override bool AfterMerge => true;
    public override string Hint => "What stands between lamp and air throws no shadow into it; what stands before it hides it.";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Beam = new(""),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("beam.light", "Lamp", "", FieldShape.Light),
            new("beam.perMetre", "Air scatters", "1/m", Min: 0, Max: 10),
            new("beam.forwards", "forwards", "", Min: -0.95, Max: 0.95),
        ];

    public override bool Takes(Light light) => light.Kind is LightKind.Point or LightKind.Spot;

    public override StepNeeds Needs(FinishStep step) => StepNeeds.Depth;

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Beam is not { } beam || shot.Lights.FirstOrDefault(l => l.Id == beam.Light) is not { } lamp
            ? "its lamp is no longer in the shot."
        : !Takes(lamp) ? $"{lamp.Name} is no point and no spot: it has no beam. Choose another lamp."
        : beam is { PerMetre: >= 0 and <= 10, Forwards: > -1 and < 1 } ? null
        : "air scatters between 0 and 10 a metre, forwards between −0.95 and 0.95.";

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        BeamSettings beam = Given(step.Beam);
        if (canvas.Context.Lights.TryGetValue(beam.Light, out Light? lamp))
        {
            LensLight.Lay(
                canvas.Comp,
                LightBeam.Of(lamp, beam, canvas.Context.Pinhole, canvas.Context.CameraToWorld, canvas.Layers.Depth),
                PixelBox.Whole(canvas.Comp),
                canvas.Mask(step),
                canvas.Touched
            );
        }
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) =>
        step.Beam is { } beam && !frames.Context.Lights.ContainsKey(beam.Light) ? "The lamp is off: no light is in the air." : null;
}
