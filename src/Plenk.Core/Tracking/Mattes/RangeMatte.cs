using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>What is so far away, so high, so steep, so bright.</summary>
public sealed class RangeMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Range;
    public override bool ReadsPlate => true;
    public override bool ReadsSet => true;

    public override string Aside(Matte matte) =>
        matte.Range?.Of switch
        {
            MatteMeasure.Height => "by height",
            MatteMeasure.Slope => "by slope",
            MatteMeasure.Brightness => "by brightness",
            _ => "by distance",
        };

    public override string? Fault(ShotDocument shot, Matte matte) =>
        matte.Range is not { } r ? "it has no range."
        : r.From is null && r.To is null ? "its range has no bound: it would be everything. Say where it begins or ends."
        : !double.IsFinite(r.From ?? 0) || !double.IsFinite(r.To ?? 0) || r.From > r.To ? "its range goes from a smaller to a larger value."
        : !(r.Soft is >= 0 and <= 1e6) ? "its range is soft over 0 or more."
        : null;

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources) =>
        sources.Range(matte.Range!);
}
