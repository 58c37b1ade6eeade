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

    /// <summary>Which way it goes from the first colour to the second.</summary>
    public LetteringGradient Gradient { get; init; }

    /// <summary>Of a stroke along the letters' outlines, half of it outside; 0: there is none.</summary>
    public double StrokeMetres { get; init; }
    public Vec3? StrokeColor { get; init; }

    /// <summary>The stroke alone is seen.</summary>
    public bool Hollow { get; init; }

    /// <summary>A font that was brought in: the hash of its file and what it is called; null: a shipped one.</summary>
    public string? FontMedia { get; init; }
    public string FontName { get; init; } = "";
}
