using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<LightKind>))]
public enum LightKind
{
    Sun,
    Sky,

    /// <summary>A uniform light that nothing hides; it stands for interreflection.</summary>
    Fill,
    Point,
    Spot,

    /// <summary>A plane that shines to its front.</summary>
    Rectangle,

    /// <summary>A lat-long picture of all light around.</summary>
    Panorama,
}
