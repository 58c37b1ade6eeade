using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>What an element covers, where it stands.</summary>
public sealed class ElementMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Element;
    public override bool ReadsElements => true;

    public override string Aside(Matte matte) => "an element";

    public override IReadOnlyList<KindField> Fields => [new("element", "Of", "", FieldShape.Element)];

    public override string? Fault(ShotDocument shot, Matte matte) =>
        shot.Elements.Any(e => e.Id == matte.Element) ? null : "its element is no longer in the shot.";

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        sources.Element(matte.Element!);
}
