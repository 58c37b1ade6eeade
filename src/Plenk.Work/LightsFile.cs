using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats;

namespace Plenk.Work;

/// <summary>
/// Lights as the commands take them (docs/lights.schema.json): a list of suns, skies, points, spots, rectangles, ambients and panoramas,
/// each with its physical quantity by channel.
/// </summary>
public sealed class LightsFile
{
    private static readonly Dictionary<string, (string Strength, string[] Others)> Kinds = new()
    {
        ["sun"] = ("irradiance", ["direction", "angularDiameterDegrees"]),
        ["sky"] = ("radiance", []),
        ["point"] = ("intensity", ["position"]),
        ["spot"] = ("intensity", ["position", "direction", "innerHalfAngleDegrees", "outerHalfAngleDegrees"]),
        ["rectangle"] = ("radiance", ["centre", "halfU", "halfV"]),
        ["ambient"] = ("radiance", []),
        ["panorama"] = ("", ["file", "headingDegrees", "scale"]),
    };

    private readonly Dictionary<string, Panorama> _panoramas = [];

    public IReadOnlyList<Light> Lights { get; private init; } = [];

    /// <summary>What was noticed and does not stop anything.</summary>
    public IReadOnlyList<string> Told { get; private init; } = [];

    public LightRig Rig(Func<Light, bool>? of = null) => LightRig.Of(Lights.Where(of ?? (_ => true)), l => _panoramas[l.Id]);

    public static LightsFile Read(string path) =>
        Read(File.ReadAllBytes(path), Path.GetFileName(path), name =>
            File.ReadAllBytes(Path.Combine(Path.GetDirectoryName(Path.GetFullPath(path))!, name))
        );

    /// <param name="beside">Gives a panorama's bytes by the name that stands in the file.</param>
    public static LightsFile Read(byte[] json, string name, Func<string, byte[]> beside)
    {
        JsonDocument document;
        try
        {
            document = JsonDocument.Parse(json);
        }
        catch (JsonException e)
        {
            throw Fault(name, $"is not JSON: {e.Message.Split('\n')[0]}");
        }
        using (document)
        {
            if (document.RootElement.ValueKind != JsonValueKind.Array)
            {
                throw Fault(name, "is not a list of lights");
            }
            var lights = new List<Light>();
            var panoramas = new Dictionary<string, Panorama>();
            var told = new List<string>();
            foreach (JsonElement e in document.RootElement.EnumerateArray())
            {
                string id = $"light_{lights.Count + 1}";
                lights.Add(One(e, id, $"{name}, light {lights.Count + 1}", beside, panoramas, told));
            }
            if (lights.Count == 0)
            {
                throw Fault(name, "holds no light");
            }
            var file = new LightsFile { Lights = lights, Told = told };
            foreach (var (id, p) in panoramas)
            {
                file._panoramas[id] = p;
            }
            return file;
        }
    }

    private static FormatFault Fault(string where, string what) =>
        new("lights", $"{where} {what}", "docs/light.md describes the lights file; docs/lights.schema.json is its schema.");

