using Plenk.Core.Edits;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A value of the document that may change over frames: whether it does, and what a press on its key comes to at a frame.</summary>
/// <param name="Here">What its key at this frame is, or would be.</param>
/// <param name="Curve">Null: it is the same at all frames.</param>
/// <param name="Stands">What it is at this frame.</param>
public sealed record CurveField(string At, CurveKey Here, ValueCurve? Curve, System.Text.Json.Nodes.JsonNode? Stands)
{
    public static CurveField? Of(SheetView sheet, string at) =>
        ShotCurves.KeyOf(sheet.Now, at, sheet.Frame) is { } here
            ? new(at, here, sheet.Shot.Curves.FirstOrDefault(c => c.Id == at), sheet.Value(at))
            : null;

    private string Place => $"curves/{EditPath.Escape(At)}";
    private string Member =>
        Here.Triple is not null ? "triple"
        : Here.Name is not null ? "name"
        : "value";

    public bool IsKeyed => Curve is not null;

    /// <summary>There is a key of it at this frame.</summary>
    public bool HasKey => Curve?.Keys.Any(k => k.Frame == Here.Frame) == true;

    /// <summary>Where a value that is typed at this frame goes.</summary>
    public string KeyAt => $"{Place}/keys/{Here.Frame}/{Member}";

    /// <summary>What a key that is not there yet begins as.</summary>
    public object Begins => Here;

    /// <summary>Its key of this frame is set, or taken away: with the last one the value stays as it is here.</summary>
    public IReadOnlyList<Edit> Press =>
        Curve is null ? [Edit.Add("curves", new ValueCurve { Id = At, Keys = [Here] })]
        : !HasKey ? [Edit.Add($"{Place}/keys", Here)]
        : Curve.Keys.Count > 1 ? [Edit.Remove($"{Place}/keys/{Here.Frame}")]
        : [Edit.Remove(Place), Edit.Set(At, Stands)];

    /// <summary>A tick that is keyed, turned at this frame.</summary>
    public IReadOnlyList<Edit> Turned(bool on) =>
        HasKey ? [Edit.Set(KeyAt, on ? 1.0 : 0.0)] : [Edit.Add($"{Place}/keys", Here with { Value = on ? 1 : 0 })];
}
