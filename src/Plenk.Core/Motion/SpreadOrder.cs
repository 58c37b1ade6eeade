using System.Text.Json.Serialization;

namespace Plenk.Core.Motion;

/// <summary>Which of several things follows first.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<SpreadOrder>))]
public enum SpreadOrder
{
    /// <summary>As they stand in their list.</summary>
    Listed,
    Nearest,
    Farthest,
    BySeed,
}
