using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class SkyForm : LightForm
{
    public override LightKind Kind => LightKind.Sky;
    public override string Strength => "Radiance";
}
