using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>The document's JSON form: camelCase, vectors as arrays of three, numbers that are finite.</summary>
public static class ShotJson
{
    public static readonly JsonSerializerOptions Options = Make(indented: false);
    public static readonly JsonSerializerOptions Indented = Make(indented: true);

    private static JsonSerializerOptions Make(bool indented) =>
        new(JsonSerializerDefaults.Web)
        {
            WriteIndented = indented,
            AllowOutOfOrderMetadataProperties = true, // scripts write an edit's kind where they like
            TypeInfoResolver = new DefaultJsonTypeInfoResolver(), // keys ask for a type before anything was written
            RespectNullableAnnotations = true, // a list that is null is told here, not found missing later
            DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
            Converters = { new Vec3Converter(), new JsonStringEnumConverter<Images.ColorEncoding>(JsonNamingPolicy.CamelCase) },
        };

    public static string Write(ShotDocument document, bool indented = false) =>
        JsonSerializer.Serialize(document, indented ? Indented : Options);

    /// <summary>Reads a document of this or an older schema. Throws <see cref="JsonException"/> with a plain message otherwise.</summary>
    public static ShotDocument Read(string json)
    {
        if (JsonNode.Parse(json) is not JsonObject node)
        {
            throw new JsonException("the file is JSON, but not a shot document");
        }
        return Upgrades.Raise(node).Deserialize<ShotDocument>(Options) ?? throw new JsonException("the shot document is empty");
    }

    private sealed class Vec3Converter : JsonConverter<Vec3>
    {
        public override Vec3 Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options)
        {
            double[] v = JsonSerializer.Deserialize<double[]>(ref reader, options) ?? [];
            return v.Length == 3 ? new Vec3(v[0], v[1], v[2]) : throw new JsonException("a place or colour needs three numbers");
        }

        public override void Write(Utf8JsonWriter writer, Vec3 v, JsonSerializerOptions options)
        {
            writer.WriteStartArray();
            writer.WriteNumberValue(v.X);
            writer.WriteNumberValue(v.Y);
            writer.WriteNumberValue(v.Z);
            writer.WriteEndArray();
        }
    }
}
