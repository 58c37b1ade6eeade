using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Schema;
using System.Text.Json.Serialization.Metadata;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>The JSON Schema (draft 2020-12) of the shot document, made from its records; docs/shot-document.schema.json holds it.</summary>
public static class ShotSchema
{
    public static string Write()
    {
        var options = new JsonSerializerOptions(ShotJson.Options)
        {
            TypeInfoResolver = new DefaultJsonTypeInfoResolver(),
            NumberHandling = System.Text.Json.Serialization.JsonNumberHandling.Strict,
        };
        JsonNode schema = options.GetJsonSchemaAsNode(
            typeof(ShotDocument),
            new JsonSchemaExporterOptions
            {
                TreatNullObliviousAsNonNullable = true,
                TransformSchemaNode = (context, node) =>
                {
                    // Places and colours are written by a converter of their own.
                    bool optional = Nullable.GetUnderlyingType(context.TypeInfo.Type) == typeof(Vec3);
                    if (!optional && context.TypeInfo.Type != typeof(Vec3))
                    {
                        return node;
                    }
                    return new JsonObject
                    {
                        ["type"] = optional ? new JsonArray("array", "null") : "array",
                        ["items"] = new JsonObject { ["type"] = "number" },
                        ["minItems"] = 3,
                        ["maxItems"] = 3,
                    };
                },
            }
        );
        var root = new JsonObject
        {
            ["$schema"] = "https://json-schema.org/draft/2020-12/schema",
            ["title"] = "Shot document",
            ["description"] = "docs/shot-document.md says what the fields mean. Unknown fields are kept.",
        };
        foreach (var (name, value) in schema.AsObject().ToList())
        {
            schema.AsObject().Remove(name);
            root[name] = value;
        }
        return root.ToJsonString(new JsonSerializerOptions { WriteIndented = true }) + "\n";
    }
}
