using System.Globalization;
using System.Text.RegularExpressions;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What the contact's sheet offers and says.</summary>
public static partial class ContactSheet
{
    /// <summary>How a rendered element's passes are taken, in words.</summary>
    public static string Meant(PassMeaning? meaning)
    {
        if (meaning is not { } m)
        {
            return "Its passes are taken as ours: positions in metres of the world, +Y up.";
        }
        static string Space(bool camera) => camera ? "the camera’s space" : "the world";
        string unit = m.Margin is { } margin
            ? string.Create(CultureInfo.InvariantCulture, $"{m.Metres:0.####} m a unit, the next one {margin:0.#} times worse")
            : "their unit cannot be told and counts as a metre";
        return $"Positions as {m.Positions} in {Space(m.PositionsInCamera)}, {unit}; normals as {m.Normals} in {Space(m.NormalsInCamera)}{(m.NormalsEncoded ? ", encoded 0 to 1" : "")}.";
    }

    public static string Aside(Element e) =>
        e.Off
            ? "off"
            : e.Kind switch
            {
                ElementKind.Card => "card",
                ElementKind.Lettering => "lettering",
                ElementKind.Rendered => "rendered frames",
                _ => string.Create(CultureInfo.InvariantCulture, $"{e.Position.X:F2}, {e.Position.Y:F2}, {e.Position.Z:F2}"),
            };

    public static Element Letters(string id, Vec3? at) =>
        new()
        {
            Id = id,
            Name = "lettering",
            Kind = ElementKind.Lettering,
            Position = at ?? Vec3.Zero,
            Text = new("LOW WATER", 0.3, 0.05, 0.008, new Vec3(0.5, 0.5, 0.5)),
        };

    /// <summary>Where a pivot is put by a press, and what the button says.</summary>
    public static IReadOnlyList<(string, string)> Pivots { get; } =
    [
        ("foot", "On its foot"),
        ("middle", "In its middle"),
        ("head", "On its head"),
        ("left", "On its left edge"),
        ("right", "On its right edge"),
        ("origin", "On its file’s origin"),
    ];

    public static IReadOnlyList<(string, string)> LetterPivots { get; } =
    [
        (nameof(LetterPivot.Foot), "its foot"),
        (nameof(LetterPivot.Middle), "its middle"),
        (nameof(LetterPivot.Head), "its head"),
        (nameof(LetterPivot.Left), "its left edge"),
        (nameof(LetterPivot.Right), "its right edge"),
    ];

    public static IReadOnlyList<(string, string)> LetterOrders { get; } =
    [
        (nameof(LetterOrder.Forwards), "from the first to the last"),
        (nameof(LetterOrder.Backwards), "from the last to the first"),
        (nameof(LetterOrder.FromMiddle), "from the middle outwards"),
        (nameof(LetterOrder.ToMiddle), "from both ends inwards"),
        (nameof(LetterOrder.BySeed), "as the seed has it"),
    ];

    /// <summary>Its letters come up from under their foot, each in half a second and two frames after the one before.</summary>
    public static Edit[] Rise(ShotDocument shot, Element e, int frame)
    {
        string at = $"elements/{e.Id}/letters/shiftMetres";
        var below = new Vec3(0, -1.5 * (e.Text?.HeightMetres ?? 1) - (e.Text?.StrokeMetres ?? 0), 0);
        int rise = Math.Max(2, (int)Math.Round(shot.Rate.PerSecond / 2));
        return
        [
            .. shot.Curves.Any(c => c.Id == at) ? new[] { Edit.Remove(CurveSheet.PlaceOf(at)) } : [],
            Edit.Set($"elements/{e.Id}/letters/laterFrames", 2.0),
            Edit.Add(
                "curves",
                new ValueCurve { Id = at, Keys = [new(frame, Triple: below), new(frame + rise, Triple: Vec3.Zero, Handle: KeyHandle.Flat)] }
            ),
        ];
    }

    /// <summary>Places of the values that say where and how an element stands.</summary>
    public static string[] Placing(Element e) =>
        [$"elements/{e.Id}/position", $"elements/{e.Id}/rotationYxzDegrees", $"elements/{e.Id}/scale"];

    public static IReadOnlyList<(string, string)> FigureCurves { get; } =
    [("x", "moved along x, m"), ("y", "moved up, m"), ("z", "moved along z, m"), ("scale", "sized, times")];

    public static IReadOnlyList<(string, string)> Blends { get; } =
    [
        (nameof(ElementBlend.Over), "over, hiding"),
        (nameof(ElementBlend.Added), "added"),
        (nameof(ElementBlend.Screened), "screened"),
        (nameof(ElementBlend.Multiplied), "multiplied"),
        (nameof(ElementBlend.Overlaid), "overlaid"),
    ];

    public static IReadOnlyList<(string, string)> Gradients { get; } =
    [
        (nameof(LetteringGradient.Up), "from foot to head"),
        (nameof(LetteringGradient.Across), "from left to right"),
        (nameof(LetteringGradient.Radial), "from the middle outwards"),
    ];

    public static IReadOnlyList<(string, string)> Outsides { get; } =
    [
        ("", "as usual"),
        ("Off", "nothing"),
        ("Held", "its nearest frame, held"),
        ("Looped", "it begins anew"),
        ("BackAndForth", "it goes back and forth"),
    ];

    public static (Edit[] Edits, string Id) Duplicate(ShotDocument shot, Element e)
    {
        string id = FreeId.Of(shot.Elements.Select(q => q.Id), Numbered().Replace(e.Id, ""));
        return ([Edit.Add("elements", e with { Id = id, Name = id.Replace('_', ' '), Position = e.Position + new Vec3(0.5, 0, 0) })], id);
    }

    [GeneratedRegex(@"_\d+$")]
    private static partial Regex Numbered();
}
