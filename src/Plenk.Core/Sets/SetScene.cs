using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>
/// The set made ready for rays. Pieces of like duties share one tree; every triangle knows its piece. Independent of
/// elements, so it is kept while they move.
/// </summary>
public sealed class SetScene
{
    private readonly int[][] _pieceOfTriangle;
    private readonly int[] _firstTriangle; // of each piece, in its instance

    public IReadOnlyList<Piece> Pieces { get; }

    /// <summary>World triangles of each piece, in the order of <see cref="Pieces"/>.</summary>
    public IReadOnlyList<TriangleMesh> Meshes { get; }
    public IReadOnlyList<TraceInstance> Instances { get; }
    public TraceScene Scene { get; }
    private readonly TraceScene? _hide;

    /// <summary>How far along a ray elements are hidden: by the pieces at the size that their holdouts have.</summary>
    /// <param name="seen">What the camera sees along it.</param>
    public float HideDistance(in Ray ray, in Hit seen)
    {
        if (_hide is not null)
        {
            return _hide.Intersect(ray, RayKinds.Hide).T;
        }
        return !seen.IsHit ? float.PositiveInfinity
            : Pieces[PieceOf(seen)].Duties.Hides ? seen.T
            : Scene.Intersect(ray, RayKinds.Hide).T;
    }

    /// <summary>Pieces whose faces lie in one another; rays meet the one that stands first in the list.</summary>
    public IReadOnlyList<SharedFace> Shared { get; }

    private readonly Lazy<IReadOnlyList<(Piece, MeshTree)>> _new;
    private readonly Lazy<TraceScene> _filmed;

    /// <summary>What the camera saw when the plate was shot: without pieces that are new.</summary>
    public TraceScene Filmed => _filmed.Value;

    /// <summary>Pieces that were not there when the plate was shot and block light, each in the world.</summary>
    public IReadOnlyList<(Piece Piece, MeshTree World)> New => _new.Value;

    public Vector3 Min { get; }
    public Vector3 Max { get; }

    public SetScene(IReadOnlyList<Piece> pieces, Func<string, string?, TriangleMesh> mesh)
    {
        Pieces = [.. pieces.Where(p => !p.Off)];
        Meshes = [.. Pieces.Select(p => PieceMeshes.World(p, mesh))];
        int[] seen = [.. Enumerable.Range(0, Pieces.Count).Where(i => !Pieces[i].Duties.OnlyBlocksLight && Meshes[i].TriangleCount > 0)];
        // A million triangles would be looked through for faces that built pieces have: planes, boxes and the like are what overlaps.
        Shared = SharedFaces.Of(Meshes, [.. seen.Where(i => Meshes[i].TriangleCount < 20_000)]);
        TriangleMesh[] traced = [.. Meshes];
        foreach (int later in Shared.Select(s => s.Second).Distinct())
        {
            traced[later] = PieceMeshes.Offset(traced[later], -2 * SharedFaces.Within);
        }
        var instances = new List<TraceInstance>();
        var owners = new List<int[]>();
        _firstTriangle = new int[Pieces.Count];
        foreach (
            var group in Enumerable.Range(0, Pieces.Count).Where(i => Meshes[i].TriangleCount > 0).GroupBy(i => KindsOf(Pieces[i].Duties))
        )
        {
            if (group.Key == RayKinds.None)
            {
                continue;
            }
            var positions = new List<Vector3>();
            var normals = new List<Vector3>();
            var indices = new List<int>();
            var owner = new List<int>();
            foreach (int i in group)
            {
                TriangleMesh m = traced[i];
                int offset = positions.Count;
                _firstTriangle[i] = owner.Count;
                positions.AddRange(m.Positions);
                normals.AddRange(m.Normals ?? Enumerable.Repeat(Vector3.Zero, m.Positions.Length)); // zero: the face's own
                indices.AddRange(m.Indices.Select(k => k + offset));
                owner.AddRange(Enumerable.Repeat(i, m.TriangleCount));
            }
            instances.Add(new(new MeshTree(new([.. positions], [.. indices]) { Normals = [.. normals] }), Similarity.Identity, group.Key));
            owners.Add([.. owner]);
        }
        Instances = instances;
        _pieceOfTriangle = [.. owners];
        if (Pieces.Any(p => p.Duties is { Hides: true, OnlyBlocksLight: false, HoldoutMillimetres: not 0 }))
        {
            _hide = new TraceScene([
                .. Enumerable
                    .Range(0, Pieces.Count)
                    .Where(i => Pieces[i].Duties is { Hides: true, OnlyBlocksLight: false } && Meshes[i].TriangleCount > 0)
                    .Select(i => new TraceInstance(
                        new MeshTree(
                            Pieces[i].Duties.HoldoutMillimetres == 0
                                ? Meshes[i]
                                : PieceMeshes.Offset(Meshes[i], Pieces[i].Duties.HoldoutMillimetres / 1000)
                        ),
                        Similarity.Identity,
                        RayKinds.Hide
                    )),
            ]);
        }
        Scene = new TraceScene(instances);
        _filmed = new(() =>
            !Pieces.Any(p => p.Duties.New)
                ? Scene
                : new([
                    .. Enumerable
                        .Range(0, Pieces.Count)
                        .Where(i => Pieces[i].Duties is { New: false, OnlyBlocksLight: false } && Meshes[i].TriangleCount > 0)
                        .Select(i => new TraceInstance(new MeshTree(Meshes[i]), Similarity.Identity, RayKinds.CameraSet)),
                ])
        );
        _new = new(() =>
            [
                .. Enumerable
                    .Range(0, Pieces.Count)
                    .Where(i => Pieces[i].Duties is { New: true, BlocksLight: true } && Meshes[i].TriangleCount > 0)
                    .Select(i => (Pieces[i], new MeshTree(Meshes[i]))),
            ]
        );
        Min = instances.Count == 0 ? Vector3.Zero : instances.Select(i => i.Tree.Min).Aggregate(Vector3.Min);
        Max = instances.Count == 0 ? Vector3.Zero : instances.Select(i => i.Tree.Max).Aggregate(Vector3.Max);
    }

    private static RayKinds KindsOf(Duties d)
    {
        RayKinds kinds =
            // What the plate shows was lit without what is new.
            (d is { BlocksLight: true, New: false } ? RayKinds.LightSet : RayKinds.None)
            | (d.LightsElements || d.Bounces is not null ? RayKinds.Shine : RayKinds.None);
        if (d.OnlyBlocksLight)
        {
            return kinds;
        }
        return kinds | RayKinds.CameraSet | (d.Hides ? RayKinds.Hide : RayKinds.None);
    }

    /// <summary>The triangle that was hit, counted in its piece's own mesh.</summary>
    public int TriangleOf(in Hit hit) => hit.Triangle - _firstTriangle[PieceOf(hit)];

    /// <summary>Index into <see cref="Pieces"/> of what a ray hit; −1 for an element or nothing.</summary>
    public int PieceOf(in Hit hit) =>
        hit.IsHit && hit.Instance < _pieceOfTriangle.Length ? _pieceOfTriangle[hit.Instance][hit.Triangle] : -1;
}
