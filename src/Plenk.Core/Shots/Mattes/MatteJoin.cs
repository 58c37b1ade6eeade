using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>How a matte is joined to those that it names.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<MatteJoin>))]
public enum MatteJoin
{
    Add,
    Subtract,

    /// <summary>Only what lies in both.</summary>
    Within,
}
