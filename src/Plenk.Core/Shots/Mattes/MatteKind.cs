using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<MatteKind>))]
public enum MatteKind
{
    /// <summary>A drawn shape.</summary>
    Drawn,

    /// <summary>What stands before a coloured screen.</summary>
    Screen,

    /// <summary>Pictures of it, white inside.</summary>
    Frames,

    /// <summary>An element's own coverage.</summary>
    Element,

    /// <summary>What was filmed on another plate.</summary>
    Filmed,

    /// <summary>What is so far away, so high, so steep, so bright.</summary>
    Range,
}
