using Plenk.Core.Images;

namespace Plenk.Core.Projection;

/// <summary>By pixel of the frame: how much of it hides what is further away than a distance, metres from the camera.</summary>
/// <param name="Foreground">
/// What stands there without what was filmed behind it, RGB premultiplied, to stand over elements and seen pieces; null: the plate's own
/// pixel does.
/// </param>
public sealed record HidingMatte(float[] Coverage, float Beyond, FloatImage? Foreground = null)
{
    /// <summary>What falls on the set behind it, shadow and light of elements, falls on it as well.</summary>
    public bool TakesLight { get; init; }

    /// <summary>It was filmed on another plate: the plate's own pixel does not show it.</summary>
    public bool IsLaid { get; init; }

    /// <summary>Gone on by so many pixels on every side of a picture of a size.</summary>
    public HidingMatte Around(int width, int height, int margin) =>
        margin == 0
            ? this
            : this with
            {
                Coverage = FloatImage.Around(Coverage, width, height, 1, margin),
                Foreground = Foreground?.Around(margin),
            };
}
