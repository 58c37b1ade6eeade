using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>How a curve passes through a key.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<KeyHandle>))]
public enum KeyHandle
{
    /// <summary>Without a corner, and never beyond the keys on either side (Fritsch and Carlson 1980).</summary>
    Smooth,

    /// <summary>Level: it comes to rest there.</summary>
    Flat,

    /// <summary>Straight to the keys on either side.</summary>
    Straight,

    /// <summary>It stays until the next key.</summary>
    Held,

    /// <summary>By its own two handles.</summary>
    Free,
}
