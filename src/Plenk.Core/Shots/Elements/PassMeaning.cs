namespace Plenk.Core.Shots;

/// <summary>
/// How a rendered sequence's position and normal passes are meant: each axis of ours as one of theirs with its sign, in the world or the
/// camera's space.
/// </summary>
/// <param name="Positions">Like “+X +Z −Y”.</param>
/// <param name="Metres">A unit of the positions.</param>
/// <param name="Margin">How many times worse the next unit is; null: the unit could not be told and counts as a metre.</param>
/// <param name="NormalsEncoded">0..1 for −1..1.</param>
public sealed record PassMeaning(
    string Positions = PassMeaning.Ours,
    bool PositionsInCamera = false,
    double Metres = 1,
    double? Margin = null,
    string Normals = PassMeaning.Ours,
    bool NormalsInCamera = false,
    bool NormalsEncoded = false
)
{
    public const string Ours = "+X +Y +Z";
}