    private static Light One(
        JsonElement e,
        string id,
        string where,
        Func<string, byte[]> beside,
        Dictionary<string, Panorama> panoramas,
        List<string> told
    )
    {
        if (
            e.ValueKind != JsonValueKind.Object
            || !e.TryGetProperty("kind", out JsonElement named)
            || named.ValueKind != JsonValueKind.String
            || !Kinds.TryGetValue(named.GetString()!, out var fields)
        )
        {
            throw Fault(where, $"has no kind among {string.Join(", ", Kinds.Keys)}");
        }
        string kind = named.GetString()!;
        foreach (JsonProperty p in e.EnumerateObject())
        {
            if (
                p.Name is not ("kind" or "castsShadow" or "inPlate" or "name")
                && p.Name != fields.Strength
                && !fields.Others.Contains(p.Name)
            )
            {
                throw Fault(where, $"({kind}) has “{p.Name}”, which a {kind} does not know");
            }
        }
        Vec3 Three(string field, bool light = false)
        {
            if (
                !e.TryGetProperty(field, out JsonElement v)
                || v.ValueKind != JsonValueKind.Array
                || v.GetArrayLength() != 3
                || v.EnumerateArray().Any(n => n.ValueKind != JsonValueKind.Number)
            )
            {
                throw Fault(where, $"({kind}) needs “{field}”, three numbers");
            }
            var three = new Vec3(v[0].GetDouble(), v[1].GetDouble(), v[2].GetDouble());
            if (!three.IsFinite || (light && (three.X < 0 || three.Y < 0 || three.Z < 0)))
            {
                throw Fault(where, $"({kind}): “{field}” must be {(light ? "0 or more in each channel" : "finite")}");
            }
            return three;
        }
        double Number(string field, double otherwise, double least, double most)
        {
            if (!e.TryGetProperty(field, out JsonElement v))
            {
                return otherwise;
            }
            return v.ValueKind == JsonValueKind.Number && v.GetDouble() is var n && n >= least && n <= most
                ? n
                : throw Fault(where, $"({kind}): “{field}” must be a number between {least} and {most}");
        }
        bool Flag(string field) =>
            !e.TryGetProperty(field, out JsonElement v)
            || (
                v.ValueKind is JsonValueKind.True or JsonValueKind.False
                    ? v.GetBoolean()
                    : throw Fault(where, $"({kind}): “{field}” is true or false")
            );
        Vec3 Unit(string field) =>
            Three(field) is var v && v.Length > 1e-9 ? v.Normalized() : throw Fault(where, $"({kind}): “{field}” has no length");
        var light = new Light
        {
            Id = id,
            Name = where,
            InPlate = Flag("inPlate"),
            CastsShadow = Flag("castsShadow"),
            Strength = 1,
        };
        switch (kind)
        {
            case "sun":
                Vec3 towards = Unit("direction");
                if (towards.Y <= 0)
                {
                    told.Add(
                        $"{where}: the sun stands below the horizon ({Rotations.Degrees(Math.Asin(towards.Y)):0.0}°). Its direction points towards the light."
                    );
                }
                return light with
                {
                    Kind = LightKind.Sun,
                    Direction = towards,
                    Color = Three("irradiance", true),
                    AngularDiameterDegrees = Number("angularDiameterDegrees", 0.53, 0, 90),
                };
            case "sky":
                return light with { Kind = LightKind.Sky, Color = Three("radiance", true) };
            case "ambient":
                return light with { Kind = LightKind.Fill, Color = Three("radiance", true) };
            case "point":
                return light with { Kind = LightKind.Point, Position = Three("position"), Color = Three("intensity", true) };
            case "spot":
                double inner = Number("innerHalfAngleDegrees", 0, 0, 90),
                    outer = Number("outerHalfAngleDegrees", 45, 0, 90);
                if (inner > outer)
                {
                    throw Fault(where, "(spot): the inner half angle is larger than the outer");
                }
                return light with
                {
                    Kind = LightKind.Spot,
                    Position = Three("position"),
                    Direction = -Unit("direction"),
                    Color = Three("intensity", true),
                    InnerDegrees = inner,
                    OuterDegrees = outer,
                };
            case "rectangle":
                return light with
                {
                    Kind = LightKind.Rectangle,
                    Position = Three("centre"),
                    HalfU = Three("halfU"),
                    HalfV = Three("halfV"),
                    Color = Three("radiance", true),
                    Direction =
                        Vec3.Cross(Three("halfU"), Three("halfV")) is var n && n.Length > 1e-12
                            ? -n.Normalized()
                            : throw Fault(where, "(rectangle): halfU and halfV span no area"),
                };
            default:
                string file =
                    e.TryGetProperty("file", out JsonElement f) && f.ValueKind == JsonValueKind.String
                        ? f.GetString()!
                        : throw Fault(where, "(panorama) needs “file”");
                Panorama picture;
                try
                {
                    picture = PanoramaFile.Read(beside(file), file);
                }
                catch (IOException)
                {
                    throw Fault(where, $"(panorama): {file} cannot be read");
                }
                panoramas[id] = picture;
                told.AddRange(PanoramaFile.Told(picture, file));
                return light with
                {
                    Kind = LightKind.Panorama,
                    Media = file,
                    HeadingDegrees = Number("headingDegrees", 0, -3600, 3600),
                    Strength = Number("scale", 1, 0, 1e6),
                };
        }
    }
}
