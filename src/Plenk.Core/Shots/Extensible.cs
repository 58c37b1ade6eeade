using System.Text.Json;
using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>Keeps what a newer version wrote.</summary>
public abstract record Extensible
{
    [JsonExtensionData]
    public Dictionary<string, JsonElement>? Unknown { get; init; }
}
