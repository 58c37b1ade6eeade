using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What lies under all that is added to a frame: the plate, or what is seen in its place.</summary>
public sealed class BackgroundWork(ShotEngine engine)
{
    private readonly Cache<Background> _backgrounds = new(b =>
        Sizes.Of(b.Rgba) + Sizes.Of(b.Rgb) + (b.Pieces is null ? 0 : Sizes.Of(b.Pieces)) + 2 * b.Touched.LongLength
    );

    /// <summary>
    /// The mattes that hide what is further away; those of a screen bring the foreground without it, and before a replaced background all
    /// bring theirs.
    /// </summary>
    public IReadOnlyList<HidingMatte> Before(ShotDocument shot, int frame, FloatImage plate)
    {
        bool replaced = !shot.ShowsPlate;
        return
        [
            .. engine
                .Mattes.Hiding(shot, frame, plate.Width, plate.Height)
                .Select(m => new HidingMatte(
                    m.Coverage,
                    m.Beyond,
                    m.Matte is { Kind: MatteKind.Screen, Screen: { } key } ? MatteField.Foreground(plate, m.Coverage, key)
                        : m.Matte.IsLaid ? Laid(engine.Filmed.Layer(shot, m.Matte, frame, plate.Width, plate.Height), m.Coverage)
                        : replaced ? By(plate, m.Coverage)
                        : null
                )
                {
                    TakesLight = m.Matte.TakesLight,
                    IsLaid = m.Matte.IsLaid,
                }),
        ];
    }

    private const float MostForth = 20;

    /// <summary>What was filmed elsewhere, in as much of a pixel as its matte has come to.</summary>
    private static FloatImage Laid(FilmedLayer layer, float[] coverage)
    {
        FloatImage own = layer.Rgb.Copy();
        for (int i = 0; i < coverage.Length; i++)
        {
            // A matte that was grown brings forth what hardly is there; not without bounds, for its colour is mostly noise.
            float by = layer.Coverage[i] > 0 ? MathF.Min(MostForth, coverage[i] / layer.Coverage[i]) : 0;
            for (int c = 0; c < 3 && by != 1; c++)
            {
                own.Data[3 * i + c] *= by;
            }
        }
        return own;
    }

    internal static FloatImage By(FloatImage plate, float[] coverage)
    {
        FloatImage own = plate.Copy();
        for (int i = 0; i < own.Data.Length; i++)
        {
            own.Data[i] *= coverage[i / 3];
        }
        return own;
    }

    /// <summary>The background of a frame; null where it is the plate as it is.</summary>
    /// <param name="samples">A pixel.</param>
    /// <param name="overscan">It goes on by so many pixels on every side; the plate does not, and its border's pixels stand for it.</param>
    public Background? Of(ShotDocument whole, int frame, int width, int samples, int overscan = 0, CancellationToken stop = default)
    {
        if (whole.ShowsPlate)
        {
            return null;
        }
        ShotDocument shot = Reduced.Background(whole);
        return _backgrounds.Get(ResultKey.Of("background", 3, shot, frame, width, samples, overscan), () =>
            Make(shot, frame, width, samples, overscan, stop)
        );
    }

    private Background Make(ShotDocument shot, int frame, int width, int samples, int overscan, CancellationToken stop)
    {
        CleanLight? clean = shot.Background == BackgroundKind.Clean ? engine.Clean.Clean(shot, frame, width) : null;
        FloatImage plate = engine.Plates.Plate(shot, frame, width);
        var (w, h) = (plate.Width, plate.Height);
        if (shot.Background == BackgroundKind.Frames)
        {
            var all = new bool[w * h];
            all.AsSpan().Fill(true);
            clean = new(engine.Behind.Of(shot, frame, w), all);
        }
        RayGrid within = engine.Grid(shot, frame, w, h),
            grid = overscan == 0 ? within : new(within.Pinhole.Wider(overscan), engine.Camera(shot, frame).Pose);
        SetScene set = engine.Place.Set(engine.Figures.At(Hanging.At(shot, frame), frame));
        Background made = SeenSet.Render(
            Moments(shot, frame, grid, overscan, set, samples),
            (clean?.Linear ?? plate).Around(overscan),
            clean is null ? null : FloatImage.Around(clean.Cleaned, w, h, 1, overscan),
            Projectors(shot, set, frame),
            engine.Place.Baked(set),
            [.. Before(shot, frame, plate).Select(m => m.Around(w, h, overscan))],
            shot.Background,
            shot.ProjectionsMix,
            samples,
            shot.Seed,
            out float[] quiet,
            stop,
            engine.Seen.Light(shot, set, frame, samples),
            engine.Seen.Shows(shot, set, frame, grid, overscan)
        );
        if (quiet.Any(q => q > 0) && engine.Finish.GrainOf(shot, width) is { } grain)
        {
            FloatImage rgb = made.Rgb;
            grain.AddTo(rgb, quiet, Sampling.Hash(shot.Seed ^ 0x7061696eu) + (uint)frame);
            for (int i = 0; i < quiet.Length; i++)
            {
                // The grain of what new pieces show is theirs.
                for (int c = 0; c < 3 && made.Pieces is not null; c++)
                {
                    made.Pieces.Data[4 * i + c] += made.Pieces.Data[4 * i + 3] * (rgb.Data[3 * i + c] - made.Rgba.Data[4 * i + c]);
                }
                rgb.Data.AsSpan(3 * i, 3).CopyTo(made.Rgba.Data.AsSpan(4 * i));
            }
        }
        return made;
    }

