using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>How a card or lettering comes together with what is behind it.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<ElementBlend>))]
public enum ElementBlend
{
    /// <summary>It hides it by its alpha.</summary>
    Over,

    /// <summary>Its light is added; it hides nothing.</summary>
    Added,

    /// <summary>Added, but never beyond 1.</summary>
    Screened,

    /// <summary>What is behind it is multiplied by it.</summary>
    Multiplied,

    /// <summary>Multiplied where what is behind it is dark, screened where it is light.</summary>
    Overlaid,
}
