using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<SkyKind>))]
public enum SkyKind
{
    Uniform,

    /// <summary>From the horizon's colour to its own at the zenith.</summary>
    Gradient,

    /// <summary>Clear, by turbidity and where the first sun stands.</summary>
    Clear,
    Overcast,
}
