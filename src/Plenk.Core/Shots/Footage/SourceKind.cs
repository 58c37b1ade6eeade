using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<SourceKind>))]
public enum SourceKind
{
    /// <summary>One frame of the plate, on the set in every frame.</summary>
    Held,

    /// <summary>The plate as it runs: in every frame that frame.</summary>
    Running,

    /// <summary>A cleaned or painted picture of a frame.</summary>
    Picture,
}
