using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>One light’s shadows do not darken twice.</summary>
public sealed class ShadowMergeKind : StepKind
{
    public override FinishKind Kind => FinishKind.ShadowMerge;
    public override string Title => "Shadows joined";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            ShadowJoin = new(Level: new(0.5, 0.5, 0.5)),
        };

    public override IReadOnlyList<KindField> Fields =>
        [new("shadowJoin.matte", "Plate’s own shadow", "", FieldShape.Matte), new("shadowJoin.level", "It leaves", "×", FieldShape.Triple)];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.ShadowJoin switch
        {
            { Matte: { } lies } when shot.Mattes.All(m => m.Id != lies) => "the matte of the plate's own shadow is no longer in the shot.",
            { Level: { } level } when !(Settings.Positive(level) && level is { X: <= 1, Y: <= 1, Z: <= 1 }) =>
                "a shadow leaves a share between 0 and 1 of the light.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep step) => Join(canvas, step.ShadowJoin ?? new(), step);

    public override string? Says(FinishStep step, StepEffect.Frames frames) => frames.ShadowSays;

    /// <summary>
    /// One light's shadows do not darken twice: of ours and of those that came with rendered elements the darkest counts, and where the
    /// plate lies in that light's shadow already, of ratio r, only what ours is darker than r: min(r, S) ÷ r.
    /// </summary>
    public static void Join(FinishCanvas canvas, ShadowJoinSettings join, FinishStep? s = null)
    {
        float[]? mask = s is null ? null : canvas.Mask(s with { Matte = null });
        float[]? lies = join.Matte is { } id
            ? (canvas.Context.Matte ?? throw new FinishFault("That matte is not at hand here."))(id)
            : null;
        Vector3 level = join.Level?.ToSingle() ?? new(0.5f);
        FloatImage result = canvas.Shadow.Copy();
        Parallel.For(0, canvas.Height, Cores.All, y =>
        {
            for (int i = y * canvas.Width; i < (y + 1) * canvas.Width; i++)
            {
                for (int c = 0; c < 3; c++)
                {
                    float own = canvas.Shadow.Data[3 * i + c],
                        to = own;
                    foreach (RenderedLayer layer in canvas.Layers.Rendered)
                    {
                        if (layer.Shadow is { } other)
                        {
                            to = MathF.Min(to, other.Data[3 * i + c]);
                        }
                    }
                    if (lies is not null && lies[i] > 0 && to < 1)
                    {
                        float r = 1 - lies[i] * (1 - level[c]);
                        to = r > 0 ? MathF.Min(r, to) / r : 1;
                    }
                    if (to != own)
                    {
                        result.Data[3 * i + c] = own + (mask?[i] ?? 1) * (to - own);
                    }
                }
            }
        });
        canvas.Shadow = result;
    }
}
