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

    public static IReadOnlyList<(string, string)> Eases { get; } =
    [
        ("Eased", "easing out and in"),
        ("Straight", "straight"),
        ("Smooth", "through without a corner"),
        ("Held", "not at all, until the next"),
    ];

    public static IReadOnlyList<(string, string)> Curves { get; } =
    [("position0", "x"), ("position1", "height"), ("position2", "z"), ("turnDegrees", "turned"), ("scale", "scale")];

    public static IReadOnlyList<(string, string)> FigureCurves { get; } =
    [("x", "moved along x, m"), ("y", "moved up, m"), ("z", "moved along z, m"), ("scale", "sized, times")];

    /// <summary>A value of an element as it is at a frame: where it has keys, the place of this frame's key.</summary>
    public static Keyed Of(Element e, int frame, string property, Func<ElementKey, bool> has) =>
        Keyed.Of($"elements/{e.Id}", property, e.Keys.Any(has), frame, new { frame, ease = nameof(KeyEase.Eased) });

    /// <summary>Its opacity, the strength of its colours and its light are chosen.</summary>
    public static bool HasTone(Element e) => e.Kind is ElementKind.Card or ElementKind.Lettering;

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

    public static Edit[] KeyAt(Element e, int frame)
    {
        Element now = e.At(frame);
        KeyEase ease = e.Keys.FirstOrDefault(k => k.Frame == frame)?.Ease ?? KeyEase.Eased;
        return
        [
            Edit.Set(
                $"elements/{e.Id}/keys",
                (ElementKey[])
                    [
                        .. e
                            .Keys.Where(k => k.Frame != frame)
                            .Append(
                                new(frame, now.Position, now.TurnDegrees, now.Scale, ease)
                                {
                                    Opacity = HasTone(e) ? now.Opacity : null,
                                    Saturation = HasTone(e) ? now.Saturation : null,
                                    Stops = HasTone(e) ? now.Stops : null,
                                }
                            )
                            .OrderBy(k => k.Frame),
                    ]
            ),
        ];
    }

    /// <summary>Edits that let all keys go; it stays as it is at a frame.</summary>
    public static Edit[] WithoutKeys(Element e, int frame)
    {
        Element now = e.At(frame);
        string at = $"elements/{e.Id}";
        return
        [
            Edit.Set($"{at}/position", now.Position),
            Edit.Set($"{at}/turnDegrees", now.TurnDegrees),
            Edit.Set($"{at}/scale", now.Scale),
            Edit.Set($"{at}/opacity", now.Opacity),
            Edit.Set($"{at}/saturation", now.Saturation),
            Edit.Set($"{at}/stops", now.Stops),
            Edit.Set($"{at}/lightStops", now.LightStops),
            Edit.Set($"{at}/keys", Array.Empty<ElementKey>()),
        ];
    }

    public static (Edit[] Edits, string Id) Duplicate(ShotDocument shot, Element e)
    {
        string id = FreeId.Of(shot.Elements.Select(q => q.Id), Numbered().Replace(e.Id, ""));
        return ([Edit.Add("elements", e with { Id = id, Name = id.Replace('_', ' '), Position = e.Position + new Vec3(0.5, 0, 0) })], id);
    }

    [GeneratedRegex(@"_\d+$")]
    private static partial Regex Numbered();
}
