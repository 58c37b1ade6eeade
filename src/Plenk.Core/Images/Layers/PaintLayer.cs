namespace Plenk.Core.Images.Layers;

/// <summary>A layer of a painted file.</summary>
/// <param name="Name">As the file has it.</param>
/// <param name="Picture">RGBA, straight: values of the file's encoding, and coverage 0 to 1.</param>
/// <param name="X">Of its left top pixel on the canvas; it may reach beyond that on any side.</param>
/// <param name="Y">Downwards.</param>
/// <param name="Opacity">0 to 1.</param>
public sealed record PaintLayer(
    string Name,
    FloatImage Picture,
    int X = 0,
    int Y = 0,
    double Opacity = 1,
    LayerBlend Blend = LayerBlend.Normal
)
{
    public bool Hidden { get; init; }

    /// <summary>It is cut to what lies beneath it (source atop): shown nowhere else.</summary>
    public bool Clipped { get; init; }
}

/// <summary>A painted file: its layers from the back to the front, on a canvas.</summary>
/// <param name="Linear">Its values are linear light in the working primaries, else codes of whatever it was painted in.</param>
/// <param name="Bits">How finely its codes are stepped; 32 for floats.</param>
public sealed record LayeredPicture(int Width, int Height, IReadOnlyList<PaintLayer> Layers, bool Linear, int Bits);
