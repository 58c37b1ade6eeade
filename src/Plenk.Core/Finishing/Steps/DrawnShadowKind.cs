using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>A shadow that is drawn, by a matte, where nothing is there to throw it.</summary>
public sealed class DrawnShadowKind : StepKind
{
    public override FinishKind Kind => FinishKind.DrawnShadow;
    public override string Title => "Drawn shadow";
    public override string? Hint =>
        "Its shape and softness are the matte’s; a matte that is carried by a plane or a moving thing lies there. A soft round one lies on "
        + "the place: keep it to what lies in a sphere. Where a traced shadow is darker, that one counts.";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            DrawnShadow = new(new(0.5, 0.5, 0.5)),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("drawnShadow.leaves", "It leaves of the light", "×", FieldShape.Triple),
            new("drawnShadow.onSet", "lies on the set", Shape: FieldShape.Tick),
            new("drawnShadow.onFilmed", "lies on what was filmed before it", Shape: FieldShape.Tick),
            new("drawnShadow.onElements", "lies on elements", Shape: FieldShape.Tick),
            new("pixels", "Softer by", "px", Min: 0, Max: 1000),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step switch
        {
            { DrawnShadow.Leaves: var l } when !(Settings.NotNegative(l) && l is { X: <= 1, Y: <= 1, Z: <= 1 }) =>
                "a shadow leaves a share between 0 and 1 of the light.",
            { DrawnShadow: { OnSet: false, OnFilmed: false, OnElements: false } } => "it lies on nothing. Tick what it lies on.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        DrawnShadowSettings drawn = Given(step.DrawnShadow);
        // Without a shape nothing is drawn: a matte, or a spot that lies on the place.
        if (step is { Matte: null, Sphere: not { Lies: true } })
        {
            return;
        }
        float[] mask = canvas.Mask(step);
        if (step.Pixels > 0)
        {
            mask = Blur.Gaussian(new FloatImage(canvas.Width, canvas.Height, 1, mask), step.Pixels * canvas.Context.Scale).Data;
        }
        Vector3 takes = Vector3.One - drawn.Leaves.ToSingle();
        FloatImage result = canvas.Shadow.Copy(),
            own = new(canvas.Width, canvas.Height, 3);
        Parallel.For(0, canvas.Height, Cores.All, y =>
        {
            for (int i = y * canvas.Width; i < (y + 1) * canvas.Width; i++)
            {
                float filmed = 0;
                foreach (HidingMatte m in canvas.Layers.Mattes)
                {
                    filmed = MathF.Max(filmed, MathF.Min(1, m.Coverage[i]));
                }
                float lies = (drawn.OnSet ? 1 - filmed : 0) + (drawn.OnFilmed ? filmed : 0);
                for (int c = 0; c < 3; c++)
                {
                    float left = 1 - mask[i] * lies * takes[c];
                    own.Data[3 * i + c] = left;
                    result.Data[3 * i + c] = MathF.Min(left, result.Data[3 * i + c]);
                }
            }
        });
        canvas.Shadow = result;
        canvas.Drawn.Add((step.Matte ?? step.Id, own));
        if (drawn.OnElements)
        {
            // The matte is in the mask already, and softened.
            canvas.Recolour(step with { Matte = null, Sphere = null, Band = null, Strength = 1 }, (c, _, i) =>
                c * (Vector3.One - mask[i] * takes)
            );
        }
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) =>
        step is { Matte: null, Sphere: not { Lies: true } }
            ? "It has no shape yet: choose the matte that it is kept to, or keep it to what lies in a sphere."
            : frames.ShadowSays;
}
