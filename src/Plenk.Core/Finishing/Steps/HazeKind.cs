using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing.Steps;

/// <summary>What the air between takes of the element and adds to it.</summary>
public sealed class HazeKind : StepKind
{
    public override FinishKind Kind => FinishKind.Haze;
    public override string Title => "Haze by distance";
    public override string Name => "haze";
    public override bool ByObjects => true;
    public override FinishStep Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Haze = new(new(0.5, 0.5, 0.5), new(0.005, 0.005, 0.005)),
        };

    public override IReadOnlyList<KindField> Fields =>
        [
            new("haze.airlight", "Airlight", "", FieldShape.Triple),
            new("haze.perMetre", "Extinction", "1/m", FieldShape.Triple, Digits: 5),
            new("haze.thinsOverMetres", "Thins over a height of", "m", FieldShape.NumberOrNone, Min: 0),
        ];

    public override string? Fault(ShotDocument shot, FinishStep step) =>
        step.Haze switch
        {
            { } h when !Settings.NotNegative(h.Airlight) || !Settings.NotNegative(h.PerMetre) =>
                "airlight and extinction are not negative.",
            { ThinsOverMetres: not (null or (> 0 and < 1e9)) } =>
                "haze thins over more than 0 m of height; leave it empty where it is as thick everywhere.",
            null => "airlight and extinction are not negative.",
            _ => null,
        };

    public override void Lay(FinishCanvas canvas, FinishStep step)
    {
        HazeSettings haze = Given(step.Haze);
        double from = canvas.Context.CameraToWorld.Position.Y;
        canvas.Recolour(step, (c, a, i) =>
            Haze.Through(haze, c, a, Haze.Metres(haze, from, haze.ThinsOverMetres is null ? 0 : Rise(canvas, i), canvas.Layers.Distance[i]))
        );
    }

    public override string? Says(FinishStep step, StepEffect.Frames frames)
    {
        if (step.Haze is not { } haze || frames.Away is not { } d)
        {
            return null;
        }
        Vector3 t = Haze.Transmission(haze, d);
        return FormattableString.Invariant(
            $"At {d:0.0} m it lets {100 * t.X:0.0}, {100 * t.Y:0.0}, {100 * t.Z:0.0} % of the element’s light through."
        );
    }

    /// <summary>How much a pixel's ray rises a metre.</summary>
    private static double Rise(FinishCanvas canvas, int pixel) =>
        canvas.Context.Pinhole.TryDirection(pixel % canvas.Width + 0.5, pixel / canvas.Width + 0.5, out Vec3 d)
            ? (canvas.Context.CameraToWorld.Rotation * d).Y / d.Length
            : 0;
}
