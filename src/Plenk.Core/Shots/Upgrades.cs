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
        return document;
    }
}
