using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A frame of the clean plate.</summary>
/// <param name="Linear">RGB.</param>
/// <param name="Cleaned">By pixel: it is not the plate's own.</param>
public sealed record CleanLight(FloatImage Linear, bool[] Cleaned);

/// <summary>
/// A shot's clean plate: made over a range and kept beside the plate, where it differs from it; and read again as a version of the plate.
/// </summary>
public sealed class CleanPlateWork(ShotEngine engine, IMedia media)
{
    /// <summary>What stands for the frame itself where a frame says which one gave.</summary>
    private const int GivenMiddle = 0x8000;
    private readonly Cache<CodeImage> _over = new(Sizes.Of);
    private readonly Cache<CleanLight> _light = new(l => Sizes.Of(l.Linear) + l.Cleaned.LongLength);

    /// <summary>A frame of the clean plate; null: it has not been made, or of another picture than the plate shows now.</summary>
    public static CleanPlateFrame? FrameOf(ShotDocument shot, int frame) =>
        shot.CleanPlate.Frames.FirstOrDefault(f => f.Frame == frame) is { } own
        && shot.Plate?.MediaAt(shot.Plate.FrameAt(frame, shot.Rate)) == own.Of
            ? own
            : null;

    /// <summary>Frames of a range that have none.</summary>
    public static IReadOnlyList<int> Without(ShotDocument shot, FrameRange range) =>
        [.. Enumerable.Range(range.First, range.Count).Where(f => FrameOf(shot, f) is null)];

    /// <summary>Tells whether what a clean plate is made of has changed since.</summary>
    public static string KeyOf(ShotDocument shot) =>
        // What it does not hang on is not asked: another frame of the range, or a matte that is not taken out.
        ResultKey.Of("clean-plate", 1, Reduced.Clean(shot) with { Range = new(0, 0), Mattes = Around(shot) });

    /// <summary>The mattes around what goes, and what these are joined to.</summary>
    private static IReadOnlyList<Matte> Around(ShotDocument shot)
    {
        var all = new HashSet<string>(shot.CleanPlate.Mattes);
        while (shot.Mattes.Where(m => all.Contains(m.Id)).SelectMany(m => m.Parts).Any(p => all.Add(p.Matte))) { }
        return [.. shot.Mattes.Where(m => all.Contains(m.Id))];
    }

    /// <summary>The plate without what passes, linear; and where it differs from the plate.</summary>
    /// <exception cref="ShotFault">That frame has no clean plate.</exception>
    public CleanLight Clean(ShotDocument shot, int frame, int? width = null)
    {
        CleanPlateFrame own = FrameOf(shot, frame) ?? throw new ShotFault(Lacks(shot, frame));
        FloatImage plate = engine.Plates.Plate(shot, frame);
        CodeImage over = _over.Get(own.Media, () => RasterFile.Read(media.Read(own.Media), $"clean plate, {frame}"));
        if (over.Width != plate.Width || over.Height != plate.Height)
        {
            throw new ShotFault(
                $"The clean plate of {frame} is {over.Width} × {over.Height}, the plate {plate.Width} × {plate.Height}. Make it again."
            );
        }
        ColorSpace space = shot.Plate!.Space;
        string key = $"{own.Of}/{own.Media}/{space.Name}";
        CleanLight clean = _light.Get(key, () =>
        {
            FloatImage light = over.ToLinear(space),
                result = plate.Copy();
            var cleaned = new bool[plate.Width * plate.Height];
            for (int i = 0; i < cleaned.Length; i++)
            {
                if (over.Codes[4 * i + 3] > 0)
                {
                    cleaned[i] = true;
                    light.Data.AsSpan(light.Channels * i, 3).CopyTo(result.Data.AsSpan(3 * i));
                }
            }
            return new(result, cleaned);
        });
        if (width is not { } w || w >= plate.Width)
        {
            return clean;
        }
        int h = PlateMedia.HeightFor(shot, w);
        return _light.Get($"{key}/{w}", () =>
        {
            // A reduced pixel is the plate's only where all of it is.
            var any = new FloatImage(plate.Width, plate.Height, 1, [.. clean.Cleaned.Select(v => v ? 1f : 0)]);
            return new(clean.Linear.ReducedTo(w, h), [.. any.ReducedTo(w, h).Data.Select(v => v > 0)]);
        });
    }

