using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>
/// A grade of the whole comp, and what lens and film give it: seen here and in what is for review; what is handed over goes without it, and
/// it beside.
/// </summary>
public sealed class WholeKind : StepKind
{
    public override FinishKind Kind => FinishKind.Whole;
    public override string Title => "Grade of everything";
    public override bool AfterMerge => true;
    public override bool OfWhole => true;
    public override string? Hint =>
        "Seen on this page and in what is for review. Handed over are comp and layers without it, and it beside: "
        + "as a CDL where it is one alone, as a LUT where no matte keeps it. Glow and grain are in no such file.";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Grade = new(),
            Saturation = new(),
            Whole = new(),
        };

    private static readonly GradeKind Grades = new();
    private static readonly SaturationKind Saturations = new();

    public override IReadOnlyList<KindField> Fields =>
        [
            .. Grades.Fields,
            .. Saturations.Fields,
            new("whole.glow", "Glow", "", Min: 0, Max: 1),
            new("whole.glowPixels", "over", "px", Min: 0, Max: 1000),
            new("whole.glowFrom", "from", "linear", Min: 0),
            new("whole.grain", "The plate’s grain once more", "", Min: 0, Max: 1),
        ];

    public override StepNeeds Needs(FinishStep step) => step.Whole is { Grain: > 0 } ? StepNeeds.Grain : StepNeeds.None;

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Whole is { } w && !(w is { Glow: >= 0 and <= 1, Grain: >= 0 and <= 1, GlowPixels: >= 0 and <= 1000, GlowFrom: >= 0 })
            ? "its glow and its grain lie between 0 and 1, the glow reaches up to 1,000 px."
            : Grades.Fault(shot, step) ?? Saturations.Fault(shot, step);

    /// <summary>What it makes of a linear colour, BT.709 primaries.</summary>
    public static Func<Vector3, Vector3> Of(FinishStep step)
    {
        Grading? grading = step.Grade is { } g ? new(g) : null;
        SaturationBands bands = step.Saturation ?? new();
        bool plain = bands is { Dark: 1, Middle: 1, Light: 1 };
        return c =>
        {
            c = grading?.Apply(c) ?? c;
            return plain ? c : SaturationKind.Apply(bands, c);
        };
    }

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        Func<Vector3, Vector3> to = Of(step);
        float[] mask = canvas.Mask(step);
        Images.FloatImage? under = canvas.Layers.Background?.Rgba;
        Parallel.For(0, canvas.Height, Cores.All, y =>
        {
            for (int i = y * canvas.Width; i < (y + 1) * canvas.Width; i++)
            {
                Span<float> p = canvas.Comp.Data.AsSpan(3 * i, 3);
                float alpha = under is null ? 1 : 1 - (1 - canvas.Held.Data[4 * i + 3]) * (1 - under.Data[4 * i + 3]);
                if (mask[i] <= 0 || alpha <= 0)
                {
                    continue;
                }
                var c = new Vector3(p[0], p[1], p[2]);
                Vector3 graded = alpha * to(c / alpha);
                if (graded == c)
                {
                    continue;
                }
                c += mask[i] * (graded - c);
                (p[0], p[1], p[2]) = (c.X, c.Y, c.Z);
                canvas.Touched[i] = true;
            }
        });
        if (step.Whole is { Glow: > 0, GlowPixels: > 0 } glow)
        {
            LensLight.GlowOfAll(
                canvas.Comp,
                (float)glow.GlowFrom,
                glow.GlowPixels * canvas.Context.Scale,
                Array.ConvertAll(mask, m => m * (float)glow.Glow),
                canvas.Touched
            );
        }
        if (step.Whole is { Grain: > 0 } film)
        {
            Images.Grain grain = canvas.Context.Grain
                ?? throw new FinishFault(
                    "No part of the plate is flat enough to tell its grain. Choose another region, or take the grain off."
                );
            float[] where = Array.ConvertAll(mask, m => m * (float)film.Grain);
            grain.AddTo(canvas.Comp, where, Tracing.Sampling.Hash(canvas.Context.Seed ^ 0x66696c6du) + (uint)canvas.Context.Frame);
            for (int i = 0; i < where.Length; i++)
            {
                canvas.Touched[i] |= where[i] > 0;
            }
        }
    }
}
