using Plenk.Core;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Pictures of their own behind all that is seen: another shot's plate, or a sequence that was brought in.</summary>
public sealed class BehindFrames(IMedia media)
{
    private readonly Cache<FloatImage> _pictures = new(Sizes.Of);

    /// <summary>Frames of a range that have none.</summary>
    public static IReadOnlyList<int> Without(ShotDocument shot, FrameRange range) =>
        [.. Enumerable.Range(range.First, range.Count).Where(f => shot.BackgroundFrames?.At(f, shot.Rate) is null)];

    /// <summary>A frame's picture, linear RGB: it fills the frame, middle on middle, and what stands over is cut off.</summary>
    /// <exception cref="ShotFault">That frame has none.</exception>
    public FloatImage Of(ShotDocument shot, int frame, int width)
    {
        FrameSource source = shot.BackgroundFrames
            ?? throw new ShotFault("No pictures are chosen behind all. Bring some in at step 4, or put the plate behind all.");
        PlateFrame own = source.At(frame, shot.Rate)
            ?? throw new ShotFault(
                $"Behind all there is no picture at {frame}. Say at step 4 what is seen before the first and after the last of them, or bring more in."
            );
        int height = PlateMedia.HeightFor(shot, width);
        return _pictures.Get($"{own.Media}/{source.Space.Name}/{width}x{height}", () =>
            Filling(Linear(media.Read(own.Media), own.File, source.Space), width, height)
        );
    }

    private static FloatImage Linear(byte[] bytes, string name, ColorSpace space)
    {
        if (!ExrFile.Is(bytes))
        {
            return RasterFile.Read(bytes, name).ToLinear(space);
        }
        ExrPicture p = ExrFile.Read(bytes, name);
        FloatImage rgb = p.Colour(
            p.Picture(alpha: false, "comp", "beauty", "rgba", "combined")
                ?? throw new FormatFault("unreadable", $"{name} has no picture in it", "Bring an EXR with red, green and blue.")
        );
        // What is no number is black.
        for (int i = 0; i < rgb.Data.Length; i++)
        {
            rgb.Data[i] = float.IsFinite(rgb.Data[i]) ? rgb.Data[i] : 0;
        }
        return rgb;
    }

    private static FloatImage Filling(FloatImage picture, int width, int height)
    {
        if (picture.Width == width && picture.Height == height)
        {
            return picture;
        }
        double by = Math.Max((double)width / picture.Width, (double)height / picture.Height);
        if (by < 1)
        {
            picture = picture.ReducedTo(
                Math.Max(width, (int)Math.Round(by * picture.Width)),
                Math.Max(height, (int)Math.Round(by * picture.Height))
            );
            by = 1;
        }
        var result = new FloatImage(width, height, 3);
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                picture.SampleBilinear(
                    picture.Width / 2.0 + (x + 0.5 - width / 2.0) / by,
                    picture.Height / 2.0 + (y + 0.5 - height / 2.0) / by,
                    result.Pixel(x, y)
                );
            }
        });
        return result;
    }
}
