using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What the set's sheet offers and says.</summary>
public static partial class SetSheet
{
    public static IReadOnlyList<(string, string)> CutHinges { get; } =
    [("left", "left edge"), ("right", "right edge"), ("head", "upper edge"), ("foot", "lower edge"), ("none", "nothing")];

    public static IReadOnlyList<(string Value, string Text)> DepthKinds { get; } =
    [
        ("Axis", "metres along the axis"),
        ("Ray", "metres along the ray"),
        ("Buffer", "buffer, 0 near to 1 far"),
        ("BufferSigned", "buffer, −1 to 1"),
        ("BufferReversed", "buffer, 1 near to 0"),
        ("BufferInfinite", "near ÷ z"),
        ("Straight", "straight, 0 near to 1"),
        ("StraightInverted", "straight, 1 near to 0"),
        ("Inverse", "1 ÷ z"),
        ("InverseNormalised", "1 ÷ z, 1 near to 0"),
    ];

    /// <summary>Whether values of a kind mean something only with a near and a far plane.</summary>
    public static bool NeedsPlanes(string kind) => kind is not ("Axis" or "Ray" or "Inverse");

    /// <summary>The keys that breaking gave to what fell on it are taken off again.</summary>
    public static IEnumerable<Edit> FallOf(ShotDocument shot, Element parts) =>
        parts.Broke?.Falling is { } falls
            ? new[] { "position", "rotationYxzDegrees" }
                .Select(v => $"{ShotCurves.PlaceOf("elements", falls)}/{v}")
                .Where(at => ShotCurves.AnyOf(shot, at))
                .Select(at => Edit.Remove(CurveSheet.PlaceOf(at)))
            : [];

    /// <summary>Three numbers with commas between; null: it is not that.</summary>
    public static Vec3? Three(string? text)
    {
        string[] parts = (text ?? "").Split(',');
        double[] v =
        [
            .. parts
                .Select(p => double.TryParse(p, NumberStyles.Float, CultureInfo.InvariantCulture, out double d) ? d : double.NaN)
                .Where(double.IsFinite),
        ];
        return parts.Length == 3 && v.Length == 3 ? new(v[0], v[1], v[2]) : null;
    }

    /// <summary>Lines of places, as JSON; null: it is not that.</summary>
    public static IReadOnlyList<IReadOnlyList<Vec3>>? Lines(string? json)
    {
        try
        {
            return json is null ? null : JsonSerializer.Deserialize<List<List<Vec3>>>(json, ShotJson.Options);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>How far apart two spots of the set are that the page has been told, and how they lie; null: there are none.</summary>
    public static IReadOnlyList<string>? Measured(SheetView sheet)
    {
        if (Three(sheet.Chosen("measuredFrom")) is not { } a || Three(sheet.Chosen("measuredTo")) is not { } b)
        {
            return null;
        }
        Vec3 d = b - a;
        double level = Math.Sqrt(d.X * d.X + d.Z * d.Z),
            far = d.Length;
        string F(double v, int digits) => v.ToString($"F{digits}", CultureInfo.InvariantCulture);
        string Signed(double v, int digits) => (v >= 0 ? "+" : "−") + F(Math.Abs(v), digits);
        var lines = new List<string>
        {
            $"{F(far, 3)} m apart, {F(level, 3)} m on the level, {Signed(d.Y, 3)} m up",
            $"slope {F(Rotations.Degrees(Math.Atan2(d.Y, level)), 1)}°, heading {F((Rotations.Degrees(Math.Atan2(d.X, -d.Z)) + 360) % 360, 1)}° from north",
        };
        var known = sheet
            .Shot.KnownLengths.Select(k => (k, Off: 100 * far / k.Metres - 100))
            .OrderBy(k => Math.Abs(k.Off))
            .FirstOrDefault();
        if (known.k is { } length && Math.Abs(known.Off) < 15)
        {
            lines.Add($"{Signed(known.Off, 1)} % against the known {length.From}–{length.To}, {Quantity.Show(length.Metres)} m");
        }
        return lines;
    }

    /// <summary>Edits that add copies of a piece under ids of their own, and the last of these.</summary>
    public static (Edit[] Edits, string Last) Copies(ShotDocument shot, Piece of, IEnumerable<Piece> made)
    {
        List<string> taken = [.. shot.Pieces.Select(p => p.Id)];
        Edit[] edits =
        [
            .. made.Select(p =>
            {
                string id = FreeId.Of(taken, Numbered().Replace(of.Id, ""));
                taken.Add(id);
                return Edit.Add("pieces", p with { Id = id, Name = id.Replace('_', ' ') });
            }),
        ];
        return (edits, taken[^1]);
    }

    public static Piece Mirrored(Piece p) =>
        p with
        {
            Position = new(-p.Position.X, p.Position.Y, p.Position.Z),
            RotationYxzDegrees = new(p.RotationYxzDegrees.X, -p.RotationYxzDegrees.Y, -p.RotationYxzDegrees.Z),
            Corners = [.. p.Corners.Select((v, i) => i % 2 == 0 ? -v : v)],
            Holes = [.. p.Holes.Select(h => (IReadOnlyList<double>)[.. h.Select((v, i) => i % 2 == 0 ? -v : v)])],
        };

    [GeneratedRegex(@"_\d+$")]
    private static partial Regex Numbered();
}
