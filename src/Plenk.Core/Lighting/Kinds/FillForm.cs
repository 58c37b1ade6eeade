using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class FillForm : LightForm
{
    public override LightKind Kind => LightKind.Fill;
    public override string Strength => "Radiance";
}
