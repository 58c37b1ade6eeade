using System.Text.Json.Serialization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What fills a hole in a frame.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<FillHow>))]
public enum FillHow
{
    /// <summary>What other frames show of the set there; what none shows, by patches.</summary>
    Frames,

    /// <summary>Patches of the frame's own texture.</summary>
    Patches,

    /// <summary>Smoothly from the rim.</summary>
    Smooth,
}

/// <summary>A frame with what lies inside a matte filled, as a picture that is laid on the set instead of the frame.</summary>
public sealed class FillWork(ShotEngine engine, MediaStore media)
{
    private const int MostFrames = 16;

    /// <summary>How many pixels of a frame lie inside a matte, about.</summary>
    public static double Pixels(ShotDocument shot, string matte, int frame) =>
        MatteShape.At(MatteWork.Of(shot, matte), frame) is { Length: >= 6 } c
            ? Math.Abs(
                Enumerable.Range(0, c.Length / 2).Sum(i => c[2 * i] * c[(2 * i + 3) % c.Length] - c[(2 * i + 2) % c.Length] * c[2 * i + 1])
            ) / 2
            : 0;

    /// <param name="meetsRim">
    /// What other frames show keeps its detail and is brought to the level of the rim: for light that changed between the frames.
    /// </param>
    public ProjectionSource Fill(
        ShotDocument shot,
        int frame,
        string? camera,
        string matteId,
        FillHow how,
        CancellationToken stop,
        Action<string, double> progress,
        bool meetsRim = false
    )
    {
        ShotDocument through = ProjectionWork.Through(shot, camera);
        PlateSource plate = through.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        Matte matte = shot.Mattes.FirstOrDefault(m => m.Id == matteId)
            ?? throw new ShotFault("That matte is no longer in the shot. Choose another one.");
        FloatImage picture = engine.Plates.QuietPlate(through, frame, plate.Width);
        int w = picture.Width,
            h = picture.Height;
        float[] inside = MatteShape.Coverage(MatteShape.At(matte, frame), w, h, 3);
        bool[] hole = [.. inside.Select(v => v > 0)];
        int all = hole.Count(v => v),
            patched = 0,
            used = 0;
        if (all == 0)
        {
            throw new ShotFault($"The matte {matte.Name} does not lie in frame {frame}: nothing is to be filled.");
        }
        if (all > 0.6 * hole.Length)
        {
            throw new ShotFault(
                $"The matte {matte.Name} covers {100.0 * all / hole.Length:0} % of frame {frame}: hardly anything is left to fill it "
                    + "from. Draw it closer around what goes."
            );
        }
        FloatImage filled;
        bool[] left = hole;
        if (how == FillHow.Smooth)
        {
            filled = HoleFill.Harmonic(picture, hole, stop);
            left = new bool[hole.Length];
        }
        else if (how == FillHow.Frames)
        {
            // Pieces are counted alike in all frames.
            ShotDocument there = Reduced.Filmed(shot);
            SetScene set = engine.Place.Set(Hanging.At(there, frame));
            if (set.Pieces.Count == 0)
            {
                throw new ShotFault(
                    "Nothing is built where the hole is: other frames are brought here through the set. Build it at step 3, or fill by patches."
                );
            }
            int count = Math.Min(MostFrames, shot.Range.Count);
            int[] frames =
            [
                .. Enumerable
                    .Range(0, count)
                    .Select(i => shot.Range.First + (shot.Range.Count - 1) * i / Math.Max(1, count - 1))
                    .Distinct()
                    .Where(f => f != frame),
            ];
            if (frames.Length == 0)
            {
                throw new ShotFault("The shot has one frame only: nothing else shows what lies behind. Fill by patches.");
            }
            var others = new List<Projector>();
            foreach (int f in frames)
            {
                stop.ThrowIfCancellationRequested();
                progress($"Looking at {f}", 0.3 * others.Count / frames.Length);
                float[] kept = [.. MatteShape.Coverage(MatteShape.At(matte, f), w, h, 3).Select(v => v > 0 ? 0f : 1f)];
                ProjectionWork.SourceView view = engine.Projection.ViewOf(there, camera, f, set);
                others.Add(
                    new Projector(
                        engine.Plates.QuietPlate(through, f, plate.Width),
                        new SourceSight(view.Pinhole, view.Pose, view.Set, 80, 88, null, view.Moved),
                        kept
                    )
                );
            }
            var (pose, pinhole) = engine.Camera(through, frame);
            // To be brought to the rim, the rim too is asked for as the others show it.
            bool[] asked = meetsRim ? Grown(hole, w, h) : hole;
            filled = CleanFrame.FromFrames(picture, asked, new RayGrid(pinhole, pose), set, others, out left, stop, part =>
                progress("Asking the other frames", 0.3 + 0.5 * part)
            );
            used = frames.Length;
            if (meetsRim)
            {
                // What no frame shows is filled afterwards, from what then is around it; a rim that none shows holds nothing.
                bool[] shown = [.. hole.Zip(left, (a, b) => a && !b)];
                filled = HoleFill.Paste(picture, filled, shown, left, stop);
                left = [.. left.Zip(hole, (a, b) => a && b)];
            }
        }
        else
        {
            filled = picture;
        }
        patched = left.Count(v => v);
        if (patched > 0)
        {
            // Patches are compared as they are seen, not in light.
            FloatImage codes = plate.Space.ToCodes(filled);
            codes = ExemplarFill.Fill(codes, left, [.. hole.Select(v => !v)], stop: stop, progress: part =>
                progress("Filling by patches", (how == FillHow.Frames ? 0.8 : 0) + (how == FillHow.Frames ? 0.2 : 1) * part)
            );
            filled = filled.Copy();
            FloatImage light = plate.Space.ToLinear(codes);
            for (int i = 0; i < left.Length; i++)
            {
                if (left[i])
                {
                    light.Data.AsSpan(3 * i, 3).CopyTo(filled.Data.AsSpan(3 * i));
                }
            }
        }
        for (int i = 0; i < inside.Length; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                filled.Data[3 * i + c] = picture.Data[3 * i + c] + inside[i] * (filled.Data[3 * i + c] - picture.Data[3 * i + c]);
            }
        }
        string by = how switch
        {
            FillHow.Smooth => "smoothly from the rim",
            FillHow.Patches => "by patches of its own",
            _ => $"from {used} other "
                + $"frames{(patched == 0 ? "" : patched == all ? ", none of which shows it: by patches" : $", {100.0 * patched / all:0.#} % that none shows by patches")}{(meetsRim && patched < all ? ", brought to the rim" : "")}",
        };
        return new ProjectionSource
        {
            Id = "",
            Name = $"{frame} without {matte.Name}",
            Kind = SourceKind.Picture,
            Camera = camera,
            Frame = frame,
            Media = media.Write(RasterFile.ToPng(CodeImage.FromLinear(filled, plate.Space, 16))),
            Encoding = plate.Encoding,
            Primaries = plate.Primaries,
            MadeBy = $"frame {frame}, what lies inside {matte.Name} filled {by}",
        };
    }

