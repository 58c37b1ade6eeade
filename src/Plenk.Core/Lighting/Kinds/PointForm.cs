using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class PointForm : LightForm
{
    public override LightKind Kind => LightKind.Point;
    public override string Strength => "Intensity";
    public override bool Hangs => true;
    public override Light Default => base.Default with { Strength = 5, InPlate = false };
}
