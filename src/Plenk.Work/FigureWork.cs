using NetTopologySuite.Geometries;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Filmed figures of a shot as solids of a frame.</summary>
public sealed class FigureWork(ShotEngine engine)
{
    private const string Prefix = "figure/";
    private const int OutlineWidth = 960; // finer outlines would only cost triangles

    /// <summary>Apart from what else is kept: a frame that is being made still asks for its own.</summary>
    private readonly Cache<TriangleMesh> _solids = new(Sizes.Of, new(256 << 20));
    private readonly Cache<IReadOnlyList<Polygon>> _outlines = new(o => Sizes.Small + o.Sum(p => 64L * p.NumPoints));

    public static bool IsFigure(string media) => media.StartsWith(Prefix, StringComparison.Ordinal);

    public TriangleMesh Mesh(string media) =>
        _solids.Get(media, () => throw new InvalidOperationException($"{media} was not made in this process"));

    /// <summary>The shot with its figures as meshes of a frame; off where the matte has nothing there.</summary>
    public ShotDocument At(ShotDocument shot, int frame)
    {
        if (!shot.Pieces.Any(p => p is { Kind: PieceKind.Figure, Off: false }))
        {
            return shot;
        }
        return shot with { Pieces = [.. shot.Pieces.Select(p => p is { Kind: PieceKind.Figure, Off: false } ? Solid(shot, p, frame) : p)] };
    }

    private Piece Solid(ShotDocument shot, Piece piece, int frame)
    {
        PieceFigure figure = piece.Figure
            ?? throw new ShotFault($"{piece.Name} has no matte: draw one around the figure, or bring its pictures in.");
        var (pose, pinhole) = engine.Camera(shot, frame);
        ShotDocument still = shot with { Pieces = [.. shot.Pieces.Where(p => p.Kind != PieceKind.Figure)] };
        Light? sun = figure.TowardsLight ? shot.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false }) : null;
        string key =
            Prefix
            + ResultKey.Of(
                "figure",
                1,
                figure,
                MatteWork.KeyOf(shot),
                frame,
                pose,
                pinhole,
                still.Pieces,
                piece.HangsOn is null ? null : piece.Position,
                sun?.Direction
            );
        TriangleMesh mesh = _solids.Get(key, () => Make(still, piece, figure, frame, pose, pinhole, sun?.Direction));
        return piece with
        {
            Kind = PieceKind.Mesh,
            Media = key,
            Object = null,
            Position = Vec3.Zero,
            RotationYxzDegrees = Vec3.Zero,
            Scale = 1,
            Off = mesh.TriangleCount == 0,
        };
    }

    /// <summary>The outline of a figure at a frame, pixels of the plate.</summary>
    public IReadOnlyList<Polygon> Outline(ShotDocument shot, PieceFigure figure, int frame)
    {
        int full = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            width = Math.Min(OutlineWidth, full),
            height = Math.Max(1, (int)Math.Round((double)shot.Plate.Height * width / full));
        return _outlines.Get(ResultKey.Of("outline", 1, MatteWork.KeyOf(shot), figure.Matte, frame, full), () =>
        {
            double scale = (double)full / width;
            float[] coverage = engine.Mattes.Coverage(shot, figure.Matte, frame, width, height);
            var outlines = Contours.Of(coverage, width, height);
            // Specks of a few pixels are no part of anybody.
            IReadOnlyList<Polygon> found = Silhouette.Polygons(outlines, 0.3, 12);
            var larger = NetTopologySuite.Geometries.Utilities.AffineTransformation.ScaleInstance(scale, scale);
            return [.. found.Select(p => (Polygon)larger.Transform(p))];
        });
    }

    private TriangleMesh Make(ShotDocument still, Piece piece, PieceFigure figure, int frame, Pose pose, Pinhole pinhole, Vec3? sun)
    {
        IReadOnlyList<Polygon> outline = Outline(still, figure, frame);
        if (FigureSolid.Foot(outline) is not { } spot)
        {
            return new([], []);
        }
        Vec3 foot;
        if (piece.HangsOn is not null)
        {
            foot = piece.Position;
        }
        else
        {
            if (!pinhole.TryDirection(spot.X, spot.Y, out Vec3 d))
            {
                return new([], []);
            }
            var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
            Hit hit = engine.Place.Set(still).Scene.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit)
            {
                throw new ShotFault(
                    $"{piece.Name} stands on nothing at {frame}: no piece of the set lies where its outline's foot is. Build the floor "
                        + "there, or hang it on a moving thing."
                );
            }
            foot = Vec3.From(ray.At(hit.T));
        }
        Vec3 shift = KeyCurve.At(figure.Keys, frame, k => k.Frame, k => k.Shift, k => k.Ease) ?? Vec3.Zero;
        double scale = KeyCurve.At(figure.Keys, frame, k => k.Frame, k => k.Scale, k => k.Ease) ?? 1;
        return FigureSolid.Of(outline, pinhole, pose, foot, figure.ThicknessMetres, sun, shift, scale) ?? new([], []);
    }
}
