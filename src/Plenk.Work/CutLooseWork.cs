using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>How a part is cut loose from a piece.</summary>
/// <param name="Corners">x y of each, pixels of the plate.</param>
/// <param name="ThicknessMetres">Of the part and of the hole's walls.</param>
/// <param name="Sides">Colour of what no footage shows of it: sides and back, linear.</param>
/// <param name="Hinge">left, right, head, foot; anything else: it has none.</param>
/// <param name="RoomMetres">How deep a dark room behind the hole is; 0: there is none.</param>
public record CutRequest(
    int Frame,
    double[] Corners,
    double ThicknessMetres = 0.04,
    Vec3? Sides = null,
    string Hinge = "left",
    double RoomMetres = 0
);

/// <summary>Doors, lids and slabs cut loose from pieces of a shot, with their footage baked on them.</summary>
public sealed class CutLooseWork(ShotEngine engine, MediaStore media)
{
    /// <summary>Incidence up to which footage is taken where there is one frame of it alone.</summary>
    internal const double Flattest = 89;

    /// <summary>Of the room behind a hole, linear: what little light comes in.</summary>
    private static readonly Vec3 Dark = new(0.012, 0.011, 0.01);

    /// <returns>The shot with the hole, the part and the room; and the part's id.</returns>
    public (ShotDocument Shot, string Part) Cut(ShotDocument shot, string pieceId, CutRequest with)
    {
        Piece piece = shot.Pieces.FirstOrDefault(p => p.Id == pieceId) ?? throw new ShotFault("That piece is no longer in the shot.");
        if (with.Corners.Length < 6 || with.Corners.Length % 2 != 0 || !with.Corners.All(double.IsFinite))
        {
            throw new ShotFault("An outline has three corners or more. Click them around what is cut loose.");
        }
        if (!(with.ThicknessMetres is > 0 and < 100) || !(with.RoomMetres is >= 0 and < 1000))
        {
            throw new ShotFault("A thickness is more than 0 and less than 100 m, a room behind it up to 1000 m deep.");
        }
        Piece stands = Hanging.At(shot, with.Frame).Pieces.First(p => p.Id == pieceId);
        Similarity place = PieceMeshes.PlaceOf(stands);
        var (corners, normal) = OnPiece(shot, stands, with);
        Similarity into = place.Inverse();
        CutPart cut;
        try
        {
            cut = CutLoose.Of(
                engine.Place.Local(piece),
                [.. corners.Select(into.Apply)],
                into.Rotation * normal,
                into.Rotation * Up(shot, with.Frame, normal),
                with.ThicknessMetres / place.Scale,
                with.RoomMetres / place.Scale
            );
        }
        catch (CutFault e)
        {
            throw new ShotFault(e.Message);
        }
        string Mesh(string name, TriangleMesh mesh) => media.Write(GltfFile.WriteMesh(name, mesh, []));
        string id = FreeId.Of(shot.Pieces.Select(p => p.Id), "part");
        Matrix3 turn = Turned(piece) * cut.Place.Rotation;
        Piece part = new()
        {
            Id = id,
            Name = $"part of {piece.Name}",
            Kind = PieceKind.Mesh,
            Media = Mesh(id, cut.Part),
            Position = PieceMeshes.PlaceOf(piece).Apply(cut.Place.Position),
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(turn),
            Scale = piece.Scale,
            HangsOn = piece.HangsOn,
            Duties = piece.Duties with { Seen = true, New = false },
            Hinge = HingeOf(with.Hinge, cut),
        };
        Piece rest = piece with
        {
            Kind = PieceKind.Mesh,
            Media = Mesh(piece.Id, cut.Rest),
            Object = null,
            Subdivisions = 0,
            Corners = [],
            Openings = [],
            Holes = [],
            Pins = [],
            Baked = null,
        };
        var pieces = shot.Pieces.Select(p => p.Id == pieceId ? rest : p).ToList();
        pieces.Add(part);
        Piece? room = null;
        if (cut.Pocket is { } walls)
        {
            room = part with
            {
                Id = $"{id}_room",
                Name = $"room behind part of {piece.Name}",
                Media = Mesh($"{id}_room", walls),
                Hinge = null,
                Duties = new()
                {
                    Seen = true,
                    New = true,
                    BlocksLight = false,
                },
            };
            pieces.Add(room);
        }
        ShotDocument made = shot with { Pieces = pieces };
        made = Baked(made, part, true, with.Frame, with.Sides);
        if (room is not null)
        {
            made = Baked(made, room, false, with.Frame, Dark);
        }
        return (made, id);
    }

