using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>How dark the element’s shadow is on the plate, and how soft.</summary>
public sealed class ShadowKind : StepKind
{
    public override FinishKind Kind => FinishKind.Shadow;
    public override string Title => "Shadow";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Shadow = new(new(1, 1, 1)),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("shadow.density", "Density", "×", FieldShape.Triple),
            new("shadow.contact", "Contact", "×", Min: 0),
            new("shadow.blurPixels", "Edge blurred", "px", Min: 0),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Shadow is { Contact: >= 0 } shadow && Settings.NotNegative(shadow.Density) ? null : "density is not negative.";

    public override void Lay(FinishCanvas canvas, FinishStep s)
    {
        ShadowSettings shadow = Given(s.Shadow);
        float[] mask = canvas.Mask(s);
        double sigma = shadow.BlurPixels * canvas.Context.Scale;
        // Where all around is 1 nothing is darkened, and stays so.
        PixelBox box = PixelBox.Of(canvas.Shadow, rest: 1).Grown(Blur.Reach(sigma) + 1, canvas.Width, canvas.Height);
        if (!box.IsEmpty)
        {
            FloatImage from = Blur.Gaussian(canvas.Shadow.Cut(box), sigma),
                result = canvas.Shadow.Copy();
            Parallel.For(0, box.Height, Cores.All, y =>
            {
                ReadOnlySpan<float> row = from.Row(y);
                for (int x = 0; x < box.Width; x++)
                {
                    int i = (box.Y0 + y) * canvas.Width + box.X0 + x;
                    for (int c = 0; c < 3; c++)
                    {
                        float was = canvas.Shadow.Data[3 * i + c],
                            v = row[3 * x + c];
                        // A blur leaves 1 where all around is 1 only up to rounding.
                        if (MathF.Abs(v - 1) < 1e-6f)
                        {
                            v = 1;
                        }
                        float density = (float)(
                            c == 0 ? shadow.Density.X
                            : c == 1 ? shadow.Density.Y
                            : shadow.Density.Z
                        );
                        float to = v == 1 || density == 1 ? v : ElementaryF.Pow(MathF.Max(0, v), density);
                        result.Data[3 * i + c] = was == to ? was : was + mask[i] * (to - was);
                    }
                }
            });
            canvas.Shadow = result;
        }
        if (canvas.Near is not null && shadow.Contact != 1)
        {
            canvas.Near = [.. canvas.Near.Select((v, i) => v == 1 ? 1 : v + mask[i] * (ElementaryF.Pow(v, (float)shadow.Contact) - v))];
        }
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames) => frames.ShadowSays;
}
