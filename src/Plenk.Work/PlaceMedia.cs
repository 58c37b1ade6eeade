using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>The place: mesh files, panoramas and textures read once, the set made ready for rays.</summary>
public sealed class PlaceMedia(ShotEngine engine, IMedia media)
{
    private readonly Cache<ImportedMesh> _meshes = new(Sizes.Of);

    private readonly Cache<MeshTree> _trees = new(Sizes.Of);

    private readonly Cache<SetScene> _sets = new(Sizes.Of);

    private readonly Cache<Box<SkyOpenings?>> _openings = new(_ => 32 * Sizes.Small);

    public ImportedMesh Mesh(string hash, string name) => _meshes.Get(hash, () => ImportedMesh.Read(media.Read(hash), name));

    internal TriangleMesh PieceMesh(string hash, string? objectName)
    {
        if (FigureWork.IsFigure(hash))
        {
            return engine.Figures.Mesh(hash);
        }
        // The bytes tell a glTF; all else is OBJ.
        ImportedMesh mesh = Mesh(hash, "mesh.obj");
        return objectName is null
            ? mesh.Merged()
            : mesh.Objects.FirstOrDefault(o => o.Name == objectName)?.Mesh
                ?? throw new ShotFault($"The mesh file has no object called “{objectName}”.");
    }

    /// <summary>A mesh file made ready for rays, its objects as one.</summary>
    public MeshTree Tree(string hash) => _trees.Get(hash, () => new(Mesh(hash, "mesh.obj").Merged()));

    public SetScene Set(ShotDocument shot) => _sets.Get(ResultKey.Of("set", 1, shot.Pieces), () => new SetScene(shot.Pieces, PieceMesh));

    /// <summary>Some of a set's pieces alone, as it stands.</summary>
    public TraceScene Only(SetScene set, IReadOnlyList<string> pieces)
    {
        Piece[] own = [.. set.Pieces.Where(p => pieces.Contains(p.Id))];
        return _sets.Get(ResultKey.Of("set", 1, own), () => new SetScene(own, PieceMesh)).Scene;
    }

    /// <summary>Where the sky is seen from inside the set; null where no light comes from all around.</summary>
    public SkyOpenings? OpeningsOf(ShotDocument shot) =>
        shot.Lights.Any(l => l is { Kind: LightKind.Sky or LightKind.Panorama, ShowsPlace: false, Off: false })
            ? _openings.Get(ResultKey.Of("openings", 1, shot.Pieces, shot.Seed), () => new(SkyOpenings.Find(Set(shot), shot.Seed))).Value
            : null;

    private readonly Cache<Panorama> _panoramas = new(Sizes.Of);

    /// <summary>A panorama's picture: linear, negative samples clamped.</summary>
    public Panorama Around(string hash) => _panoramas.Get(hash, () => PanoramaFile.Read(media.Read(hash), "the panorama"));

    private readonly Cache<BakedSurface> _baked = new(Sizes.Of);

    /// <summary>What a piece's shape depends on; where it stands is no part of it.</summary>
    public static string ShapeOf(Piece p) =>
        ResultKey.Of(
            "shape",
            1,
            p.Kind,
            p.Size,
            p.Count,
            p.Corners,
            p.Walls,
            p.Ground,
            p.Openings,
            p.Holes,
            p.Media,
            p.Object,
            p.Subdivisions
        );

    /// <summary>The piece in its own space.</summary>
    public TriangleMesh Local(Piece piece) => PieceMeshes.Local(piece, PieceMesh);

    /// <summary>By piece: its own textures where it has some that belong to its shape.</summary>
    public IReadOnlyList<BakedSurface?>? Baked(SetScene set) =>
        set.Pieces.All(p => p.Baked is null)
            ? null
            :
            [
                .. set.Pieces.Select(p =>
                    p.Baked is not { } b || b.Shape != ShapeOf(p)
                        ? null
                        : _baked.Get(ResultKey.Of("baked", 1, b), () =>
                            new BakedSurface(
                                Local(p),
                                b.Texel,
                                [.. b.Tiles.Select(t => MaterialPicture.Read(media.Read(t), $"the texture of {p.Name}"))]
                            )
                        )
                ),
            ];
}
