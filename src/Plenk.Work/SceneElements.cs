using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Motion;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;

namespace Plenk.Work;

/// <summary>Elements for a scene that is handed over: what moves by itself is a thing of its own.</summary>
public static class SceneElements
{
    /// <summary>Elements that move or bend by their files as no scene of nodes can say: they stand as in their first frame.</summary>
    public static IReadOnlyList<string> Frozen(ShotEngine engine, ShotDocument shot) =>
        [
            .. shot
                .Elements.Where(e =>
                    !e.Off
                    && (
                        Bends(engine, e)
                            ? e.Scatter is not null || VerticesOf(engine, shot, e) > MostVertices
                            : (e.Motion is not null && e.Scatter is not null) || IsStretchedText(e)
                    )
                )
                .Select(e => e.Name.Length > 0 ? e.Name : e.Id),
        ];

    /// <summary>Over all frames, of one that bends: beyond it a file would be hundreds of megabytes.</summary>
    private const long MostVertices = 20_000_000;

    /// <summary>What its file moves is not its nodes alone.</summary>
    private static bool Bends(ShotEngine engine, Element e) =>
        e is { Kind: ElementKind.Mesh, Frames: not null } or { Joints.Count: > 0 }
        || (e.Motion is not null && engine.Moving(e) is { } file && !IsNodes(file));

    private static long VerticesOf(ShotEngine engine, ShotDocument shot, Element e) =>
        (long)shot.Range.Count * engine.Model(shot, e).Tree.Mesh.Positions.Length;

    private static bool IsStretchedText(Element e) => e.Letters is not null && e.Stretch != new Vec3(1, 1, 1);

    /// <summary>Its nodes are carried and turned, and sized alike along all axes.</summary>
    private static bool IsNodes(IMovingMesh file) =>
        file.IsRigid
        && file.Nodes()
            .All(n =>
                System.Numerics.Matrix4x4.Decompose(n.At(0), out var size, out _, out _)
                && MathF.Max(MathF.Abs(size.X - size.Y), MathF.Abs(size.X - size.Z)) < 1e-4f * MathF.Abs(size.X)
            );

    /// <summary>All that are there in any of the frames.</summary>
    public static IEnumerable<SceneThing> All(ShotEngine engine, ShotDocument shot, IReadOnlyList<int> frames)
    {
        // Who comes later is taken as it stands then.
        int[] begins = [frames[0], .. shot.Elements.Select(e => e.FromFrame).OfType<int>().Where(frames.Contains).Distinct().Order()];
        return begins
            .SelectMany(f => engine.Elements(Hanging.At(shot, f), f))
            .DistinctBy(e => e.Id)
            .SelectMany(e => Of(engine, shot, e, frames));
    }

    /// <param name="e">As it stands in the first of the frames that it is there in.</param>
    public static IEnumerable<SceneThing> Of(ShotEngine engine, ShotDocument shot, PlacedElement e, IReadOnlyList<int> frames)
    {
        Element own = shot.Elements.First(x => x.Id == e.Id);
        string name = own.Name.Length > 0 ? own.Name : own.Id;
        if (e.Copies is { } copies)
        {
            // One mesh, many places; they go along where their surface does.
            int[] told = shot.Pieces.Any(p => Hanging.Moves(shot, p)) ? [.. frames] : [frames[0]];
            var places = told.Select(f => (f, There(engine, shot, e.Id, f)?.Copies is { } c && c.Count == copies.Count ? c : copies))
                .ToArray();
            return copies.Select(
                (_, i) =>
                    new SceneThing($"{name} {i + 1}", e.Model.Tree.Mesh, e.Model.Materials, [.. places.Select(p => (p.f, p.Item2[i]))])
            );
        }
        if (own.Motion is { } motion && engine.Moving(own) is { } file && IsNodes(file))
        {
            return Nodes(engine, shot, own, name, motion, file, e.Model.Materials, frames);
        }
        if (Bends(engine, own) && VerticesOf(engine, shot, own) <= MostVertices)
        {
            var then = frames.Select(f => (f, At: There(engine, shot, e.Id, f) ?? e)).ToArray();
            return
            [
                new(name, e.Model.Tree.Mesh, e.Model.Materials, [.. then.Select(t => (t.f, t.At.ObjectToWorld))])
                {
                    Shapes = [.. then.Select(t => (t.f, t.At.Model.Tree.Mesh.Positions))],
                },
            ];
        }
        // Letters and a size by axes do not go together in a place; then the text goes as it stands.
        return own.Letters is not null && !IsStretchedText(own)
            ? Letter(engine, shot, own, name, e.Model.Materials, frames)
            :
            [
                new(
                    name,
                    e.Model.Tree.Mesh,
                    e.Model.Materials,
                    Hanging.Moves(shot, own) || own.FacesCamera
                        ? [.. frames.Select(f => (f, There(engine, shot, e.Id, f)?.ObjectToWorld ?? e.ObjectToWorld))]
                        : [(frames[0], e.ObjectToWorld)]
                ),
            ];
    }

    /// <summary>A file whose nodes move: each is a thing, where its node is in the element.</summary>
    private static IEnumerable<SceneThing> Nodes(
        ShotEngine engine,
        ShotDocument shot,
        Element own,
        string name,
        FileMotion motion,
        IMovingMesh file,
        IReadOnlyList<Material> materials,
        IReadOnlyList<int> frames
    )
    {
        (int Frame, Similarity Whole, double Seconds)[] places =
        [
            .. frames.Select(f =>
                (
                    f,
                    Hanging.At(shot, f).Elements.First(x => x.Id == own.Id).ObjectToWorld,
                    motion.SecondsAt(f, shot.Rate.PerSecond, file.Seconds)
                )
            ),
        ];
        return file.Nodes()
            .Where(n => n.Mesh.TriangleCount > 0)
            .Select(n => new SceneThing(
                $"{name} {n.Name}",
                n.Mesh,
                materials,
                [.. places.Select(p => (p.Frame, p.Whole.After(Rigid(n.At(p.Seconds)))))]
            ));
    }

    private static Similarity Rigid(System.Numerics.Matrix4x4 m)
    {
        System.Numerics.Matrix4x4.Decompose(m, out var scale, out var turn, out var at);
        return new(scale.X, Rotations.FromQuaternion(turn.X, turn.Y, turn.Z, turn.W), Vec3.From(at));
    }

    private static PlacedElement? There(ShotEngine engine, ShotDocument shot, string id, int frame) =>
        engine.Elements(Hanging.At(shot, frame), frame).FirstOrDefault(x => x.Id == id);

    private static IEnumerable<SceneThing> Letter(
        ShotEngine engine,
        ShotDocument shot,
        Element own,
        string name,
        IReadOnlyList<Material> materials,
        IReadOnlyList<int> frames
    )
    {
        TriangleMesh line = engine.Model(shot, own with { Letters = null }).Tree.Mesh;
        int[] letter = Letters.Of(line, out int count);
        var places = frames
            .Select(f =>
            {
                ShotDocument at = Hanging.At(shot, f);
                Element then = at.Elements.First(x => x.Id == own.Id);
                return (f, Whole: then.ObjectToWorld, Each: Letters.Moved(line, letter, count, at, then, f));
            })
            .ToArray();
        return Letters
            .Apart(line)
            .Select(
                (mesh, i) => new SceneThing($"{name} {i + 1}", mesh, materials, [.. places.Select(p => (p.f, p.Whole.After(p.Each[i])))])
            );
    }
}
