using System.Buffers.Text;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Cameras;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>What a sheet is drawn from: a saved document, and where its artist looks, as the address says it.</summary>
public sealed class SheetView(long id, int revision, ShotDocument shot, IQueryCollection query)
{
    private readonly Lazy<ShotDocument> _now = new(() => ShotCurves.At(shot, FrameOf(query, shot)));
    private DocumentValues? _values;
    private readonly Lazy<FloorView?> _floor = new(() =>
        ShotCamera.Of(shot) is { } camera && camera.TryAt(FrameOf(query, shot), out Pose pose, out Pinhole pinhole)
            ? FloorView.Of(pose, pinhole)
            : null
    );

    public static IReadOnlyList<string> StepNames { get; } =
    ["Plate", "Camera", "Set", "Projection", "Light", "Contact", "Finish", "Hand over"];

    public long Id => id;
    public int Revision => revision;
    public ShotDocument Shot => shot;

    public int Step { get; } =
        int.TryParse(query["step"], CultureInfo.InvariantCulture, out int step) && step is >= 1 and <= 8 ? step
        : shot.Plate is null ? 1
        : 6;

    public int Frame { get; } = FrameOf(query, shot);

    private static int FrameOf(IQueryCollection query, ShotDocument shot) =>
        int.TryParse(query["frame"], CultureInfo.InvariantCulture, out int frame)
            ? Math.Clamp(frame, shot.Range.First, Math.Max(shot.Range.First, shot.Range.Last))
            : shot.Range.First;

    /// <summary>What the shot's camera sees of the floor at this frame; null: nothing, or there is no camera.</summary>
    public FloorView? Floor => _floor.Value;

    /// <summary>What the picture shows: before, after, wipe, difference and what steps add.</summary>
    public string Compare { get; } = query["compare"] is { Count: > 0 } c ? c.ToString() : "after";

    /// <summary>What the picture is seen through.</summary>
    public string Seen { get; } = query["seen"] is { Count: > 0 } s ? s.ToString() : "display";

    /// <summary>What is chosen of a kind, like piece or element: its id; null: none.</summary>
    public string? Chosen(string kind) => query[kind] is { Count: > 0 } id && id.ToString().Length > 0 ? id.ToString() : null;

    /// <summary>Folds that stand open.</summary>
    public bool IsOpen(string fold) => query["open"].ToString().Split(',').Contains(fold, StringComparer.Ordinal);

    /// <summary>The shot with what is keyed as it is at this frame.</summary>
    public ShotDocument Now => _now.Value;

    /// <summary>The document's value at a place, as edits name it; where it is keyed, at this frame.</summary>
    public JsonNode? Value(string at) => (_values ??= new(Now)).At(at);

    public double? Number(string at) => Value(at) is JsonValue v && v.GetValueKind() == JsonValueKind.Number ? v.GetValue<double>() : null;

    /// <summary>A number that the page has been told; null: none.</summary>
    public double? ChosenNumber(string kind) =>
        double.TryParse(Chosen(kind), NumberStyles.Float, CultureInfo.InvariantCulture, out double v) && double.IsFinite(v) ? v : null;

    /// <summary>Where the page stands when something else is chosen.</summary>
    public string Address(string kind, string? chosen)
    {
        var q = query
            .Where(p => p.Key != kind && p.Key is not ("part" or "open" or "hand" or "compare" or "seen" or "handler"))
            .SelectMany(p => p.Value, (p, v) => $"{p.Key}={Uri.EscapeDataString(v ?? "")}")
            .ToList();
        if (!query.ContainsKey("step"))
        {
            q.Add($"step={Step}");
        }
        if (chosen is not null)
        {
            q.Add($"{kind}={Uri.EscapeDataString(chosen)}");
        }
        return $"/shots/{Id}?{string.Join('&', q)}";
    }

    /// <summary>A part of the sheet that is drawn when it is looked at.</summary>
    public string Part(string name, params (string Key, string? Value)[] more) =>
        $"/shots/{Id}/parts/{name}?revision={Revision}&frame={Frame}"
        + string.Concat(more.Where(m => m.Value is not null).Select(m => $"&{m.Key}={Uri.EscapeDataString(m.Value!)}"));

    /// <summary>The API's address of something of this shot.</summary>
    public string Api(string path) => $"/api/shots/{Id}/{path}";

    public static string Json(object value) => JsonSerializer.Serialize(value, ShotJson.Options);

    /// <summary>Edits as the address of a picture bears them.</summary>
    public static string Packed(IReadOnlyList<Edit> edits) =>
        Base64Url.EncodeToString(JsonSerializer.SerializeToUtf8Bytes(edits, ShotJson.Options));
}
