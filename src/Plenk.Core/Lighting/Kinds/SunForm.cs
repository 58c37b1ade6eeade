using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class SunForm : LightForm
{
    public override LightKind Kind => LightKind.Sun;
    public override string Strength => "Irradiance";
    public override bool IsAimed => true;
    public override Light Default => base.Default with { Strength = 3 };
    public override IReadOnlyList<KindField> Fields => [new("angularDiameterDegrees", "Angular size", "°", Min: 0, Max: 90)];
}
