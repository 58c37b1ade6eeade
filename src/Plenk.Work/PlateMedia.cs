using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Formats.Looks;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>The plate’s frames: codes, without grain, linear, reduced; each read once, within the budget of all caches.</summary>
public sealed class PlateMedia(IMedia media)
{
    private readonly Cache<CodeImage> _codes = new(Sizes.Of);

    private readonly Cache<FloatImage> _linear = new(Sizes.Of);

    private readonly Cache<Lut> _luts = new(l => 12L * l.Values.Length);

    internal static string FrameMedia(ShotDocument shot, int frame)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        int source = plate.FrameAt(frame, shot.Rate);
        return plate.MediaAt(source) ?? throw new ShotFault($"The plate has no frame {frame}.");
    }

    /// <summary>Code values of the grain-free copy where it has the frame, else the plate's own.</summary>
    public CodeImage GrainFreeCodes(ShotDocument shot, int frame)
    {
        if (shot.Plate?.GrainFree is not { } copy)
        {
            return PlateCodes(shot, frame);
        }
        int source = shot.Plate.FrameAt(frame, shot.Rate);
        return copy.Frames.FirstOrDefault(f => f.Frame == source) is { } f
            ? _codes.Get(f.Media, () => RasterFile.Read(media.Read(f.Media), $"frame {frame}, without grain"))
            : PlateCodes(shot, frame);
    }

    /// <summary>The plate's own code values.</summary>
    public CodeImage PlateCodes(ShotDocument shot, int frame)
    {
        string hash = FrameMedia(shot, frame);
        return _codes.Get(hash, () => RasterFile.Read(media.Read(hash), $"frame {frame}"));
    }

    /// <summary>The same reduced to a width.</summary>
    public CodeImage PlateCodes(ShotDocument shot, int frame, int width)
    {
        ColorSpace space = shot.Plate!.Space;
        return _codes.Get($"{FrameMedia(shot, frame)}/{space.Name}/{width}", () =>
            CodeImage.FromLinear(Plate(shot, frame, width), space, PlateCodes(shot, frame).Bits)
        );
    }

    /// <summary>What the shot's pictures are seen through.</summary>
    public PlateView View(ShotDocument shot, SeenThrough through) =>
        new(
            through,
            shot.Plate?.Space ?? ColorSpace.Srgb,
            shot.Look.Cdl?.ToCdl(),
            through == SeenThrough.Look && shot.Look.LutMedia is { } lut
                ? _luts.Get(lut, () => CubeFile.Read(media.Read(lut), shot.Look.LutName))
                : null,
            shot.Look.Curve
        );

    /// <summary>The contrast curve that suits a frame.</summary>
    public ContrastCurve CurveFor(ShotDocument shot, int frame)
    {
        CodeImage codes = PlateCodes(shot, frame);
        float top = (1 << codes.Bits) - 1;
        int step = Math.Max(1, codes.Codes.Length / 200_000);
        return ContrastCurve.For([.. Enumerable.Range(0, codes.Codes.Length / step).Select(i => codes.Codes[i * step] / top)]);
    }

    /// <summary>Scene-linear, without its grain where a grain-free copy has been made: what is measured against.</summary>
    public FloatImage QuietPlate(ShotDocument shot, int frame, int width)
    {
        if (shot.Plate?.GrainFree is null)
        {
            return Plate(shot, frame, width);
        }
        FloatImage linear = GrainFreeCodes(shot, frame).ToLinear(shot.Plate.Space);
        return width >= linear.Width ? linear : linear.ReducedTo(width, HeightFor(shot, width));
    }

    /// <summary>Scene-linear plate, at its own width or reduced by area.</summary>
    public FloatImage Plate(ShotDocument shot, int frame, int? width = null)
    {
        string hash = FrameMedia(shot, frame);
        ColorSpace space = shot.Plate!.Space;
        int full = shot.Plate.Width;
        if (width is not { } w || w >= full)
        {
            return _linear.Get($"{hash}/{space.Name}", () => PlateCodes(shot, frame).ToLinear(space));
        }
        return _linear.Get($"{hash}/{space.Name}/{w}", () => Plate(shot, frame).ReducedTo(w, HeightFor(shot, w)));
    }

    internal static int HeightFor(ShotDocument shot, int width) =>
        Math.Max(1, (int)Math.Round((double)shot.Plate!.Height * width / shot.Plate.Width));
}
