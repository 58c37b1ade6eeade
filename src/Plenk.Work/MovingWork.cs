using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;

namespace Plenk.Work;

/// <summary>A mesh pulled by its pins: where it then stands, how far the pins lie off, and what is open.</summary>
public sealed record PulledMesh(double[] ObjectToWorld, double RmsPx, string? Fault, IReadOnlyList<float[]> Lines);

/// <summary>Things of a shot that move on their own: held by pins, followed between holds, or found from tracks in a matte.</summary>
public sealed class MovingWork(ShotEngine engine)
{
    private const string NoMesh = "This thing has no mesh. Bring one in, in metres.";

    public static MovingObject Need(ShotDocument shot, string id) =>
        shot.MovingObjects.FirstOrDefault(o => o.Id == id) ?? throw new ShotFault("That thing is no longer in the shot.");

    private TriangleMesh Mesh(MovingObject thing) => engine.Place.Mesh(thing.Media ?? throw new ShotFault(NoMesh), "thing.obj").Merged();

    private MeshTree Tree(MovingObject thing) => engine.Place.Tree(thing.Media ?? throw new ShotFault(NoMesh));

    private static Pose InCamera(Pose objectToWorld, Pose camera) =>
        new(camera.Rotation.Transpose() * objectToWorld.Rotation, camera.ToLocal(objectToWorld.Position));

    private static Pose InWorld(Pose inCamera, Pose camera) => new(camera.Rotation * inCamera.Rotation, camera.ToWorld(inCamera.Position));

    /// <summary>
    /// The mesh stood upright with its origin's foot at a spot of the picture: on the floor where it is seen there, else five metres away.
    /// </summary>
    public Pose StandAt(ShotDocument shot, MovingObject thing, int frame, double x, double y)
    {
        var (pose, pinhole) = engine.Camera(shot, frame);
        if (!pinhole.TryDirection(x, y, out Vec3 d))
        {
            throw new ShotFault("That spot lies outside the lens. Click nearer to the middle.");
        }
        Vec3 at = pose.Position + 5 * (pose.Rotation * d).Normalized();
        bool floor = false;
        if (shot.Orientation.Floor.Count > 0 && pinhole.TryFloor(pose, x, y, out Vec3 met, out _) && (met - pose.Position).Length < 200)
        {
            (at, floor) = (met, true);
        }
        if (shot.Orientation.Floor.Count == 0 && shot.Orientation.Level.Count == 0)
        {
            return new(pose.Rotation, at);
        }
        // It faces the camera.
        Vec3 back = pose.Position - at;
        return new(Rotations.AboutY(Math.Atan2(back.X, back.Z)), at - Vec3.UnitY * (floor ? Mesh(thing).Bounds().Min.Y : 0));
    }

    /// <summary>The place of the mesh under a spot of the picture, in its own space.</summary>
    public Vec3 Spot(ShotDocument shot, string id, int frame, double x, double y)
    {
        MovingObject thing = Need(shot, id);
        Pose at = Held(thing, frame) ?? throw new ShotFault($"{thing.Name} has no place at frame {frame} yet. Stand it there first.");
        var (pose, pinhole) = engine.Camera(shot, frame);
        Pose inCamera = InCamera(at, pose);
        if (pinhole.TryDirection(x, y, out Vec3 d))
        {
            var ray = new Ray(inCamera.ToLocal(Vec3.Zero).ToSingle(), (inCamera.Rotation.Transpose() * d.Normalized()).ToSingle());
            if (Tree(thing).Intersect(ray) is { IsHit: true } hit)
            {
                return Vec3.From(ray.At(hit.T));
            }
        }
        throw new ShotFault($"{thing.Name} is not there. Click on its mesh.");
    }

    private static Pose? Held(MovingObject thing, int frame) =>
        thing.Holds.FirstOrDefault(h => h.Frame == frame) is { } hold
            ? Pose.FromRowMajor16(hold.ObjectToWorld, out _)
            : Hanging.PoseOf(thing, frame);

