using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A text as it stands: height of its capitals, thickness and bevel in metres; colours linear, the second at its head (null: one colour).
/// </summary>
public sealed record Lettering(
    string Text,
    double HeightMetres = 0.3,
    double DepthMetres = 0,
    double BevelMetres = 0,
    Vec3? Color = null,
    Vec3? HeadColor = null,
    bool Serif = false
)
{
    /// <summary>It takes no light: its colours are seen as they are.</summary>
    public bool OwnColour { get; init; }
}
