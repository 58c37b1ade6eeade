using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Work;

/// <summary>Elements as rigid bodies, and their falls as keys.</summary>
public static class ElementBodies
{
    /// <summary>An element as it stands at a frame, by the hull of its mesh.</summary>
    /// <param name="at">The shot at that frame.</param>
    /// <param name="density">kg/m³.</param>
    /// <exception cref="ShotFault">It is flat, hangs on something, or is neither a mesh nor lettering.</exception>
    public static FallingBody Of(ShotEngine engine, ShotDocument at, Element e, int frame, double density, double friction, double bounce)
    {
        if (e.HangsOn is not null || e.Kind is not (ElementKind.Mesh or ElementKind.Lettering))
        {
            throw new ShotFault($"{e.Name} cannot fall: a mesh or lettering that hangs on nothing can.");
        }
        Similarity place = e.ObjectToWorld;
        ConvexHull hull = ConvexHull.Of(engine.Model(at, e, frame).Tree.Mesh.Positions.Select(v => place.Apply(Vec3.From(v))))
            ?? throw new ShotFault($"{e.Name} is flat: it has no volume to fall with. Give it thickness.");
        MassOf mass = MassOf.Mesh(Shell(hull));
        return new(e.Name, hull.About(mass.Middle), density * mass.Volume, mass.Inertia * density, BodyState.At(mass.Middle))
        {
            Friction = friction,
            Bounce = bounce,
        };
    }

    private static bool IsSolid(Piece p) =>
        p is { Off: false, Figure: null, Duties: { OnlyBlocksLight: false, Hides: true } or { OnlyBlocksLight: false, Receives: true } };

    /// <summary>What moves by itself while others fall, and pushes them: its path, by the hull around it.</summary>
    /// <param name="first">Frames of the path, to <paramref name="last"/>.</param>
    /// <param name="without">Id of a piece or an element that is left out.</param>
    /// <param name="told">Gets what moves and pushes nothing, and why.</param>
    public static IReadOnlyList<FallingBody> Carried(
        ShotEngine engine,
        ShotDocument shot,
        int first,
        int last,
        IReadOnlyList<string?> without,
        List<string> told
    )
    {
        var bodies = new List<FallingBody>();
        ShotDocument[] at = [.. Enumerable.Range(first, last - first + 1).Select(f => Hanging.At(shot, f))];
        foreach (
            Piece p in shot.Pieces.Where(p => IsSolid(p) && !without.Contains(p.Id) && !(p.GoneFrom <= first) && Hanging.Moves(shot, p))
        )
        {
            Add(p.Name.Length > 0 ? p.Name : p.Id, engine.Place.Local(p), d => PieceMeshes.PlaceOf(d.Pieces.First(q => q.Id == p.Id)));
        }
        foreach (
            Element e in shot.Elements.Where(e =>
                e is { Off: false, LetGo: null, Broke: null, Scatter: null, Kind: ElementKind.Mesh or ElementKind.Lettering }
                && !without.Contains(e.Id)
                && !(e.ToFrame < first)
                && Hanging.Moves(shot, e)
            )
        )
        {
            if (e.Motion is not null || e.Frames is not null || e.Letters is not null)
            {
                told.Add($"{e.Name} moves in itself: what falls goes through it");
                continue;
            }
            Element now = at[0].Elements.First(q => q.Id == e.Id);
            Add(e.Name, engine.Model(at[0], now, first).Tree.Mesh, d => d.Elements.First(q => q.Id == e.Id).ObjectToWorld);
        }
        return bodies;

        void Add(string name, TriangleMesh mesh, Func<ShotDocument, Similarity> place)
        {
            Similarity begin = place(at[0]),
                back = begin.Inverse();
            if (ConvexHull.Of(mesh.Positions.Select(v => begin.Apply(Vec3.From(v)))) is not { } hull)
            {
                told.Add($"{name} moves and is flat: it pushes nothing. Give it thickness");
                return;
            }
            Similarity[] way = [.. at.Select(d => place(d).After(back))];
            if (way.Any(w => Math.Abs(w.Scale - 1) > 1e-6))
            {
                told.Add($"{name} changes its size: what falls goes through it");
                return;
            }
            MassOf mass = MassOf.Mesh(Shell(hull));
            bodies.Add(
                new(name, hull.About(mass.Middle), CarriedDensity * mass.Volume, mass.Inertia * CarriedDensity, BodyState.At(mass.Middle))
                {
                    Carried = new(first, [.. way.Select(w => (w.Apply(mass.Middle), w.Rotation))]),
                }
            );
        }
    }

    /// <summary>Of what breaks a thing as it strikes it; stone, kg/m³; common practice, no source.</summary>
    private const double CarriedDensity = 2400;

    private static TriangleMesh Shell(ConvexHull hull) =>
        new(
            [.. hull.Vertices.Select(v => v.ToSingle())],
            [
                .. hull.Faces.SelectMany(f =>
                    Enumerable.Range(1, f.Corners.Length - 2).SelectMany(k => new[] { f.Corners[0], f.Corners[k], f.Corners[k + 1] })
                ),
            ]
        );

    /// <summary>Pieces of a set that bodies fall on: those that hide or receive, stay where they are and are no figures; with their names.</summary>
    /// <param name="shot">As it is kept: it tells which of them move.</param>
    /// <param name="without">Id of one that is left out.</param>
    public static (string Name, TriangleMesh Mesh)[] Standing(ShotDocument shot, SetScene set, string? without = null) =>
        [
            .. set
                .Pieces.Select((q, i) => (Piece: q, Mesh: set.Meshes[i]))
                .Where(q => q.Piece.Id != without && IsSolid(q.Piece) && !Hanging.Moves(shot, shot.Pieces.First(p => p.Id == q.Piece.Id)))
                .Select(q => (q.Piece.Name.Length > 0 ? q.Piece.Name : q.Piece.Id, q.Mesh)),
        ];

    /// <summary>Keys of an element's place and turn in every frame of a fall in which it moves.</summary>
    /// <param name="e">As it is when it is let go.</param>
    /// <param name="body">Which of the bodies it is.</param>
    public static ValueCurve[] Path(Element e, IReadOnlyList<FallFrame> frames, int body)
    {
        Vec3 middle = frames[0].Bodies[body].Place,
            angles = e.RotationYxzDegrees;
        var place = new List<CurveKey>();
        var turn = new List<CurveKey>();
        for (int i = 0; i < frames.Count; i++)
        {
            BodyState s = frames[i].Bodies[body];
            // Where it rests it needs no keys but the first and the last.
            if (i > 0 && i < frames.Count - 1 && s == frames[i - 1].Bodies[body] && s == frames[i + 1].Bodies[body])
            {
                continue;
            }
            angles = Rotations.NearEulerYxzDegrees(s.Turn * e.Rotation, angles);
            place.Add(new(frames[i].Frame, Triple: s.Turn * (e.Position - middle) + s.Place, Handle: KeyHandle.Straight));
            turn.Add(new(frames[i].Frame, Triple: angles, Handle: KeyHandle.Straight));
        }
        string at = ShotCurves.PlaceOf("elements", e.Id);
        return [new() { Id = $"{at}/position", Keys = place }, new() { Id = $"{at}/rotationYxzDegrees", Keys = turn }];
    }
}
