using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;

namespace Plenk.Work;

/// <summary>What seen pieces are shown by beside their footage: the light on them, and where they fade.</summary>
public sealed class SeenPieces(ShotEngine engine)
{
    /// <summary>Rays of a pixel to what lights it from all around; of a sample at least so many.</summary>
    private const int PixelRays = 32,
        SampleRays = 4;

    /// <summary>The light now and in the frames of the footage; null: all pieces are shown as filmed.</summary>
    /// <param name="set">As it stands in the frame.</param>
    public SeenLight? Light(ShotDocument shot, SetScene set, int frame, int samples)
    {
        if (!set.Pieces.Any(p => p is { IsSeen: true, Duties.Lit: not PieceLit.AsFilmed }))
        {
            return null;
        }
        int rays = Math.Max(SampleRays, PixelRays / samples);
        var known = new Dictionary<int, SpotLight>();
        SpotLight In(int at)
        {
            if (!known.TryGetValue(at, out SpotLight? light))
            {
                known[at] = light = LightIn(shot, set, frame, at, rays);
            }
            return light;
        }
        ProjectionSource[] on = [.. shot.Projections.Where(p => !p.Off)];
        return new(
            In(frame),
            [.. on.Select(p => In(p.Kind == SourceKind.Running ? frame : p.Frame))],
            [.. set.Pieces.Select(p => p.Baked?.Frame is { } at ? In(at) : null)],
            [.. on.Select(p => p is { Kind: SourceKind.Picture, OwnColour: false })]
        );
    }

    /// <summary>The light that falls on a spot of the set as it stands in one frame, when that stood in another.</summary>
    private SpotLight LightIn(ShotDocument shot, SetScene looked, int frame, int at, int rays)
    {
        ShotDocument then = Hanging.At(shot, at);
        SetScene set = at == frame ? looked : engine.Place.Set(engine.Figures.At(then, at));
        LightRig rig = engine.Renderer.Rig(then, at);
        SkyOpenings? openings = engine.Place.OpeningsOf(then);
        Similarity?[] moved =
        [
            .. looked.Pieces.Select(p =>
                at == frame || !Hanging.Moves(shot, p) || set.Pieces.FirstOrDefault(q => q.Id == p.Id) is not { } q
                    ? (Similarity?)null
                    : PieceMeshes.PlaceOf(q).After(PieceMeshes.PlaceOf(p).Inverse())
            ),
        ];
        return (point, normal, piece, index, seed) =>
        {
            if (moved[piece] is { } to)
            {
                (point, normal) = (to.Apply(Vec3.From(point)).ToSingle(), (to.Rotation * Vec3.From(normal)).ToSingle());
            }
            return SpotIrradiance.At(set, rig, openings, point, normal, rays, index, seed);
        };
    }

    /// <summary>By piece and pixel of the grid, how much of it is seen where it fades into what is behind it; null: none fades.</summary>
    /// <param name="overscan">The grid goes on by so many pixels beyond the plate; mattes do not, and their border's pixels stand for them.</param>
    public IReadOnlyList<float[]?>? Shows(ShotDocument shot, SetScene set, int frame, RayGrid grid, int overscan)
    {
        static bool Fades(Piece p) => p is { IsSeen: true } && (p.Duties.FadePixels > 0 || p.Duties.SeenWithin is not null);
        return set.Pieces.Any(Fades) ? [.. set.Pieces.Select(p => Fades(p) ? Shown(shot, set, p, frame, grid, overscan) : null)] : null;
    }

    private float[] Shown(ShotDocument shot, SetScene set, Piece piece, int frame, RayGrid grid, int overscan)
    {
        var (w, h) = (grid.Width, grid.Height);
        var shown = new float[w * h];
        if (piece.Duties.FadePixels > 0)
        {
            TraceScene alone = engine.Place.Only(set, [piece.Id]);
            Parallel.For(0, h, Core.Cores.All, y =>
            {
                for (int x = 0; x < w; x++)
                {
                    bool there =
                        grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                        && alone.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet).IsHit;
                    shown[y * w + x] = there ? 1 : 0;
                }
            });
            // The plate's pixels, whatever size the frame is looked at in.
            double width = piece.Duties.FadePixels * (w - 2 * overscan) / shot.Plate!.Width;
            shown = MatteField.Grown(shown, w, h, -width / 2, width);
        }
        else
        {
            shown.AsSpan().Fill(1);
        }
        if (piece.Duties.SeenWithin is { } id && shot.Mattes.Any(m => m.Id == id))
        {
            float[] within = Core.Images.FloatImage.Around(
                engine.Mattes.Coverage(shot, id, frame, w - 2 * overscan, h - 2 * overscan),
                w - 2 * overscan,
                h - 2 * overscan,
                1,
                overscan
            );
            for (int i = 0; i < shown.Length; i++)
            {
                shown[i] *= within[i];
            }
        }
        return shown;
    }
}
