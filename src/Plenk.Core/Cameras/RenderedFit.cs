using Plenk.Core.Images;

namespace Plenk.Core.Cameras;

/// <summary>
/// How a picture that was rendered elsewhere lies on a frame's grid: its data window within its display window (pixels; the corner of the
/// data from the display's), how much wider than the frame the display is (1: as wide), and whether it was rendered without the lens,
/// through a straight pinhole of the same focal length and middle; then it is bent here as the lens bends (Brown–Conrady).
/// </summary>
public sealed record RenderedFit(
    int Width,
    int Height,
    int DataX,
    int DataY,
    int DisplayWidth,
    int DisplayHeight,
    double Overscan,
    bool WithoutLens
)
{
    /// <summary>So many pixels of the frame's grid on every side lie beyond the plate, which the display is measured by.</summary>
    public int Margin { get; init; }

    /// <summary>Pixel for pixel, or evenly smaller: nothing is bent or moved.</summary>
    public bool IsPlain =>
        !WithoutLens && Overscan == 1 && Margin == 0 && DataX == 0 && DataY == 0 && Width == DisplayWidth && Height == DisplayHeight;

    /// <summary>Its shape is the plate's.</summary>
    public bool Fits(Pinhole frame) =>
        Math.Abs((double)DisplayWidth / DisplayHeight - (double)(frame.Width - 2 * Margin) / (frame.Height - 2 * Margin)) <= 0.01;

    /// <summary>Pixels of the picture a pixel of the frame.</summary>
    public double ScaleFor(Pinhole frame) => DisplayWidth / ((frame.Width - 2 * Margin) * Overscan);

    /// <summary>Where the middle of a frame's pixel lies in the picture; false outside the lens and beyond the data.</summary>
    public bool TryPlace(Pinhole frame, int x, int y, out double u, out double v)
    {
        double px = x + 0.5,
            py = y + 0.5,
            by = ScaleFor(frame);
        (u, v) = (0, 0);
        if (WithoutLens)
        {
            if (!frame.TryDirection(px, py, out Geometry.Vec3 d) || !(d.Z < 0))
            {
                return false;
            }
            (px, py) = (frame.Cx + frame.Fx * d.X / -d.Z, frame.Cy - frame.Fy * d.Y / -d.Z);
        }
        (u, v) = ((px - frame.Width / 2.0) * by + DisplayWidth / 2.0 - DataX, (py - frame.Height / 2.0) * by + DisplayHeight / 2.0 - DataY);
        return u >= 0 && v >= 0 && u < Width && v < Height;
    }

    /// <summary>A motion that came with it, pixels of the picture, as one of the frame's grid.</summary>
    public (float X, float Y) Motion(Pinhole frame, int x, int y, float dx, float dy)
    {
        double by = ScaleFor(frame),
            mx = dx / by,
            my = dy / by;
        if (!WithoutLens || !frame.TryDirection(x + 0.5, y + 0.5, out Geometry.Vec3 d))
        {
            return ((float)mx, (float)my);
        }
        // To where it goes without the lens, and that seen through it.
        return frame.Lens.TryDistort(d.X / -d.Z + mx / frame.Fx, -d.Y / -d.Z + my / frame.Fy, out double xd, out double yd)
            ? ((float)(frame.Cx + frame.Fx * xd - x - 0.5), (float)(frame.Cy + frame.Fy * yd - y - 0.5))
            : (0, 0);
    }

    /// <summary>
    /// A picture (not data) on the frame's grid, cubic; beyond the data nothing. Coverage, its last channel where there are four, stays
    /// within 0..1.
    /// </summary>
    public FloatImage Resampled(FloatImage picture, Pinhole frame)
    {
        double by = ScaleFor(frame);
        // Made as coarse as the frame first, so that nothing is skipped.
        int w = by > 1.2 ? Math.Max(1, (int)Math.Round(Width / by)) : Width,
            h = by > 1.2 ? Math.Max(1, (int)Math.Round(Height / by)) : Height;
        FloatImage from = w < Width ? picture.ReducedTo(w, h) : picture;
        double sx = (double)w / Width,
            sy = (double)h / Height;
        var result = new FloatImage(frame.Width, frame.Height, picture.Channels);
        Parallel.For(0, frame.Height, Cores.All, y =>
        {
            for (int x = 0; x < frame.Width; x++)
            {
                if (!TryPlace(frame, x, y, out double u, out double v))
                {
                    continue;
                }
                Span<float> p = result.Pixel(x, y);
                CatmullRom.Sample(from, u * sx, v * sy, p);
                if (p.Length is 1 or 4)
                {
                    p[^1] = Math.Clamp(p[^1], 0, 1);
                }
            }
        });
        return result;
    }

    /// <summary>
    /// How much wider than the frame a picture without the lens must be so that the whole frame is filled; 1: as wide does.
    /// </summary>
    public static double NeededOverscan(Pinhole frame)
    {
        double most = 1;
        for (int i = 0; i <= 64; i++)
        {
            foreach (
                var (px, py) in ((double, double)[])
                    [
                        (frame.Width * i / 64.0, 0),
                        (frame.Width * i / 64.0, frame.Height),
                        (0, frame.Height * i / 64.0),
                        (frame.Width, frame.Height * i / 64.0),
                    ]
            )
            {
                if (!frame.TryDirection(px, py, out Geometry.Vec3 d) || !(d.Z < 0))
                {
                    continue;
                }
                most = Math.Max(
                    most,
                    Math.Max(
                        Math.Abs(frame.Cx + frame.Fx * d.X / -d.Z - frame.Width / 2.0) / (frame.Width / 2.0),
                        Math.Abs(frame.Cy - frame.Fy * d.Y / -d.Z - frame.Height / 2.0) / (frame.Height / 2.0)
                    )
                );
            }
        }
        return most;
    }
}
