using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<PieceKind>))]
public enum PieceKind
{
    Plane,
    Box,
    Mesh,
    Cylinder,

    /// <summary>Steps that rise along −Z.</summary>
    Stairs,

    /// <summary>A floor by its outline, walls raised from it, with openings.</summary>
    Outline,

    /// <summary>A kerb or ledge along a path.</summary>
    Strip,

    /// <summary>Half a sphere to look up into.</summary>
    Dome,

    /// <summary>Somebody filmed: an outline of every frame, stood in the place as a solid.</summary>
    Figure,

    /// <summary>A wall with a round-headed opening.</summary>
    Arch,
}