    /// <summary>
    /// The mesh pulled so that its pinned places come to lie where they are pinned: one pin shifts it, two let it grow and roll
    /// too, three or more turn it.
    /// </summary>
    public PulledMesh Pull(ShotDocument shot, string id, int frame, IReadOnlyList<ObjectPin> pins)
    {
        MovingObject thing = Need(shot, id);
        Pose at = Held(thing, frame) ?? throw new ShotFault($"{thing.Name} has no place at frame {frame} yet. Stand it there first.");
        var (pose, pinhole) = engine.Camera(shot, frame);
        MeshSight[] sights = [.. pins.Select(p => new MeshSight(p.Place, p.X, p.Y))];
        string? fault = MeshPose.Fault([.. pins.Select(p => p.Place)]);
        Pose pulled = MeshPose.Refine(
            InCamera(at, pose),
            pinhole,
            sights,
            [],
            double.PositiveInfinity,
            fault is null ? MeshPose.For(pins.Count) : MeshPose.Freedom.SlideGrowRoll,
            60
        );
        return new(
            InWorld(pulled, pose).ToRowMajor16(),
            MeshPose.Rms(pulled, pinhole, sights),
            fault is null ? null : $"{thing.Name}: {fault}.",
            [.. Lines(shot, thing, frame, InWorld(pulled, pose)).Where(l => !l.Hidden).Select(l => l.Points)]
        );
    }

    /// <summary>What is drawn of a thing: its mesh's edges where it has one, else the axes of its frame.</summary>
    public IReadOnlyList<OverlayLine> Lines(ShotDocument shot, MovingObject thing, int frame, Pose objectToWorld)
    {
        var (pose, pinhole) = engine.Camera(shot, frame);
        if (thing.Media is null)
        {
            return Overlays.Axes(pinhole, pose, objectToWorld);
        }
        // Seen from the thing's own space its mesh stands still.
        return Overlays.Wireframe(
            pinhole,
            InCamera(pose, objectToWorld),
            engine.Place.Set(
                shot with
                {
                    Pieces =
                    [
                        new Piece
                        {
                            Id = thing.Id,
                            Kind = PieceKind.Mesh,
                            Media = thing.Media,
                        },
                    ],
                }
            )
        );
    }

    /// <summary>Its place at a frame: as held there, else as followed; null while it has none.</summary>
    public static Pose? PlaceOf(MovingObject thing, int frame) => Held(thing, frame);

