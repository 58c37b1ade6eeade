using Plenk.Core.Images;

namespace Plenk.Core.Projection;

/// <summary>
/// What a frame shows where no element is: the plate, or nothing, with what is seen of the set and, before that, what was filmed before it.
/// </summary>
/// <param name="Rgba">Scene-linear, premultiplied.</param>
/// <param name="Touched">By pixel: it differs from the plate.</param>
public sealed record Background(FloatImage Rgba, bool[] Touched)
{
    /// <summary>By pixel: what is met first there covers all that is behind it; null: nothing is known of it.</summary>
    public bool[]? Closed { get; init; }

    /// <summary>What of it new pieces show, premultiplied; null: none is seen.</summary>
    public FloatImage? Pieces { get; init; }

    /// <summary>Its colours alone, over black.</summary>
    public FloatImage Rgb { get; } = Rgba.Colours();

    /// <summary>The inner part, without so many pixels on every side.</summary>
    public Background Within(int margin) =>
        margin == 0
            ? this
            : new(Rgba.Within(margin), FloatImage.Within(Touched, Rgba.Width, Rgba.Height, 1, margin))
            {
                Pieces = Pieces?.Within(margin),
                Closed = Closed is null ? null : FloatImage.Within(Closed, Rgba.Width, Rgba.Height, 1, margin),
            };
}