    /// <summary>
    /// A filled or painted picture as a frame to hand on: the plate's own codes where both agree, and where it was changed the picture
    /// with the plate's grain laid on it. Sixteen bits in the plate's encoding.
    /// </summary>
    public CodeImage WithGrain(ShotDocument shot, ProjectionSource source)
    {
        ShotDocument through = ProjectionWork.Through(shot, source.Camera);
        CodeImage plate = engine.Plates.PlateCodes(through, source.Frame);
        FloatImage noisy = engine.Plates.Plate(through, source.Frame),
            quiet = engine.Plates.QuietPlate(through, source.Frame, plate.Width),
            picture = engine.Projection.SourcePicture(shot, source with { Matte = null }, source.Frame).Picture.Within(source.BeyondPixels);
        if (picture.Width != plate.Width || picture.Height != plate.Height)
        {
            throw new ShotFault(
                $"{source.Name} is {picture.Width} × {picture.Height}, the plate {plate.Width} × {plate.Height}: it cannot stand for a frame."
            );
        }
        ColorSpace space = through.Plate!.Space;
        float[] changed = [.. Changed(picture, quiet, space).Select(c => c ? 1f : 0)];
        FloatImage result = picture.Copy();
        // Measured on the plate itself: that is the grain that its surroundings have.
        Grain.Of(noisy)?.AddTo(result, changed, (uint)source.Frame);
        CodeImage codes = CodeImage.FromLinear(result, space, 16);
        int top = (1 << plate.Bits) - 1;
        for (int i = 0; i < changed.Length; i++)
        {
            if (changed[i] == 0)
            {
                for (int c = 0; c < 3; c++)
                {
                    codes.Codes[3 * i + c] = (ushort)(plate.Codes[i * plate.Channels + (plate.Channels >= 3 ? c : 0)] * 65535L / top);
                }
            }
        }
        return codes;
    }

    /// <summary>By pixel: two linear pictures of a size differ by more than a code and a half of eight bits.</summary>
    public static bool[] Changed(FloatImage picture, FloatImage was, ColorSpace space)
    {
        FloatImage a = space.ToCodes(picture),
            b = space.ToCodes(was);
        var changed = new bool[picture.Width * picture.Height];
        for (int i = 0; i < a.Data.Length; i++)
        {
            changed[i / 3] |= Math.Abs(a.Data[i] - b.Data[i]) > 1.5f / 255;
        }
        return changed;
    }

    /// <summary>With the pixels beside it.</summary>
    private static bool[] Grown(bool[] hole, int w, int h) =>
        [
            .. Enumerable
                .Range(0, hole.Length)
                .Select(i =>
                    hole[i]
                    || (i % w > 0 && hole[i - 1])
                    || (i % w < w - 1 && hole[i + 1])
                    || (i >= w && hole[i - w])
                    || (i / w < h - 1 && hole[i + w])
                ),
        ];
}