    private static string Lacks(ShotDocument shot, int frame)
    {
        int[] have = [.. shot.CleanPlate.Frames.Select(f => f.Frame).Where(f => FrameOf(shot, f) is not null)];
        return shot.CleanPlate.Frames.Count == 0 ? "There is no clean plate yet. Make it at step 4, or put the plate behind all."
            : have.Length == 0 ? "The clean plate was made of another plate than this one. Make it again at step 4."
            : $"Frame {frame} has no clean plate; {FrameList.Write(have)} have one. Make it for the others too, at step 4.";
    }

    /// <summary>What gave each pixel of a frame: 0 it is the plate's own, -1 painted or filled, else the shot frame.</summary>
    public (int Width, int Height, int[] Given) Given(ShotDocument shot, int frame)
    {
        CleanPlateFrame own = FrameOf(shot, frame) ?? throw new ShotFault(Lacks(shot, frame));
        CodeImage given = RasterFile.Read(media.Read(own.Given), $"what gave to {frame}"),
            over = RasterFile.Read(media.Read(own.Media), $"clean plate, {frame}");
        return (
            given.Width,
            given.Height,
            [
                .. given.Codes.Select(
                    (c, i) =>
                        over.Codes[4 * i + 3] == 0 ? 0
                        : c == 0 ? -1
                        : frame + c - GivenMiddle
                ),
            ]
        );
    }

    /// <param name="frames">Of the shot.</param>
    /// <param name="told">What is odd, in the artist's terms.</param>
    /// <param name="kept">Each frame when it is done.</param>
    /// <exception cref="ShotFault">Something is missing, in the artist's terms.</exception>
    public void Make(
        ShotDocument shot,
        IReadOnlyList<int> frames,
        MediaStore to,
        Action<CleanPlateFrame> kept,
        List<string> told,
        CancellationToken stop,
        Action<string, double> progress
    )
    {
        CleanPlate asked = shot.CleanPlate;
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        string[] mattes = [.. asked.Mattes.Where(id => shot.Mattes.Any(m => m.Id == id))];
        if (mattes.Length == 0)
        {
            throw new ShotFault("Nothing is taken out yet: tick the matte around what goes, or draw one.");
        }
        engine.Camera(shot, frames[0]);
        var (w, h) = (plate.Width, plate.Height);
        MovingObject? on = asked.HangsOn is { } thing
            ? shot.MovingObjects.FirstOrDefault(o => o.Id == thing)
                ?? throw new ShotFault("The thing that it lies on is no longer in the shot. Choose another one.")
            : null;
        // In the thing's own frame its pieces stand still.
        SetScene set = engine.Place.Set(
            shot with
            {
                Pieces =
                [
                    .. Reduced
                        .Filmed(shot)
                        .Pieces.Where(p => p.HangsOn?.On == (on is null ? null : ShotCurves.PlaceOf("movingObjects", on.Id)))
                        .Select(p => p with { HangsOn = null }),
                ],
            }
        );
        if (on is not null && set.Pieces.Count == 0)
        {
            throw new ShotFault(
                $"Nothing is built on {on.Name}. Build it at step 3 and hang it there, so that marks on it can be followed."
            );
        }
        (Pose Pose, Pinhole Pinhole)? Camera(int frame)
        {
            try
            {
                var (pose, pinhole) = engine.Camera(shot, frame);
                return on is null ? (pose, pinhole)
                    : Hanging.PoseOf(on, frame) is { } stood
                        ? (pose.Moved(new Similarity(1, stood.Rotation, stood.Position).Inverse()), pinhole)
                    : null;
            }
            catch (ShotFault)
            {
                return null;
            }
        }
        bool[] Gone(int frame)
        {
            var gone = new bool[w * h];
            foreach (string matte in mattes)
            {
                float[] inside = engine.Mattes.Coverage(shot, matte, frame, w, h);
                for (int i = 0; i < gone.Length; i++)
                {
                    gone[i] |= inside[i] > 0;
                }
            }
            if (on is not null && Camera(frame) is { } camera)
            {
                OnlyOn(set, new RayGrid(camera.Pinhole, camera.Pose), gone);
            }
            return gone;
        }
        var place = new PlaceFilmed(
            shot.Range.First,
            shot.Range.Last,
            w,
            h,
            plate.Space,
            f => engine.Plates.PlateCodes(shot, f),
            Camera,
            f => on is null || Camera(f) is not null,
            Gone,
            set
        )
        {
            Linear = f => engine.Plates.Plate(shot, f),
        };
        string madeOf = KeyOf(shot);
        CleanRanges.Run(
            place,
            frames,
            new()
            {
                Without = Listed(asked.Without),
                Preferred = Listed(asked.Preferred),
                Painted = [.. asked.Painted.Select(id => Painted(shot, id, told)).OfType<(int, FloatImage, bool[], bool)>()],
                WithGrain = !asked.NoGrain,
            },
            (clean, view) => kept(Kept(shot, plate, clean, view, to, madeOf)),
            told,
            stop,
            progress
        );
    }

