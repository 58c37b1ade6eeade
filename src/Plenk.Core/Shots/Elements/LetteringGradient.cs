using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>Which way lettering goes from its first colour to its second.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<LetteringGradient>))]
public enum LetteringGradient
{
    /// <summary>From its foot to its head.</summary>
    Up,

    /// <summary>From its left to its right.</summary>
    Across,

    /// <summary>From its middle outwards.</summary>
    Radial,
}
