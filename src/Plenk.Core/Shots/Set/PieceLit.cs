using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>The light that a seen piece is shown in.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<PieceLit>))]
public enum PieceLit
{
    /// <summary>That of its footage.</summary>
    AsFilmed,

    /// <summary>Its footage, by the light that falls on it now over the light that fell on it in the footage's frame.</summary>
    Turning,

    /// <summary>The shot's lights: pictures that are laid on it are its own colour; footage is as when it turns.</summary>
    Here,
}
