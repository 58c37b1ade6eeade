using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class SpotForm : LightForm
{
    public override LightKind Kind => LightKind.Spot;
    public override string Strength => "Intensity";
    public override bool Hangs => true;
    public override bool IsAimed => true;
    public override Light Default => base.Default with { Strength = 5, InPlate = false };
    public override IReadOnlyList<KindField> Fields =>
        [new("innerDegrees", "Whole within", "°", Min: 0, Max: 89), new("outerDegrees", "Dark beyond", "°", Min: 0.1, Max: 89.9)];

    public override string? Fault(Light light) =>
        light.InnerDegrees >= 0 && light.OuterDegrees > light.InnerDegrees && light.OuterDegrees < 90
            ? null
            : "a spot is whole within an angle and dark beyond a larger one, below 90°.";

    public override void Into(RigParts rig, Light light, Vector3 strength) => rig.Sampled.Add(new PointLight(light));
}
