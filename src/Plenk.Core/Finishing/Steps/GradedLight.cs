using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>A grade on the element, or on one part of its light.</summary>
internal static class GradedLight
{
    public static void Lay(FinishCanvas canvas, FinishStep s, Grading grading)
    {
        if (s.Of == GradePart.Element)
        {
            canvas.Recolour(s, (c, a, _) => grading.Apply(c, a));
            canvas.RecolourPieces(s, grading.Apply);
            return;
        }
        float[] mask = canvas.Mask(s);
        if (s.Of is GradePart.Added or GradePart.Mirror)
        {
            FloatImage? from = s.Of == GradePart.Added ? canvas.Added : canvas.Mirror;
            if (from is null)
            {
                return;
            }
            FloatImage graded = from.Copy();
            for (int i = 0; i < mask.Length; i++)
            {
                Span<float> p = graded.Data.AsSpan(3 * i, 3);
                var c = new Vector3(p[0], p[1], p[2]);
                if (c == default)
                {
                    continue;
                }
                c += mask[i] * (grading.Apply(c) - c);
                (p[0], p[1], p[2]) = (c.X, c.Y, c.Z);
            }
            if (s.Of == GradePart.Added)
            {
                canvas.Added = graded;
            }
            else
            {
                canvas.Mirror = graded;
            }
            return;
        }
        ElementParts parts = canvas.Layers.Parts
            ?? throw new FinishFault("A pass is graded by itself, but the frame was rendered without its passes.");
        FloatImage part = s.Of switch
        {
            GradePart.Diffuse => parts.Diffuse,
            GradePart.Specular => parts.Specular,
            GradePart.Reflection => parts.Reflection,
            GradePart.Emission => parts.Emission,
            _ => parts.Groups.FirstOrDefault(g => g.Light == s.Light).Rgb
                ?? throw new FinishFault("The light of a graded light group is off or no longer in the shot."),
        };
        // What the part's grade changes is added to the whole; held out by as much as the whole is.
        canvas.Recolour(s, (c, a, i) =>
        {
            var p = new Vector3(part.Data[3 * i], part.Data[3 * i + 1], part.Data[3 * i + 2]);
            float whole = canvas.Layers.Element.Data[4 * i + 3];
            return whole > 0 ? c + (grading.Apply(p, whole) - p) * (a / whole) : c;
        });
    }

    /// <summary>How the element's mean colour changes.</summary>
    public static string? Says(StepEffect.Frames frames) =>
        StepEffect.Frames.Colour(frames.With.Held) is { } now && StepEffect.Frames.Colour(frames.Without.Held) is { } was
            ? FormattableString.Invariant(
                $"The element’s mean goes from {was.X:0.0000} {was.Y:0.0000} {was.Z:0.0000} to {now.X:0.0000} {now.Y:0.0000} {now.Z:0.0000}."
            )
            : null;
}
