using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>How a value goes on from a key to the next.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<KeyEase>))]
public enum KeyEase
{
    Straight,

    /// <summary>Slow at both keys: the cubic Bézier (0.42, 0, 0.58, 1) of CSS Easing Functions Level 1.</summary>
    Eased,

    /// <summary>It stays until the next.</summary>
    Held,

    /// <summary>Through the keys without a corner: Catmull–Rom tangents for uneven times.</summary>
    Smooth,
}
