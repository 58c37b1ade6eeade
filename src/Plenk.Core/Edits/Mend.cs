using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>What would bring a reading that is outside nearer to what it is held against.</summary>
/// <param name="Words">What is done, with its amount.</param>
/// <param name="Edits">The change itself; null: it takes measuring.</param>
/// <param name="Brings">The step of the finish that is set by measuring.</param>
public sealed record Mend(string Words, IReadOnlyList<Edit>? Edits = null, FinishKind? Brings = null)
{
    /// <summary>What can be offered for a reading; null: it is within, or nothing that is certain can be.</summary>
    public static Mend? Of(ShotDocument shot, Reading reading)
    {
        if (reading is not { Verdict: Verdict.Outside or Verdict.Near, Value: { } value } || value == 0)
        {
            return null;
        }
        return reading.Id switch
        {
            "contact.gap" => Stood(shot, reading, value / 1000),
            "contact.level" => Lit(shot, reading),
            "contact.softness" => Softened(shot, reading),
            "finish.holdout" => Held(shot, value),
            "light.sun" => Turned(shot),
            "finish.black" => new(FormattableString.Invariant($"Lift its black by {value:0.0000}"), Brings: FinishKind.Levels),
            "finish.edge" when value < 0 => new(
                FormattableString.Invariant($"Widen its edge by {-value:0.00} px"),
                Brings: FinishKind.EdgeWidth
            ),
            "finish.grain" => new("Give it the plate’s grain", Brings: FinishKind.Grain),
            _ => null,
        };
    }

    /// <summary>An element is raised or lowered by as much as it sinks or floats, all its keyed places alike.</summary>
    private static Mend? Stood(ShotDocument shot, Reading reading, double floats)
    {
        if (shot.Elements.FirstOrDefault(e => e.Id == reading.Thing) is not { HangsOn: null } element)
        {
            return null;
        }
        Vec3 Moved(Vec3 p) => p - new Vec3(0, floats, 0);
        string at = $"elements/{EditPath.Escape(element.Id)}";
        return new(
            FormattableString.Invariant($"{(floats < 0 ? "Raise" : "Lower")} {element.Name} by {Math.Abs(1000 * floats):0} mm"),
            [
                Edit.Set($"{at}/position", Moved(element.Position)),
                .. shot
                    .Curves.Where(c => c.Id == $"elements/{element.Id}/position")
                    .SelectMany(c => c.Keys)
                    .Where(k => k.Triple is not null)
                    .Select(k =>
                        Edit.Set(
                            $"curves/{EditPath.Escape($"elements/{element.Id}/position")}/keys/{k.Frame}/triple",
                            Moved(k.Triple!.Value)
                        )
                    ),
            ]
        );
    }

    /// <summary>What lights the plate from all around is brought to what the real shadow tells, keys and all.</summary>
    private static Mend? Lit(ShotDocument shot, Reading reading)
    {
        Light[] around =
        [
            .. shot.Lights.Where(l =>
                l is { Off: false, InPlate: true, ShowsPlace: false, Kind: LightKind.Sky or LightKind.Fill or LightKind.Panorama }
            ),
        ];
        if (reading.Factor is not { } by || !(by > 0) || around.Length == 0)
        {
            return null;
        }
        double stops = Math.Log2(by);
        string names = string.Join(" and ", around.Select(l => l.Name.Length > 0 ? l.Name : l.Id));
        return Math.Abs(stops) < 0.01
            ? null
            : new(
                FormattableString.Invariant($"{(stops > 0 ? "Raise" : "Lower")} {names} by {Math.Abs(stops):0.00} stops"),
                [
                    .. around.Select(l => Edit.Set($"{ShotCurves.PlaceOf("lights", l.Id)}/strength", by * l.Strength)),
                    .. around
                        .SelectMany(l => shot.Curves.Where(c => c.Id == $"{ShotCurves.PlaceOf("lights", l.Id)}/strength"))
                        .Select(c => Edit.Set($"curves/{EditPath.Escape(c.Id)}/keys", c.Keys.Select(k => Times(k, by)).ToArray())),
                ]
            );
    }

    private static CurveKey Times(CurveKey key, double by) =>
        key with
        {
            Value = by * key.Value,
            Before = key.Before is { } b ? b with { Value = by * b.Value } : null,
            After = key.After is { } a ? a with { Value = by * a.Value } : null,
        };

    /// <summary>A penumbra is as wide as its light: the sun's disc is made as large as the real edge asks for.</summary>
    private static Mend? Softened(ShotDocument shot, Reading reading)
    {
        if (
            reading.Factor is not { } by
            || !(by > 0)
            || shot.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false, InPlate: true }) is not { } sun
            || shot.Curves.Any(c => c.Id == $"lights/{EditPath.Escape(sun.Id)}/angularDiameterDegrees")
        )
        {
            return null;
        }
        double wide = Math.Clamp(by * sun.AngularDiameterDegrees, 0.01, 60);
        return new(
            FormattableString.Invariant($"Make the sun {wide:0.00}° wide instead of {sun.AngularDiameterDegrees:0.00}°"),
            [Edit.Set($"lights/{EditPath.Escape(sun.Id)}/angularDiameterDegrees", wide)]
        );
    }

    /// <summary>
    /// An edge that hides is too sharp: the step that widens edges is brought. It is too wide: mattes that hide are feathered by as much less
    /// (a straight ramp's 10 to 90 % are 0.8 of it).
    /// </summary>
    private static Mend? Held(ShotDocument shot, double value)
    {
        if (value < 0)
        {
            return new(FormattableString.Invariant($"Widen its edge by {-value:0.00} px"), Brings: FinishKind.EdgeWidth);
        }
        Matte[] wide = [.. shot.Mattes.Where(m => m is { Off: false, HidesBeyondMetres: not null, FeatherPixels: > 1 })];
        double less = value / 0.8;
        return wide.Length == 0
            ? null
            : new(
                FormattableString.Invariant($"Feather {string.Join(" and ", wide.Select(m => m.Name))} by {less:0.0} px less"),
                [.. wide.Select(m => Edit.Set($"mattes/{EditPath.Escape(m.Id)}/featherPixels", Math.Max(0, m.FeatherPixels - less)))]
            );
    }

    /// <summary>The sun is turned to where it was found: by a shadow before a fit, by a fit before place and time.</summary>
    private static Mend? Turned(ShotDocument shot)
    {
        (string Way, Vec3? Towards)[] found =
        [
            ("its shadow", shot.Sun.FromShadow),
            ("fit", shot.Sun.FromFit),
            ("date and place", shot.Sun.FromDate),
        ];
        if (
            shot.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false }) is not { } sun
            || ShotCurves.AnyOf(shot, "lights", sun.Id, "direction")
            || found.FirstOrDefault(f => f.Towards is not null) is not (var way, { } towards)
        )
        {
            return null;
        }
        double degrees = Rotations.Degrees(Math.Acos(Math.Clamp(Vec3.Dot(sun.Direction.Normalized(), towards.Normalized()), -1, 1)));
        return degrees < 0.05
            ? null
            : new(
                FormattableString.Invariant($"Turn the sun by {degrees:0.0}°, as found by {way}"),
                [Edit.Set($"lights/{EditPath.Escape(sun.Id)}/direction", towards.Normalized())]
            );
    }
}