    /// <summary>Followed between its holds and beyond them through the shot's range.</summary>
    public MovingObject Follow(ShotDocument shot, string id, CancellationToken stop, Action<string, double> progress)
    {
        MovingObject thing = Need(shot, id);
        TriangleMesh mesh = Mesh(thing);
        MeshHold[] holds =
        [
            .. thing
                .Holds.Where(h => shot.Range.Contains(h.Frame))
                .Select(h => new MeshHold(h.Frame, Pose.FromRowMajor16(h.ObjectToWorld, out _)!.Value)),
        ];
        if (holds.Length == 0)
        {
            throw new ShotFault($"{thing.Name} is held in no frame of the range yet. Stand it where it belongs in one, and pin it.");
        }
        if (thing.Holds.FirstOrDefault(h => MeshPose.Fault([.. h.Pins.Select(p => p.Place)]) is not null) is { } loose)
        {
            throw new ShotFault($"{thing.Name}, frame {loose.Frame}: {MeshPose.Fault([.. loose.Pins.Select(p => p.Place)])}.");
        }
        ShotCamera camera = ShotCamera.Of(shot)
            ?? throw new ShotFault("The shot has no camera yet: a thing is followed against a solved camera.");
        // A stretch is walked from both its ends, so pictures are kept; large plates by a few.
        var pictures = new Store.Cache<GrayPyramid>(p => p.Levels.Sum(l => 4L * l.Width * l.Height));
        FollowResult r = MeshFollower.Follow(
            mesh,
            holds,
            shot.Range.First,
            shot.Range.Last,
            f => camera.TryAt(f, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null,
            f => pictures.Get($"{f}", () => engine.TrackWork.Picture(shot, f)),
            stop,
            part => progress("Following", part)
        );
        double[] errors = [.. r.Frames.Where(f => f is { Held: false, Points: > 0 }).Select(f => f.RmsPx)];
        return thing with
        {
            Frames =
            [
                .. r.Frames.Select(f => new ObjectPose(
                    f.Frame,
                    f.ObjectToWorld.ToRowMajor16(),
                    f.Held || double.IsNaN(f.RmsPx) ? null : Math.Round(f.RmsPx, 3)
                )),
            ],
            RmsPx = errors.Length == 0 ? 0 : Math.Sqrt(errors.Average(e => e * e)),
            Warnings = r.Warnings,
        };
    }

    /// <summary>Found from the features inside its matte, against the shot's camera.</summary>
    public MovingObject Solve(ShotDocument shot, string id, CancellationToken stop, Action<string, double> progress)
    {
        MovingObject thing = Need(shot, id);
        Matte matte = shot.Mattes.FirstOrDefault(m => m.Id == thing.Matte)
            ?? throw new ShotFault($"{thing.Name} has no matte. Draw one around it and name it.");
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        ShotCamera camera = ShotCamera.Of(shot)
            ?? throw new ShotFault("The shot has no camera yet: a thing is solved against a solved camera.");
        int first = shot.Range.First,
            last = shot.Range.Last;
        for (int f = first; f <= last; f++)
        {
            if (!camera.TryAt(f, out _, out _))
            {
                throw new ShotFault($"The camera has no sample for frame {f}. Shorten the range, or solve the camera over all of it.");
            }
        }
        camera.TryAt(first, out _, out Pinhole lens);
        if (
            Enumerable.Range(first, last - first + 1).Any(f => camera.TryAt(f, out _, out Pinhole p) && Math.Abs(p.Fx / lens.Fx - 1) > 1e-3)
        )
        {
            throw new ShotFault(
                $"{thing.Name}: the camera zooms, and a thing is found from its tracks only through one focal length. Bring its mesh in "
                    + "and hold that to the picture instead."
            );
        }
        Func<int, int, bool> Inside(int f)
        {
            double[] corners = MatteShape.At(matte, f);
            return (x, y) => MatteShape.Contains(corners, x + 0.5, y + 0.5);
        }
        var (tracks, _) = SolveWork.Follow(
            first,
            last,
            f => engine.TrackWork.Picture(shot, f),
            Inside,
            ObjectWork.Close,
            stop,
            (what, part) => progress(what, 0.5 * part)
        );
        ObjectResult r = ObjectSolver.Solve(
            tracks,
            first,
            last,
            f => camera.TryAt(f, out Pose p, out _) ? p : null,
            new()
            {
                Width = plate.Width,
                Height = plate.Height,
                FocalPx = lens.Fx,
                PixelAspect = lens.Fy / lens.Fx,
                Cx = lens.Cx,
                Cy = lens.Cy,
                Lens = lens.Lens,
            },
            thing.DistanceMetres,
            thing.DistanceMetres is null ? Floor(shot, camera, matte) : [],
            stop,
            (what, part) => progress(what, 0.5 + 0.5 * part)
        );
        if (!r.Solved)
        {
            throw new ShotFault($"{thing.Name}: {r.Reason}{(thing.Frames.Count > 0 ? " The path that was there stays." : "")}");
        }
        return thing with
        {
            Frames = [.. r.Frames.Select(f => new ObjectPose(f.Frame, f.ObjectToWorld.ToRowMajor16(), Math.Round(f.RmsPx, 3)))],
            RmsPx = r.RmsPx,
            SizeBy = r.SizeBy,
            SizeDoubt = r.SizeDoubt,
            Warnings = [],
        };
    }

    /// <summary>
    /// How far away the floor is under the matte's lower edge, in nine frames: y = 0 where a floor is named, else by the solve's still
    /// points.
    /// </summary>
    private List<FloorUnder> Floor(ShotDocument shot, ShotCamera camera, Matte matte)
    {
        Vec3[] still = engine.TrackWork.Solve(shot) is { Turning: false } s
            ? [.. s.Points.Select(p => camera.SourceToWorld.Apply(new(p.Position[0], p.Position[1], p.Position[2])))]
            : [];
        var floor = new List<FloorUnder>();
        for (int i = 0; i < 9; i++)
        {
            int f = shot.Range.First + (shot.Range.Last - shot.Range.First) * i / 8;
            double[] c = MatteShape.At(matte, f);
            if (!camera.TryAt(f, out Pose pose, out Pinhole pinhole) || c.Length < 6)
            {
                continue;
            }
            double[] xs = [.. c.Where((_, k) => k % 2 == 0)],
                ys = [.. c.Where((_, k) => k % 2 == 1)];
            double? depth = null;
            if (shot.Orientation.Floor.Count > 0)
            {
                depth = pinhole.TryFloor(pose, (xs.Min() + xs.Max()) / 2, ys.Max(), out _, out double far) && far < 1000 ? far : null;
            }
            else if (still.Length > 0)
            {
                depth = ObjectSolver.FloorDepth(still, pose, pinhole, (xs.Min(), ys.Min(), xs.Max(), ys.Max()));
            }
            if (depth is { } found)
            {
                floor.Add(new(f, found));
            }
        }
        return floor;
    }
}
