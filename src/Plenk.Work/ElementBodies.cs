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
        var shell = new TriangleMesh(
            [.. hull.Vertices.Select(v => v.ToSingle())],
            [
                .. hull.Faces.SelectMany(f =>
                    Enumerable.Range(1, f.Corners.Length - 2).SelectMany(k => new[] { f.Corners[0], f.Corners[k], f.Corners[k + 1] })
                ),
            ]
        );
        MassOf mass = MassOf.Mesh(shell);
        return new(e.Name, hull.About(mass.Middle), density * mass.Volume, mass.Inertia * density, BodyState.At(mass.Middle))
        {
            Friction = friction,
            Bounce = bounce,
        };
    }

    /// <summary>Pieces of a set that bodies fall on: those that hide or receive, and are no figures; with their names.</summary>
    /// <param name="without">Id of one that is left out.</param>
    public static (string Name, TriangleMesh Mesh)[] Standing(SetScene set, string? without = null) =>
        [
            .. set
                .Pieces.Select((q, i) => (Piece: q, Mesh: set.Meshes[i]))
                .Where(q =>
                    q.Piece.Id != without
                    && q.Piece
                        is { Figure: null, Duties: { OnlyBlocksLight: false, Hides: true } or { OnlyBlocksLight: false, Receives: true } }
                )
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
