using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>What a comp shows where neither elements nor seen pieces are.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<BackgroundKind>))]
public enum BackgroundKind
{
    Plate,

    /// <summary>Nothing: the comp has alpha, and of the plate only what stands in a matte that hides.</summary>
    Nothing,

    /// <summary>The plate without what passes before the place: <see cref="ShotDocument.CleanPlate"/>.</summary>
    Clean,

    /// <summary>Pictures of their own: <see cref="ShotDocument.BackgroundFrames"/>. The plate is seen only in mattes that hide.</summary>
    Frames,
}
