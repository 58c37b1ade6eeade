using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core.Shots;
using Plenk.Core.Tracking.Outlines;

namespace Plenk.Formats.Outlines;

/// <summary>A point of an outline in a file: pixels, the first one's centre at (0.5, 0.5); handles off it; how far its edge is soft outwards, inwards.</summary>
public sealed record OutlinePoint(
    double X,
    double Y,
    double[]? In = null,
    double[]? Out = null,
    double Feather = 0,
    double? FeatherIn = null
);

public sealed record OutlineKey(int Frame, IReadOnlyList<OutlinePoint> Points, bool Closed = true);

/// <summary>A shape of outlines.json: docs/outlines.schema.json.</summary>
/// <param name="Width">Of an open one, pixels.</param>
/// <param name="Strength">How much of a pixel that lies in it counts, 0..1.</param>
public sealed record NamedOutline(
    string Name,
    IReadOnlyList<OutlineKey> Keys,
    double? Width = null,
    string? Join = null,
    double? Strength = null
)
{
    [JsonIgnore]
    public MatteJoin HowJoined =>
        Join switch
        {
            "away" => MatteJoin.Subtract,
            "within" => MatteJoin.Within,
            _ => MatteJoin.Add,
        };

    public IReadOnlyList<(int Frame, Curve Curve)> Curves() => [.. Keys.Select(k => (k.Frame, CurveOf(k)))];

    private static Curve CurveOf(OutlineKey key) =>
        new(
            [
                .. key.Points.Select(p => new Knot(
                    p.X,
                    p.Y,
                    p.In?[0] ?? 0,
                    p.In?[1] ?? 0,
                    p.Out?[0] ?? 0,
                    p.Out?[1] ?? 0,
                    p.Feather,
                    p.FeatherIn ?? p.Feather
                )),
            ],
            key.Closed
        );

    public static OutlineKey KeyOf(int frame, Curve curve)
    {
        static double R(double v) => Math.Round(v, 4);
        return new(
            frame,
            [
                .. curve.Knots.Select(k => new OutlinePoint(
                    R(k.X),
                    R(k.Y),
                    [R(k.InX), R(k.InY)],
                    [R(k.OutX), R(k.OutY)],
                    R(k.Feather),
                    k.FeatherIn == k.Feather ? null : R(k.FeatherIn)
                )),
            ],
            curve.Closed
        );
    }
}

/// <summary>outlines.json: shapes with their keys, to be followed or as they were.</summary>
public static class OutlineFile
{
    private const int MostPoints = 4000;

    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web)
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        RespectRequiredConstructorParameters = true,
        RespectNullableAnnotations = true,
    };

    public static byte[] Write(IReadOnlyList<NamedOutline> outlines) => JsonSerializer.SerializeToUtf8Bytes(outlines, Json);

    /// <exception cref="FormatFault">Says which outline and key are wrong.</exception>
    public static IReadOnlyList<NamedOutline> Read(byte[] bytes, string name)
    {
        NamedOutline[] outlines;
        try
        {
            outlines = JsonSerializer.Deserialize<NamedOutline[]>(bytes, Json) ?? [];
        }
        catch (JsonException e)
        {
            throw new FormatFault(
                "file",
                $"{name} cannot be read{(e.LineNumber is { } line ? $", line {line + 1}" : "")}{(e.Path is { Length: > 1 } path ? $", at {path}" : "")}",
                "It is a list of outlines as docs/outlines.schema.json has them."
            );
        }
        if (outlines.Length == 0)
        {
            throw new FormatFault("file", $"{name} holds no outline", "Draw one, with a key at least.");
        }
        foreach (NamedOutline o in outlines)
        {
            FormatFault Fault(string what, string mend) => new("file", $"{name}: outline “{o.Name}” {what}", mend);
            if (o.Keys.Count == 0)
            {
                throw Fault("has no keys", "Draw it in one frame at least.");
            }
            if (o.Join is not (null or "add" or "away" or "within"))
            {
                throw Fault($"is joined by “{o.Join}”", "It is “add”, “away” or “within”.");
            }
            if (o.Strength is not (null or (>= 0 and <= 1)))
            {
                throw Fault($"has a strength of {o.Strength}", "It is 0 to 1.");
            }
            if (o.Keys.GroupBy(k => k.Frame).FirstOrDefault(g => g.Count() > 1) is { } twice)
            {
                throw Fault($"has {twice.Count()} keys at {twice.Key}", "Keep one of them.");
            }
            if (o.Keys.Select(k => k.Closed).Distinct().Count() > 1)
            {
                throw Fault("is closed in one key and open in another", "Make it the one or the other in all.");
            }
            foreach (OutlineKey k in o.Keys)
            {
                int least = k.Closed ? 3 : 2;
                if (k.Points.Count < least || k.Points.Count > MostPoints)
                {
                    throw Fault($"has {k.Points.Count} points at {k.Frame}", $"It has {least} to {MostPoints:N0}.");
                }
                if (!k.Closed && o.Width is not > 0)
                {
                    throw Fault("is open and has no width", "Give it a width in pixels, or close it.");
                }
                int wrong = k
                    .Points.ToList()
                    .FindIndex(p =>
                        !double.IsFinite(p.X + p.Y + p.Feather + (p.FeatherIn ?? 0))
                        || Math.Abs(p.X) + Math.Abs(p.Y) > 1e6
                        || p.Feather < 0
                        || p.FeatherIn < 0
                        || new[] { p.In, p.Out }.Any(h => h is not null && (h.Length != 2 || !h.All(double.IsFinite)))
                    );
                if (wrong >= 0)
                {
                    throw Fault(
                        $"has a point {wrong + 1} at {k.Frame} that is no place",
                        "A point has x and y, handles of two numbers, and feathers of 0 or more."
                    );
                }
            }
        }
        return outlines;
    }
}
