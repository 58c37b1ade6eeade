using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class PanoramaForm : LightForm
{
    public override LightKind Kind => LightKind.Panorama;
    public override string Strength => "Times its picture";
    public override bool IsAdded => false;
}
