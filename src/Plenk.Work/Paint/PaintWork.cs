using System.Text.RegularExpressions;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work.Paint;

/// <summary>Frames that go out for painting and come back as pictures to be laid on the set.</summary>
public sealed partial class PaintWork(ShotEngine engine, MediaStore media)
{
    /// <summary>
    /// A frame to paint on: as PNG (16 bits, the plate's encoding; a surface's own colour in sRGB) or EXR (linear, half).
    /// </summary>
    /// <param name="beyond">
    /// By so many pixels the picture goes on beyond the frame on every side, black: room for what the camera comes to see later.
    /// </param>
    public (string Name, byte[] Bytes) Out(ShotDocument shot, int frame, string? camera, bool ownColour, bool exr, int beyond = 0)
    {
        if (beyond is < 0 or > ProjectionSource.MostBeyond)
        {
            throw new ShotFault($"The picture goes on beyond the frame by 0 to {ProjectionSource.MostBeyond} pixels on every side.");
        }
        if (ownColour && beyond > 0)
        {
            throw new ShotFault("Own colour is told by the light on the set within the frame: take it out without going beyond it.");
        }
        ShotDocument through = ProjectionWork.Through(shot, camera);
        PlateSource plate = through.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        FloatImage picture = ownColour
            ? engine.Renderer.OwnColourOf(through, frame, plate.Width).Albedo
            : engine.Plates.QuietPlate(through, frame, plate.Width).Padded(beyond);
        string name =
            $"{shot.Code}{(camera is null ? "" : $"_{camera}")}{(ownColour ? ".own-colour" : "")}.{frame}{(exr ? ".exr" : ".png")}";
        if (!exr)
        {
            return (name, RasterFile.ToPng(CodeImage.FromLinear(picture, ownColour ? ColorSpace.Srgb : plate.Space, 16)));
        }
        return (name, ExrFile.ToBytes(picture.Width, picture.Height, [.. ExrChannel.Of(picture, "RGB", half: true)]));
    }

    /// <summary>
    /// A painted picture as a source; what is odd about it is told in <paramref name="notes"/>, what makes it unfit is a fault.
    /// </summary>
    public ProjectionSource In(ShotDocument shot, byte[] bytes, string name, int frame, string? camera, bool ownColour, List<string> notes)
    {
        ShotDocument through = ProjectionWork.Through(shot, camera);
        PlateSource plate = through.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        if (FrameOf(name) is { } named && named != frame)
        {
            throw new ShotFault(
                $"{name} says it is frame {named}, and it was brought in for {frame}. Go to {named} and bring it in there; or name the "
                    + $"file for {frame} if it was painted on that."
            );
        }
        TakenFrame taken = FrameIntake.Take(bytes, name);
        CodeImage codes = RasterFile.Read(taken.Bytes, name);
        int beyond = (codes.Width - plate.Width) / 2;
        if (
            codes.Width != plate.Width + 2 * beyond
            || codes.Height != plate.Height + 2 * beyond
            || beyond is < 0 or > ProjectionSource.MostBeyond
            || (ownColour && beyond > 0)
        )
        {
            throw new ShotFault(
                $"{name} is {codes.Width} × {codes.Height}, the frame is {plate.Width} × {plate.Height}: it would not lie where it was "
                    + "painted. Export it at the frame's size, without cropping"
                    + (ownColour ? "." : ", or going on beyond it by equally many pixels on every side.")
            );
        }
        ColorSpace space = taken.Encoding ?? (ownColour ? ColorSpace.Srgb : plate.Space);
        if (taken.Note is { } told)
        {
            notes.Add($"{name}: {told}.");
        }
        if (codes.Bits == 8 && plate.Bits > 8)
        {
            notes.Add($"{name} has 8 bits, the plate {plate.Bits}: soft ramps may show steps. Export it at 16 bits.");
        }
        // Most of a painted frame is as it went out; what is different everywhere was encoded otherwise or is another frame.
        FloatImage sent = ownColour
            ? engine.Renderer.OwnColourOf(through, frame, plate.Width).Albedo
            : engine.Plates.QuietPlate(through, frame, plate.Width);
        CodeImage within = codes.Within(beyond);
        double Share(ColorSpace s, FloatImage against) => Agreeing(within, s, against);
        double now = Share(space, sent);
        if (now < 0.3)
        {
            var (other, agrees) = Enum.GetValues<ColorEncoding>()
                .Where(e => e != space.Encoding)
                .Select(e => new ColorSpace(e, space.Primaries))
                .Select(s => (s, Share(s, sent)))
                .MaxBy(s => s.Item2);
            if (agrees > Math.Max(0.3, 2 * now))
            {
                throw new ShotFault(
                    $"{name} does not look like frame {frame} as {space.Name}, but like it as {other.Name}. Export it as {space.Name}, or "
                        + "as EXR, which is always linear."
                );
            }
            if (!ownColour)
            {
                foreach (int f in Enumerable.Range(1, 12).SelectMany(k => (int[])[frame - k, frame + k]).Where(through.Range.Contains))
                {
                    try
                    {
                        if (Share(space, engine.Plates.QuietPlate(through, f, plate.Width)) > Math.Max(0.35, 2 * now))
                        {
                            throw new ShotFault($"{name} looks like frame {f}, not {frame}. Go to {f} and bring it in there.");
                        }
                    }
                    catch (MissingMediaException) { }
                }
            }
            notes.Add($"{name} agrees with frame {frame} in {100 * now:0} % of its pixels only: was all of it painted over?");
        }
        return new ProjectionSource
        {
            Id = "",
            Name = $"{frame} painted",
            Kind = SourceKind.Picture,
            Camera = camera,
            Frame = frame,
            Media = media.Write(taken.Bytes),
            Encoding = space.Encoding,
            Primaries = space.PrimariesKey,
            OwnColour = ownColour,
            BeyondPixels = beyond,
            MadeBy = $"{name}, {(ownColour ? "own colour, " : "")}{100 * (1 - now):0} % of it painted",
        };
    }

    /// <summary>The share of pixels that are alike, light by light to 4 % and a little.</summary>
    internal static double Agreeing(CodeImage codes, ColorSpace space, FloatImage picture) => Agreeing(codes.ToLinear(space), picture);

    /// <inheritdoc cref="Agreeing(CodeImage, ColorSpace, FloatImage)"/>
    internal static double Agreeing(FloatImage light, FloatImage picture)
    {
        int n = 0,
            alike = 0,
            pixels = light.Width * light.Height,
            step = Math.Max(1, pixels / 40_000);
        for (int i = 0; i < pixels; i += step)
        {
            n++;
            bool same = true;
            for (int c = 0; c < 3; c++)
            {
                float a = light.Data[3 * i + c],
                    b = picture.Data[3 * i + c];
                same &= Math.Abs(a - Math.Clamp(b, 0, 1.2f)) <= 0.04f * Math.Max(a, b) + 0.004f || (a >= 0.999f && b >= 1);
            }
            if (same)
            {
                alike++;
            }
        }
        return (double)alike / n;
    }

    /// <summary>The last number of three digits or more in a file's name; null: it has none.</summary>
    internal static int? FrameOf(string name) =>
        NumberIn().Match(Path.GetFileNameWithoutExtension(name)) is { Success: true } m
            ? int.Parse(m.Groups[1].Value, System.Globalization.CultureInfo.InvariantCulture)
            : null;

    [GeneratedRegex(@"(?<!\d)(\d{3,7})(?!.*\d{3,7})")]
    private static partial Regex NumberIn();
}
