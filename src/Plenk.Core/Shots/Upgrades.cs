using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>Steps that raise older documents to the current schema, one version at a time.</summary>
public static class Upgrades
{
    public static JsonObject Raise(JsonObject document)
    {
        int version = document["schemaVersion"] switch
        {
            null => 0,
            JsonValue v when v.TryGetValue(out int number) && number >= 0 => number,
            _ => throw new JsonException("its schemaVersion is no version number"),
        };
        if (version > ShotDocument.CurrentSchema)
        {
            throw new JsonException(
                $"the shot was written by a newer version (schema {version}; this one reads up to {ShotDocument.CurrentSchema})"
            );
        }
        if (version == 0)
        {
            // Before there was a schema number a sky's strength stood under "radiance" as three numbers.
            foreach (JsonNode? light in document["lights"] as JsonArray ?? [])
            {
                if (light is JsonObject l && l["radiance"] is JsonArray radiance)
                {
                    l.Remove("radiance");
                    l["strength"] = 1;
                    l["color"] = radiance;
                }
            }
            document["schemaVersion"] = 1;
        }
        if (version <= 1)
        {
            // A card was added to what is behind it or not, before there were more ways.
            foreach (JsonNode? element in document["elements"] as JsonArray ?? [])
            {
                if (
                    element is JsonObject e
                    && e.Remove("added", out JsonNode? added)
                    && added is JsonValue given
                    && given.TryGetValue(out bool isAdded)
                    && isAdded
                )
                {
                    e["blend"] = nameof(ElementBlend.Added);
                }
            }
            // A grade of everything had no glow and no grain.
            foreach (JsonNode? step in (document["finish"] as JsonObject)?["steps"] as JsonArray ?? [])
            {
                if (
                    step is JsonObject s
                    && s["kind"] is JsonValue kind
                    && kind.TryGetValue(out string? name)
                    && name == nameof(FinishKind.Whole)
                    && s["whole"] is null
                )
                {
                    s["whole"] = new JsonObject();
                }
            }
            document["schemaVersion"] = 2;
        }
        if (version <= 2)
        {
            // A rendered picture of one frame was lit again beside the comp; now it is rendered frames of the comp, off at first.
            if (document.Remove("rendered", out JsonNode? pictures))
            {
                foreach (JsonNode? picture in pictures as JsonArray ?? [])
                {
                    if (picture is JsonObject p && AsElement(p) is { } element)
                    {
                        if (document["elements"] is not JsonArray elements)
                        {
                            document["elements"] = elements = [];
                        }
                        element["id"] = FreeId.Of(elements.Select(e => (e as JsonObject)?["id"]?.ToString() ?? ""), "rendered");
                        elements.Add(element);
                    }
                }
            }
            document["schemaVersion"] = 3;
        }
        if (version <= 3)
        {
            ElementUpgrade.Raise(document);
            document["schemaVersion"] = 4;
        }
        if (version <= 4)
        {
            LightUpgrade.Raise(document);
            // Things hung on moving things alone.
            foreach (string list in (string[])["pieces", "elements"])
            {
                foreach (JsonObject thing in (document[list] as JsonArray ?? []).OfType<JsonObject>())
                {
                    if (thing["hangsOn"] is JsonValue on && on.TryGetValue(out string? id))
                    {
                        thing["hangsOn"] = new JsonObject { ["on"] = ShotCurves.PlaceOf("movingObjects", id) };
                    }
                }
            }
            document["schemaVersion"] = 5;
        }
        return document;
    }

    /// <summary>A rendered picture with its files as an element that is lit again; null: it has no files.</summary>
    private static JsonObject? AsElement(JsonObject picture)
    {
        string[] media = Texts(picture["media"]),
            names = Texts(picture["names"]);
        if (media.Length == 0 || media.Length != names.Length)
        {
            return null;
        }
        int frame = picture["frame"] is JsonValue v && v.TryGetValue(out int number) ? number : 0;
        JsonArray Frame(int i) =>
            [
                new JsonObject
                {
                    ["frame"] = frame,
                    ["file"] = names[i],
                    ["media"] = media[i],
                },
            ];
        return new()
        {
            ["name"] = picture["name"]?.DeepClone() ?? names[0],
            ["kind"] = nameof(ElementKind.Rendered),
            ["off"] = true,
            ["frames"] = new JsonObject
            {
                ["frames"] = Frame(0),
                ["mapping"] = new JsonObject { ["shotFrame"] = frame, ["sourceFrame"] = frame },
                ["premultiplied"] = true,
                ["atItsFrame"] = true,
            },
            ["passFrames"] = new JsonArray([
                .. Enumerable
                    .Range(1, names.Length - 1)
                    .Select(i => (JsonNode)new JsonObject { ["name"] = Pass(names[i]), ["frames"] = Frame(i) }),
            ]),
            ["depthAs"] = picture["depth"]?.DeepClone(),
            ["relit"] = new JsonObject
            {
                ["lamps"] = picture["lamps"]?.DeepClone() ?? new JsonArray(),
                ["look"] = picture["look"]?.DeepClone() ?? new JsonObject(),
                ["shadowsBySet"] = picture["shadowsBySet"]?.DeepClone() ?? false,
                ["alone"] = picture["alone"]?.DeepClone() ?? false,
            },
        };
    }

    /// <summary>Which pass a file's name says that it is: what stands before its number, after the last point or line.</summary>
    private static string Pass(string file) => Path.GetFileNameWithoutExtension(file).Split('.', '_').Last(p => !int.TryParse(p, out _));

    private static string[] Texts(JsonNode? list) => [.. (list as JsonArray ?? []).Select(t => t?.ToString() ?? "")];
}
