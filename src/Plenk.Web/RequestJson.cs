using System.Text.Json;
using System.Text.Json.Serialization.Metadata;
using Plenk.Core.Shots;

namespace Plenk.Web;

/// <summary>
/// How requests are read: what must be there and is not, or is null, is told by its name before anything is done with it.
/// </summary>
public static class RequestJson
{
    public static void Set(JsonSerializerOptions options)
    {
        options.RespectNullableAnnotations = true;
        options.AllowOutOfOrderMetadataProperties = true;
        options.TypeInfoResolver = (options.TypeInfoResolver ?? new DefaultJsonTypeInfoResolver()).WithAddedModifier(
            RequireWhatCannotBeNull
        );
        foreach (var converter in ShotJson.Options.Converters)
        {
            options.Converters.Add(converter);
        }
    }

    private static void RequireWhatCannotBeNull(JsonTypeInfo type)
    {
        foreach (JsonPropertyInfo p in type.Properties)
        {
            if (p.AssociatedParameter is { HasDefaultValue: false, IsNullable: false } parameter && !parameter.ParameterType.IsValueType)
            {
                p.IsRequired = true;
            }
        }
    }
}
