using Plenk.Core.Edits;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets.Fields;

/// <summary>A value of the document that may change over frames: whether it does, and what a press on its key comes to at a frame.</summary>
/// <param name="Here">What its key at this frame is, or would be.</param>
/// <param name="Curve">Null: it is the same at all frames.</param>
public sealed record CurveField(SheetView Sheet, string At, CurveKey Here, ValueCurve? Curve)
{
    public static CurveField? Of(SheetView sheet, string at) =>
        ShotCurves.KeyOf(sheet.Now, at, sheet.Frame) is { } here
            ? new(sheet, at, here, sheet.Shot.Curves.FirstOrDefault(c => c.Id == at))
            : null;

    private string Keys => $"{CurveSheet.PlaceOf(At)}/keys";
    private string Member =>
        Here.Triple is not null ? "triple"
        : Here.Name is not null ? "name"
        : "value";

    public bool IsKeyed => Curve is not null;

    /// <summary>There is a key of it at this frame.</summary>
    public bool HasKey => Curve?.Keys.Any(k => k.Frame == Here.Frame) == true;

    /// <summary>Where a value that is typed at this frame goes.</summary>
    public string KeyAt => $"{Keys}/{Here.Frame}/{Member}";

    /// <summary>Its key of this frame is set, or taken away.</summary>
    public IReadOnlyList<Edit> Press =>
        Curve is null ? [Edit.Add("curves", new ValueCurve { Id = At, Keys = [Here] })]
        : HasKey ? CurveSheet.Without(Sheet, Curve, Here.Frame)
        : [Edit.Add(Keys, Here)];

    /// <summary>A tick that is keyed, turned at this frame: a key of yes or no is 1 or 0.</summary>
    public IReadOnlyList<Edit> Turned(bool on) =>
        HasKey ? [Edit.Set(KeyAt, on ? 1.0 : 0.0)] : [Edit.Add(Keys, Here with { Value = on ? 1 : 0 })];
}
