using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>What a sequence shows before its first frame or after its last.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<FrameOutside>))]
public enum FrameOutside
{
    /// <summary>Nothing.</summary>
    Off,

    /// <summary>Its first, or its last.</summary>
    Held,

    /// <summary>It goes on from its other end.</summary>
    Looped,

    /// <summary>It goes back, and forth again.</summary>
    BackAndForth,
}
