using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>The lens’s vignette and lateral colour on what never went through it.</summary>
public sealed class LensKind : StepKind
{
    public override FinishKind Kind => FinishKind.Lens;
    public override string Title => "Vignette, lateral colour";
    public override string Name => "vignette and lateral colour";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Lens = new(A2: -0.1),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("lens.a2", "Vignette, r²"),
            new("lens.a4", "Vignette, r⁴"),
            new("lens.redPermille", "Red larger by", "‰"),
            new("lens.bluePermille", "Blue larger by", "‰"),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Lens is { } lens && Math.Abs(lens.RedPermille) < 50 && Math.Abs(lens.BluePermille) < 50
            ? null
            : "red and blue are enlarged by less than 50 in a thousand.";

    public override void Lay(FinishCanvas canvas, FinishStep s)
    {
        LensMarks marks = Given(s.Lens);
        double cx = canvas.Context.Pinhole.Cx,
            cy = canvas.Context.Pinhole.Cy,
            corner =
                Math.Sqrt(
                    canvas.Context.PlateWidth * (double)canvas.Context.PlateWidth
                        + canvas.Context.PlateHeight * (double)canvas.Context.PlateHeight
                ) / 2;
        double[] size = [1 + marks.RedPermille / 1000, 1, 1 + marks.BluePermille / 1000];
        int reach =
            (int)
                Math.Ceiling(
                    Math.Max(Math.Abs(marks.RedPermille), Math.Abs(marks.BluePermille))
                        / 1000
                        * Math.Sqrt((double)canvas.Width * canvas.Width + (double)canvas.Height * canvas.Height)
                ) + 1;
        canvas.Replace(s, reach, (image, box) =>
        {
            FloatImage result = image.Copy();
            Parallel.For(0, box.Height, Cores.All, y =>
            {
                Span<float> from = stackalloc float[4];
                for (int x = 0; x < box.Width; x++)
                {
                    double dx = box.X0 + x + 0.5 - cx,
                        dy = box.Y0 + y + 0.5 - cy,
                        r2 = (dx * dx + dy * dy) / (corner * corner);
                    float falloff = (float)Math.Max(0, 1 + marks.A2 * r2 + marks.A4 * r2 * r2);
                    Span<float> p = result.Pixel(x, y);
                    for (int c = 0; c < 3; c += 2)
                    {
                        if (size[c] == 1)
                        {
                            continue;
                        }
                        image.SampleBilinear(cx + dx / size[c] - box.X0, cy + dy / size[c] - box.Y0, from);
                        p[c] = from[c];
                    }
                    for (int c = 0; c < 3; c++)
                    {
                        p[c] *= falloff;
                    }
                }
            });
            return result;
        });
    }
}
