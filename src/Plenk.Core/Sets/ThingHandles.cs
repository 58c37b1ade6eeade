using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Sets;

/// <summary>An arm along an axis of the world, and where its end is seen, pixels of the plate; null: behind the camera.</summary>
public sealed record HandleArm(Vec3 Along, double[]? To);

/// <summary>A ring about which one of the three angles turns, a point for each equal part of a turn.</summary>
/// <param name="Part">0 tilt, 1 heading, 2 roll.</param>
public sealed record HandleRing(int Part, IReadOnlyList<double[]?> Seen);

/// <summary>A place of a thing's way, as this frame's camera sees it, and how fast it is there.</summary>
public sealed record HandleStep(int Frame, double[]? Seen, double MetresPerSecond);

/// <summary>
/// What a thing is moved and turned by in the picture: three arms, three rings, and its way over the frames, all without its trembling. The
/// rings are those of its own three angles (Ry Rx Rz): heading about what it hangs on or stands in, tilt about its side as headed, roll about
/// its front; of what aims its roll alone.
/// </summary>
/// <param name="At">Where its place is seen; null: behind the camera.</param>
/// <param name="Position">Its place in the world, metres.</param>
/// <param name="Turn">Its own angles at the frame; null: it has none.</param>
/// <param name="Size">Its scale at the frame; null: it has none.</param>
/// <param name="Metres">How long an arm and a ring's radius are.</param>
public sealed record ThingHandles(
    double[]? At,
    Vec3 Position,
    Vec3? Turn,
    double? Size,
    double Metres,
    IReadOnlyList<HandleArm> Arms,
    IReadOnlyList<HandleRing> Rings,
    IReadOnlyList<HandleStep> Way
)
{
    /// <summary>Parts of a ring.</summary>
    public const int Parts = 48;

    private const int MostSteps = 400;

    /// <summary>As large in the picture, of its width.</summary>
    private const double Share = 0.075;

    /// <param name="what">The thing's place in the document: “elements/bell”. Null: there is no such thing in it.</param>
    public static ThingHandles? Of(ShotDocument shot, string what, int frame, Pose pose, Pinhole pinhole)
    {
        var things = new Carriers(shot);
        if (Placed(things, what, frame) is not { } now)
        {
            return null;
        }
        double[]? Seen(Vec3 p) => pinhole.TryProject(pose, p, out double x, out double y) ? [x, y] : null;
        double depth = Math.Max(0.05, -pose.ToLocal(now.Position).Z),
            metres = Share * pinhole.Width * depth / pinhole.Fx;
        var rings = new List<HandleRing>();
        if (now.Turn is { } turn)
        {
            // What aims has its roll alone.
            if (now.Aimed is { } aimed)
            {
                rings.Add(new(2, Ring(aimed.Column(2), aimed.Column(0))));
            }
            else
            {
                Matrix3 stands = now.On is { Turns: true } on && things.Carried(on, frame) is { } carried
                        ? carried.Rotation
                        : Matrix3.Identity,
                    headed = stands * Rotations.FromEulerYxzDegrees(0, turn.Y, 0),
                    tilted = stands * Rotations.FromEulerYxzDegrees(turn.X, turn.Y, 0);
                rings.Add(new(0, Ring(headed.Column(0), headed.Column(1))));
                rings.Add(new(1, Ring(stands.Column(1), stands.Column(2))));
                rings.Add(new(2, Ring(tilted.Column(2), tilted.Column(0))));
            }
        }
        return new(
            Seen(now.Position),
            now.Position,
            now.Turn,
            now.Size,
            metres,
            [.. new[] { Vec3.UnitX, Vec3.UnitY, Vec3.UnitZ }.Select(a => new HandleArm(a, Seen(now.Position + 1.25 * metres * a)))],
            rings,
            now.Moves ? Steps() : []
        );

        IReadOnlyList<double[]?> Ring(Vec3 axis, Vec3 from)
        {
            Vec3 side = Vec3.Cross(axis, from);
            return
            [
                .. Enumerable
                    .Range(0, Parts)
                    .Select(i => Rotations.Radians(360.0 * i / Parts))
                    .Select(a => Seen(now.Position + metres * (Math.Cos(a) * from + Math.Sin(a) * side))),
            ];
        }

        IReadOnlyList<HandleStep> Steps()
        {
            FrameRange range = shot.Range;
            int every = Math.Max(1, (range.Count + MostSteps - 1) / MostSteps);
            double seconds = (double)shot.Rate.Den / shot.Rate.Num;
            int[] frames = [.. Enumerable.Range(0, (range.Count + every - 1) / every).Select(i => range.First + i * every)];
            Vec3[] places = [.. frames.Select(f => Placed(things, what, f)!.Value.Position)];
            return
            [
                .. frames.Select(
                    (f, i) =>
                    {
                        int a = Math.Max(0, i - 1),
                            b = Math.Min(frames.Length - 1, i + 1);
                        double speed = b > a ? (places[b] - places[a]).Length / ((frames[b] - frames[a]) * seconds) : 0;
                        return new HandleStep(f, Seen(places[i]), speed);
                    }
                ),
            ];
        }
    }

    private static (Vec3 Position, Vec3? Turn, double? Size, Matrix3? Aimed, Carrier? On, bool Moves)? Placed(
        Carriers things,
        string what,
        double frame
    )
    {
        ShotDocument keyed = things.Keyed(frame);
        bool Way(string list, string id, Carrier? on, Shake? shake) =>
            on is not null || shake is not null || ShotCurves.AnyOf(keyed, list, id, "position");
        if (keyed.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == what) is { } e)
        {
            Element stood = things.Stood(e with { Shake = null }, frame);
            return (
                stood.Position,
                e.RotationYxzDegrees,
                e.Scale,
                e.AimsAt is null ? null : stood.Rotation,
                e.HangsOn,
                Way("elements", e.Id, e.HangsOn, e.Shake)
            );
        }
        if (keyed.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == what) is { } p)
        {
            return (
                things.Stood(p with { Hinge = null, Shake = null }, frame).Position,
                p.RotationYxzDegrees,
                p.Kind == PieceKind.Mesh ? p.Scale : null,
                null,
                p.HangsOn,
                Way("pieces", p.Id, p.HangsOn, p.Shake)
            );
        }
        if (keyed.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == what) is { } l)
        {
            return (
                things.Stood(l with { Shake = null }, frame).Position,
                null,
                null,
                null,
                l.HangsOn,
                Way("lights", l.Id, l.HangsOn, l.Shake)
            );
        }
        return null;
    }
}
