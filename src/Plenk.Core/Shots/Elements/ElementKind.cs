using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<ElementKind>))]
public enum ElementKind
{
    /// <summary>A mesh of a file.</summary>
    Mesh,

    /// <summary>An upright picture, or a sequence, with alpha.</summary>
    Card,

    /// <summary>A text, flat or solid.</summary>
    Lettering,

    /// <summary>
    /// Frames rendered elsewhere through the shot's camera, with alpha, merged by their depth or by the distance where they stand.
    /// </summary>
    Rendered,
}