    /// <summary>
    /// The projections as a frame asks for them: the frame itself gives its own pixels, and what moves or stands says whether it has grain.
    /// </summary>
    private IReadOnlyList<Projector> Projectors(ShotDocument shot, SetScene set, int frame)
    {
        ProjectionSource[] on = [.. shot.Projections.Where(p => !p.Off)];
        return
        [
            .. engine
                .Projection.Projectors(shot, set, frame)
                .Select(
                    (p, i) =>
                        new Projector(p.Picture, p.Sight, p.Kept)
                        {
                            IsLookedAt =
                                on[i].Camera is null
                                && shot.Background != BackgroundKind.Frames
                                && on[i].Cleaned == (shot.Background == BackgroundKind.Clean)
                                && (on[i].Kind == SourceKind.Running || (on[i].Kind == SourceKind.Held && on[i].Frame == frame)),
                            HasGrain = on[i].Kind switch
                            {
                                SourceKind.Running => true,
                                SourceKind.Held => on[i].Cleaned || shot.Plate?.GrainFree is null,
                                _ => on[i].HasGrain,
                            },
                        }
                ),
        ];
    }

    /// <summary>How much of a seen piece covers what is behind it at a place; null: no piece is seen.</summary>
    public Func<Vector3, Vector3, int, int, float>? Covers(ShotDocument whole, SetScene set, int frame, RayGrid grid, int overscan)
    {
        if (!whole.Pieces.Any(p => p.IsSeen))
        {
            return null;
        }
        ShotDocument shot = Reduced.Footage(whole);
        IReadOnlyList<Projector> projectors = engine.Projection.Projectors(shot, set, frame);
        IReadOnlyList<BakedSurface?>? baked = engine.Place.Baked(set);
        IReadOnlyList<float[]?>? shows = engine.Seen.Shows(Reduced.Background(whole), set, frame, grid, overscan);
        return (point, normal, piece, pixel) =>
            (baked?[piece] is not null ? 1 : ProjectedView.Mix(projectors, point, normal, piece, default, default, shot.ProjectionsMix).W)
            * (shows?[piece]?[pixel] ?? 1);
    }

    /// <summary>Camera and set at moments spread over the time that the shutter is open.</summary>
    private IReadOnlyList<SeenMoment> Moments(ShotDocument shot, int frame, RayGrid grid, int overscan, SetScene set, int samples)
    {
        if (shot.ShutterDegrees <= 0 || samples < 2)
        {
            return [new(grid, set)];
        }
        ShotDocument still = Hanging.At(shot, frame);
        return
        [
            .. engine
                .Renderer.Open(shot, engine.Figures.At(still, frame), frame, grid, overscan, samples)
                .Select(m => new SeenMoment(
                    m.Grid,
                    m.Set,
                    shot.Pieces.All(p => !Hanging.Moves(shot, p))
                        ? null
                        :
                        [
                            .. m.Set.Pieces.Zip(set.Pieces, (then, now) =>
                                !Hanging.Moves(shot, then)
                                    ? (Similarity?)null
                                    : PieceMeshes.PlaceOf(now).After(PieceMeshes.PlaceOf(then).Inverse())
                            ),
                        ]
                )),
        ];
    }
}
