using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>What a lamp, or an element that glows, makes of the lens that it shines into.</summary>
public sealed class FlareKind : StepKind
{
    public override FinishKind Kind => FinishKind.Flare;
    public override string Title => "Flare and shafts";
    public override string Name => "flare";
    public override bool AfterMerge => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Flare = new(""),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("flare.light", "Lamp", "", FieldShape.Shining),
            new("flare.veil", "Veil"),
            new("flare.radiusPixels", "Reach", "px"),
            new("flare.streaks", "Streaks"),
            new("flare.ghosts", "Ghosts"),
            new("flare.shafts", "Shafts"),
        ];

    public override StepNeeds Needs(FinishStep step) => StepNeeds.Depth | StepNeeds.Lamps;

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Flare switch
        {
            null => "its lamp is no longer in the shot.",
            { } f when shot.Lights.All(l => l.Id != f.Light) && shot.Elements.All(e => e.Id != f.Light) =>
                "its lamp is no longer in the shot.",
            { Streaks: not (>= 0 and <= 64) } => "a lamp has up to 64 streaks.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        FlareSettings flare = Given(step.Flare);
        // A lamp that is off, or behind the camera, shines into no lens.
        if (canvas.Context.Lamps.TryGetValue(flare.Light, out SeenLamp? lamp))
        {
            LensLight.Flare(canvas.Comp, canvas.Layers.Depth, canvas.Held, lamp, flare, canvas.Context, canvas.Mask(step), canvas.Touched);
        }
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) =>
        step.Flare is not { } flare ? null
        : frames.Context.Lamps.TryGetValue(flare.Light, out SeenLamp? lamp)
            ? FormattableString.Invariant(
                $"The lamp stands at {lamp.X / frames.Context.Scale:0}, {lamp.Y / frames.Context.Scale:0}; {100 * lamp.Visible:0} % of it is seen."
            )
        : "It is off, behind the camera, or gives no light of its own: nothing shines into the lens.";
}