    private static IReadOnlyList<int> Listed(string frames) => FrameList.TryParse(frames, out IReadOnlyList<int> list) ? list : [];

    /// <summary>What lies beside a thing is not taken out with what lies on it.</summary>
    private static void OnlyOn(SetScene set, RayGrid grid, bool[] gone) => Parallel.For(0, grid.Height, Core.Cores.All, y =>
        {
            for (int x = 0; x < grid.Width; x++)
            {
                int i = y * grid.Width + x;
                gone[i] =
                    gone[i]
                    && grid.TryDirection(x, y, new(0.5f, 0.5f), out var d)
                    && set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet).IsHit;
            }
        });

    /// <summary>What was painted over a frame: where it differs from the frame it was painted on.</summary>
    private (int Frame, FloatImage Linear, bool[] Where, bool HasGrain)? Painted(ShotDocument shot, string id, List<string> told)
    {
        if (shot.Projections.FirstOrDefault(p => p.Id == id) is not { Kind: SourceKind.Picture, Camera: null, OwnColour: false } source)
        {
            return null;
        }
        FloatImage picture = engine
                .Projection.SourcePicture(shot, source with { Matte = null }, source.Frame)
                .Picture.Within(source.BeyondPixels),
            was = engine.Plates.QuietPlate(shot, source.Frame, shot.Plate!.Width);
        if (picture.Width != was.Width || picture.Height != was.Height)
        {
            told.Add($"{source.Name} is {picture.Width} × {picture.Height}, the plate {was.Width} × {was.Height}: it is not carried.");
            return null;
        }
        bool[] where = FillWork.Changed(picture, was, shot.Plate.Space);
        if (!where.Contains(true))
        {
            told.Add($"{source.Name} is as the frame was: nothing of it is carried.");
        }
        return (source.Frame, picture, where, source.HasGrain);
    }

    private static CleanPlateFrame Kept(
        ShotDocument shot,
        PlateSource plate,
        CleanedFrame clean,
        FilmedView view,
        MediaStore to,
        string madeOf
    )
    {
        int w = plate.Width,
            h = plate.Height;
        CodeImage codes = CodeImage.FromLinear(clean.Linear, plate.Space, 16);
        var over = new ushort[4 * w * h];
        var given = new ushort[w * h];
        for (int i = 0; i < w * h; i++)
        {
            if (!view.Out[i])
            {
                continue;
            }
            codes.Codes.AsSpan(3 * i, 3).CopyTo(over.AsSpan(4 * i));
            over[4 * i + 3] = (ushort)(clean.How[i] >= 1 ? ushort.MaxValue : 0x8000);
            given[i] = (ushort)(clean.Given[i] == 0 ? 0 : clean.Given[i] - clean.Frame + GivenMiddle);
        }
        double of = Math.Max(1, clean.Masked);
        return new(
            clean.Frame,
            plate.MediaAt(plate.FrameAt(clean.Frame, shot.Rate))!,
            to.Write(RasterFile.ToPng(new CodeImage(w, h, 4, 16, over))),
            to.Write(RasterFile.ToPng(new CodeImage(w, h, 1, 16, given))),
            clean.Masked,
            Math.Round(clean.Taken / of, 5),
            Math.Round(clean.Filled / of, 5),
            madeOf
        );
    }
}
