using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class RectangleForm : LightForm
{
    public override LightKind Kind => LightKind.Rectangle;
    public override string Strength => "Radiance";
    public override bool Hangs => true;
    public override bool IsAimed => true;
    public override Light Default => base.Default with { Strength = 3, InPlate = false };
    public override IReadOnlyList<KindField> Fields => [new("width", "Wide", "m", Min: 0.001), new("height", "High", "m", Min: 0.001)];
}
