using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>What it costs to say that pixels show what lies behind, in full light or in shadow.</summary>
/// <param name="Width">Of the whole small picture that it was looked at in.</param>
/// <param name="Box">Of that picture.</param>
/// <param name="Codes">
/// Fractions of <see cref="LayerCosts.Most"/> by <see cref="Steps"/>; <see cref="Unknown"/> where the frames around do not agree on what lies there.
/// </param>
/// <param name="Trust">How far what seems to hide it does, 0..1: seen from one side in time, by the picture's own motion, less surely.</param>
internal sealed record Behind(int Width, int Height, PixelBox Box, byte[] Codes, float Trust)
{
    public const byte Unknown = 255;
    public const float Steps = 200;

    /// <summary>At a pixel of a picture of another size; null: it is not known.</summary>
    public float? CostAt(int x, int y, int width, int height)
    {
        int bx = Math.Min(Width - 1, x * Width / width) - Box.X0,
            by = Math.Min(Height - 1, y * Height / height) - Box.Y0;
        if (bx < 0 || by < 0 || bx >= Box.Width || by >= Box.Height)
        {
            return null;
        }
        byte code = Codes[by * Box.Width + bx];
        return code == Unknown ? null : code * (LayerCosts.Most / Steps);
    }
}
