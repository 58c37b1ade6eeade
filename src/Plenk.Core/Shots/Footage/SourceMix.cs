using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>How several sources share a spot.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<SourceMix>))]
public enum SourceMix
{
    /// <summary>In their order: a later one fills what earlier ones leave.</summary>
    Order,

    /// <summary>The better one wins, softly: weights go with the sixth power of quality.</summary>
    Quality,

    /// <summary>In their order, each up to the border through their overlap that is seen least.</summary>
    Seam,
}
