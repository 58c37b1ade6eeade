using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>A thin lens that is focused elsewhere.</summary>
public sealed class DefocusKind : StepKind
{
    public override FinishKind Kind => FinishKind.Defocus;
    public override string Title => "Defocus";
    public override bool ByObjects => true;
    public override string Hint => "Elements whose footage is soft already stand below, under “brings it already”.";
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Defocus = new(),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("defocus.fNumber", "f-number", "f/", Min: 0.1),
            new("defocus.focusMetres", "Focused at", "m", Min: 0.01),
            new("defocus.blades", "Blades", "", Min: 0, Max: 20),
            new("defocus.turnDegrees", "Turned", "°"),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Defocus switch
        {
            not { FNumber: > 0 } => "an f-number is greater than 0: the opening is the focal length divided by it.",
            not { FocusMetres: > 0 } => $"the lens cannot be focused at {step.Defocus.FocusMetres:0.###} m: that is behind it.",
            not { Blades: 0 or (>= 3 and <= 20) } => "an opening is a disc (0) or has 3 to 20 blades.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep s)
    {
        DefocusSettings d = Given(s.Defocus);
        if (Defocus.Fault(d, canvas.Context.FocalMm) is { } why)
        {
            throw new FinishFault(why);
        }
        float[] mask = canvas.Mask(s);
        var radius = new float[canvas.Width * canvas.Height];
        var near = new float[canvas.Width * canvas.Height];
        double perMm = canvas.Context.PlateWidth / canvas.Context.SensorWidthMm;
        Parallel.For(canvas.Box.Y0, canvas.Box.Y1, Cores.All, y =>
        {
            for (int x = canvas.Box.X0; x < canvas.Box.X1; x++)
            {
                int i = y * canvas.Width + x;
                float along = canvas.Layers.Distance[i];
                near[i] = -MathF.Min(along, 1e6f);
                if (canvas.Element.Data[4 * i + 3] <= 0 || !canvas.Context.Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 ray))
                {
                    continue;
                }
                double depth = along / ray.Length * Math.Abs(ray.Z);
                radius[i] = mask[i] * (float)(Defocus.Diameter(canvas.Context.FocalMm, d.FNumber, d.FocusMetres, depth) / 2 * perMm);
            }
        });
        canvas.Box = canvas.Box.Grown(Defocus.Reach(canvas.Element, radius), canvas.Width, canvas.Height);
        if (canvas.Box.IsEmpty)
        {
            return;
        }
        float[] discs = FloatImage.Cut(radius, canvas.Width, 1, canvas.Box),
            nearness = FloatImage.Cut(near, canvas.Width, 1, canvas.Box);
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[canvas.Held, canvas.Element])
        {
            FloatImage blurred = Defocus.Apply(image.Cut(canvas.Box), discs, nearness, d);
            for (int y = 0; y < canvas.Box.Height; y++)
            {
                blurred.Row(y).CopyTo(image.Row(canvas.Box.Y0 + y)[(4 * canvas.Box.X0)..]);
            }
        }
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames)
    {
        FinishContext context = frames.Context;
        if (step.Defocus is not { } defocus || frames.Away is not { } d || Defocus.Fault(defocus, context.FocalMm) is not null)
        {
            return null;
        }
        double disc =
            Math.Abs(Defocus.Diameter(context.FocalMm, defocus.FNumber, defocus.FocusMetres, d))
            * context.PlateWidth
            / context.SensorWidthMm
            / context.Scale;
        return FormattableString.Invariant($"A point at {d:0.0} m becomes a disc of {disc:0.0} px of the plate.");
    }
}
