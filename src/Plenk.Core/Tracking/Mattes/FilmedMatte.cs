using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>What was filmed on another plate and is laid over this one's.</summary>
public sealed class FilmedMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Filmed;
    public override bool ReadsFootage => true;

    public override string Aside(Matte matte) => "another plate";

    public override string? Fault(ShotDocument shot, Matte matte) =>
        matte.Footage is not { } footage ? "the plate that it was filmed on is missing."
        : shot.OtherCameras.FirstOrDefault(c => c.Id == footage.Camera) is not { } camera
            ? "the plate that it was filmed on is no longer in the shot. Delete the matte first."
        : footage.Mattes.All(m => m.Id != footage.Matte) ? "none of its mattes says what of that plate comes."
        : footage.Mattes.Any(m => m.Kind is MatteKind.Filmed or MatteKind.Element)
            ? "a matte of that plate is of something that is not on it."
        : footage.At is { IsFinite: false } ? "its place is not a number."
        : footage.ThroughItsCamera && camera.Camera is null ? $"{camera.Name} has no camera: it can be laid on pixel for pixel alone."
        : null;

    public override IReadOnlyList<KindField> Fields =>
        [
            new("footage.later", "Later by", "frames", FieldShape.Whole),
            new("footage.throughItsCamera", "it stands in the place, seen past its own camera", "", FieldShape.Tick),
        ];

    public override string? Lacks(Matte matte) =>
        matte.Footage is { ThroughItsCamera: true, At: null }
            ? $"{matte.Name} stands nowhere yet: say where its foot is, so that it can be seen from the shot's camera."
            : null;

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        sources.Filmed(matte.Footage!);
}
