namespace Plenk.Core.Shots;

/// <summary>
/// A real rectangle in the world: its first corner at the origin, its first edge along ±X, its second along ±Z on the floor or up along Y on
/// a wall.
/// </summary>
/// <param name="AcrossMetres">Length of its first edge, negative where that runs along −X.</param>
/// <param name="UpMetres">Length of its second edge, with its sign on its axis.</param>
/// <param name="Wall">It stands upright; else it lies on the floor.</param>
/// <param name="UpKnown">Its second edge was given; else it was found from the corners.</param>
/// <param name="FocalHeld">The focal length was known; else it was found from the corners.</param>
public sealed record HandRectangle(
    double AcrossMetres,
    double UpMetres,
    bool Wall,
    bool UpKnown,
    bool FocalHeld,
    IReadOnlyList<RectangleCorners> Laid
);