    private static Matrix3 Turned(Piece p) =>
        Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z);

    /// <summary>Upright where the face is; on a floor away from the camera.</summary>
    private static Vec3 Up(ShotDocument shot, int frame, Vec3 normal) =>
        Math.Abs(normal.Y) < 0.9 ? Vec3.UnitY
        : ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out Pose pose, out _) ? -pose.Rotation.Column(2)
        : -Vec3.UnitZ;

    private static PieceHinge? HingeOf(string where, CutPart cut)
    {
        double x = cut.Width / 2,
            y = cut.Height;
        // It opens towards who looks at it.
        return where switch
        {
            "left" => new() { At = new(-x, 0, 0), Axis = new(0, -1, 0) },
            "right" => new() { At = new(x, 0, 0), Axis = new(0, 1, 0) },
            "head" => new() { At = new(0, y, 0), Axis = new(-1, 0, 0) },
            "foot" => new() { At = new(0, 0, 0), Axis = new(1, 0, 0) },
            _ => null,
        };
    }

    /// <summary>Clicked corners on the face that the first of them is on, in the world, and its normal towards the camera.</summary>
    private (Vec3[] Corners, Vec3 Normal) OnPiece(ShotDocument shot, Piece piece, CutRequest with)
    {
        var (pose, pinhole) = engine.Camera(shot, with.Frame);
        var mesh = new MeshTree(engine.Place.Local(piece).Moved(PieceMeshes.PlaceOf(piece)));
        var scene = new TraceScene([new(mesh, Similarity.Identity, RayKinds.CameraSet)]);
        Vec3 Ray(int i) =>
            pinhole.TryDirection(with.Corners[2 * i], with.Corners[2 * i + 1], out Vec3 d)
                ? (pose.Rotation * d).Normalized()
                : throw new ShotFault($"Corner {i + 1} lies beyond what the lens shows.");
        // By the middle of the corners: a corner itself may lie a hair beside the piece.
        int count = with.Corners.Length / 2;
        double x = Enumerable.Range(0, count).Average(i => with.Corners[2 * i]),
            y = Enumerable.Range(0, count).Average(i => with.Corners[2 * i + 1]);
        Hit hit =
            pinhole.TryDirection(x, y, out Vec3 middle)
            && scene.Intersect(new(pose.Position.ToSingle(), (pose.Rotation * middle).Normalized().ToSingle()), RayKinds.CameraSet)
                is { IsHit: true } h
                ? h
                : throw new ShotFault($"{piece.Name} is not seen in the middle of that outline. Draw it around a part of the piece.");
        Vec3 at = pose.Position + hit.T * (pose.Rotation * middle).Normalized(),
            n = Vec3.From(mesh.Mesh.FaceNormal(hit.Triangle));
        if (Vec3.Dot(n, at - pose.Position) > 0)
        {
            throw new ShotFault($"The back of {piece.Name} is seen there. Turn it round, or cut it from its front.");
        }
        var corners = new Vec3[count];
        for (int i = 0; i < count; i++)
        {
            Vec3 d = Ray(i);
            double t = Vec3.Dot(n, at - pose.Position) / Vec3.Dot(n, d);
            if (!(t > 0))
            {
                throw new ShotFault($"Corner {i + 1} does not lie on the face of {piece.Name} that the outline is drawn on.");
            }
            corners[i] = pose.Position + t * d;
        }
        return (corners, n);
    }

    /// <summary>A piece with textures of its own: footage of a frame where it is seen, else one colour.</summary>
    private ShotDocument Baked(ShotDocument shot, Piece piece, bool filmed, int frame, Vec3? colour)
    {
        TriangleMesh local = engine.Place.Local(piece);
        var projection = new ProjectionSource
        {
            Id = "cut",
            Frame = frame,
            Pieces = [piece.Id],
            // There is no other footage of it: it is taken however flat it is seen.
            FadeFromDegrees = Flattest,
            FadeToDegrees = Flattest + 0.5,
        };
        ShotDocument laid = shot with { Projections = [projection] };
        SetScene set = engine.Place.Set(Hanging.At(laid, frame));
        IReadOnlyList<Projector> sources = !filmed ? [] : engine.Projection.Projectors(laid, set, frame);
        int index = set.Pieces.ToList().FindIndex(p => p.Id == piece.Id);
        BakedPiece baked = FootageWork.Baked(set, index, sources, 0.01, local);
        Vec3 fill = colour ?? MeanOf(baked.Tiles);
        foreach (FloatImage tile in baked.Tiles)
        {
            Filled(tile, fill.ToSingle());
        }
        var footage = new BakedFootage(
            baked.TexelMetres,
            [.. baked.Tiles.Select(t => media.Write(RasterFile.ToPng(BakeWork.Straight(t))))],
            PlaceMedia.ShapeOf(piece),
            1,
            filmed ? frame : null
        );
        return shot with { Pieces = [.. shot.Pieces.Select(p => p.Id == piece.Id ? p with { Baked = footage } : p)] };
    }

    /// <summary>A little darker than its front on the whole.</summary>
    private static Vec3 MeanOf(IReadOnlyList<FloatImage> tiles)
    {
        double r = 0,
            g = 0,
            b = 0,
            a = 0;
        foreach (FloatImage t in tiles)
        {
            for (int i = 0; i < t.Data.Length; i += 4)
            {
                (r, g, b, a) = (r + t.Data[i], g + t.Data[i + 1], b + t.Data[i + 2], a + t.Data[i + 3]);
            }
        }
        return a > 0 ? 0.6 / a * new Vec3(r, g, b) : new(0.1, 0.1, 0.1);
    }

    private static void Filled(FloatImage tile, Vector3 colour)
    {
        for (int i = 0; i < tile.Data.Length; i += 4)
        {
            float rest = 1 - tile.Data[i + 3];
            tile.Data[i] += rest * colour.X;
            tile.Data[i + 1] += rest * colour.Y;
            tile.Data[i + 2] += rest * colour.Z;
            tile.Data[i + 3] = 1;
        }
    }
}
