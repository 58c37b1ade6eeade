namespace Plenk.Core.Images;

/// <summary>A part of a picture: pixels from (X0, Y0) up to, not with, (X1, Y1).</summary>
public readonly record struct PixelBox(int X0, int Y0, int X1, int Y1)
{
    public int Width => Math.Max(0, X1 - X0);
    public int Height => Math.Max(0, Y1 - Y0);
    public bool IsEmpty => Width == 0 || Height == 0;

    public static PixelBox Whole(FloatImage picture) => new(0, 0, picture.Width, picture.Height);

    /// <summary>Around all pixels of which any channel is not <paramref name="rest"/>; empty where none is.</summary>
    public static PixelBox Of(FloatImage picture, float rest = 0)
    {
        int top = -1,
            bottom = -1,
            left = picture.Width,
            right = 0,
            n = picture.Channels;
        for (int y = 0; y < picture.Height; y++)
        {
            ReadOnlySpan<float> row = picture.Row(y);
            int first = row.IndexOfAnyExcept(rest);
            if (first < 0)
            {
                continue;
            }
            if (top < 0)
            {
                top = y;
            }
            (bottom, left, right) = (y, Math.Min(left, first / n), Math.Max(right, row.LastIndexOfAnyExcept(rest) / n + 1));
        }
        return top < 0 ? default : new(left, top, right, bottom + 1);
    }

    /// <summary>Wider by so many pixels on every side, within a picture of a size; an empty one stays empty.</summary>
    public PixelBox Grown(int by, int width, int height) =>
        IsEmpty
            ? default
            : new(Math.Max(0, X0 - by), Math.Max(0, Y0 - by), (int)Math.Min(width, X1 + (long)by), (int)Math.Min(height, Y1 + (long)by));

    public PixelBox With(PixelBox other) =>
        IsEmpty ? other
        : other.IsEmpty ? this
        : new(Math.Min(X0, other.X0), Math.Min(Y0, other.Y0), Math.Max(X1, other.X1), Math.Max(Y1, other.Y1));
}
