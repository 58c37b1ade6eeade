using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

/// <summary>A frame in which the mesh is held where it belongs.</summary>
public sealed record MeshHold(int Frame, Pose ObjectToWorld);

/// <summary>A mesh's place in a frame, and what it was found by; held frames are as they were held.</summary>
public sealed record FollowedFrame(int Frame, Pose ObjectToWorld, double RmsPx, int Points, int Edges, bool Held);

public sealed record FollowResult(IReadOnlyList<FollowedFrame> Frames, IReadOnlyList<string> Warnings);

/// <summary>
/// A known mesh that is held to the picture by hand in a few frames and followed in between: features of its visible surface
/// are followed through the picture and carry the mesh along, its creases and outline are drawn to the picture's edges near
/// them (Harris and Stennett 1990; Drummond and Cipolla 2002). Every stretch between two holds is followed from both and the
/// two are blended, so the mesh passes through each hold and settles anew when one is corrected.
/// </summary>
public sealed class MeshFollower
{
    private const int LeastPoints = 6;
    private const double TurnSigma = 0.025; // radians from one frame to the next, beyond the pace it has; the unit of weight is 1 px²
    private readonly TriangleMesh _mesh;
    private readonly MeshTree _tree;
    private readonly Edge[] _edges;
    private readonly Func<int, (Pose CameraToWorld, Pinhole Pinhole)?> _camera;
    private readonly Func<int, GrayPyramid> _picture;

    private sealed record Edge(Vector3 A, Vector3 B, Vector3 First, Vector3? Second, bool Crease);

    private readonly record struct Step(Pose ObjectToWorld, double RmsPx, int Points, int Edges);

    private MeshFollower(TriangleMesh mesh, Func<int, (Pose, Pinhole)?> camera, Func<int, GrayPyramid> picture)
    {
        (_mesh, _camera, _picture) = (mesh, camera, picture);
        _tree = new MeshTree(mesh);
        _edges = [.. Edges(mesh)];
    }

    /// <param name="mesh">In the object's own space, metres.</param>
    /// <param name="holds">At least one; beyond the first and the last the mesh is followed as far as the range goes.</param>
    /// <param name="camera">Placement and inner geometry at a frame; null where there is none.</param>
    public static FollowResult Follow(
        TriangleMesh mesh,
        IReadOnlyList<MeshHold> holds,
        int first,
        int last,
        Func<int, (Pose CameraToWorld, Pinhole Pinhole)?> camera,
        Func<int, GrayPyramid> picture,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        if (holds.Count == 0)
        {
            throw new ArgumentException("a mesh is followed from a frame in which it is held", nameof(holds));
        }
        MeshHold[] sorted = [.. holds.OrderBy(h => h.Frame)];
        var follower = new MeshFollower(mesh, camera, picture);
        var warnings = new List<string>();
        var result = new Dictionary<int, FollowedFrame>();
        int count = Math.Max(1, 2 * (sorted[^1].Frame - sorted[0].Frame) + sorted[0].Frame - first + last - sorted[^1].Frame),
            done = 0;
        Dictionary<int, Step> Walk(MeshHold from, int to)
        {
            Dictionary<int, Step> steps = follower.Walk(from, to, warnings, stop, () =>
                progress?.Invoke(Math.Min(1, (double)++done / count))
            );
            return steps;
        }
        foreach (MeshHold h in sorted)
        {
            result[h.Frame] = new(h.Frame, h.ObjectToWorld, 0, 0, 0, true);
        }
        foreach (var (f, s) in Walk(sorted[0], first))
        {
            result[f] = new(f, s.ObjectToWorld, s.RmsPx, s.Points, s.Edges, false);
        }
        foreach (var (f, s) in Walk(sorted[^1], last))
        {
            result[f] = new(f, s.ObjectToWorld, s.RmsPx, s.Points, s.Edges, false);
        }
        for (int i = 0; i + 1 < sorted.Length; i++)
        {
            MeshHold a = sorted[i],
                b = sorted[i + 1];
            if (b.Frame - a.Frame < 2)
            {
                continue;
            }
            Dictionary<int, Step> there = Walk(a, b.Frame),
                back = Walk(b, a.Frame);
            Blend(a, b, there, back, result);
        }
        return new([.. result.Values.OrderBy(f => f.Frame)], [.. warnings.Distinct()]);
    }

    /// <summary>
    /// What one walk lacks at the other's hold is drift, and drift grows along the way: each walk is corrected in proportion to the
    /// frames it has gone, then the two are mixed by nearness. A walk that was lost leaves it to the other.
    /// </summary>
    private static void Blend(
        MeshHold a,
        MeshHold b,
        Dictionary<int, Step> there,
        Dictionary<int, Step> back,
        Dictionary<int, FollowedFrame> result
    )
    {
        Pose Corrected(Dictionary<int, Step> walk, int f, MeshHold from, MeshHold to)
        {
            Pose p = walk[f].ObjectToWorld;
            if (!walk.TryGetValue(to.Frame, out Step end))
            {
                return p;
            }
            double t = (double)Math.Abs(f - from.Frame) / Math.Abs(to.Frame - from.Frame);
            Matrix3 turn = to.ObjectToWorld.Rotation * end.ObjectToWorld.Rotation.Transpose();
            return new(
                Rotations.Interpolate(Matrix3.Identity, turn, t) * p.Rotation,
                p.Position + t * (to.ObjectToWorld.Position - end.ObjectToWorld.Position)
            );
        }
        for (int f = a.Frame + 1; f < b.Frame; f++)
        {
            bool one = there.ContainsKey(f),
                two = back.ContainsKey(f);
            double t = (double)(f - a.Frame) / (b.Frame - a.Frame),
                mix = t * t * (3 - 2 * t);
            if (!one && !two)
            {
                result[f] = new(f, Pose.Interpolate(a.ObjectToWorld, b.ObjectToWorld, t), double.NaN, 0, 0, false);
                continue;
            }
            Step s = one && (!two || mix < 0.5) ? there[f] : back[f];
            Pose pose =
                !two ? Corrected(there, f, a, b)
                : !one ? Corrected(back, f, b, a)
                : Pose.Interpolate(Corrected(there, f, a, b), Corrected(back, f, b, a), mix);
            result[f] = new(f, pose, s.RmsPx, s.Points, s.Edges, false);
        }
    }

    /// <summary>From a hold towards a frame, that frame included; ends early where the mesh is lost, which is told.</summary>
    private Dictionary<int, Step> Walk(MeshHold hold, int to, List<string> warnings, CancellationToken stop, Action progress)
    {
        var steps = new Dictionary<int, Step>();
        int direction = Math.Sign(to - hold.Frame);
        if (direction == 0)
        {
            return steps;
        }
        var tracker = new PointTracker(
            new()
            {
                Count = 160,
                Distance = 5,
                Radius = 7,
            }
        );
        var places = new Dictionary<int, Vec3>();
        var lost = new HashSet<int>();
        Pose now = hold.ObjectToWorld;
        (Matrix3 Turn, Vec3 Shift) pace = (Matrix3.Identity, Vec3.Zero);
        for (int f = hold.Frame; ; f += direction)
        {
            stop.ThrowIfCancellationRequested();
            if (_camera(f) is not { } c)
            {
                warnings.Add($"The camera has no sample at frame {f}; the thing is followed up to there.");
                return steps;
            }
            // As it moved lately, it goes on.
            var guess = new Pose(pace.Turn * now.Rotation, now.Position + pace.Shift);
            Pose inCamera = InCamera(guess, c.CameraToWorld);
            if (f == hold.Frame)
            {
                inCamera = InCamera(now, c.CameraToWorld);
            }
            GrayPyramid picture = _picture(f);
            tracker.Advance(f, picture);
            if (f != hold.Frame)
            {
                Matrix3 expected = inCamera.Rotation;
                MeshSight[] seen = Seen(tracker, places, f);
                EdgeSight[] edges;
                if (seen.Length >= LeastPoints)
                {
                    inCamera = MeshPose.Refine(inCamera, c.Pinhole, seen, [], 1.5, steps: 30, turnSigma: TurnSigma);
                }
                edges = FindEdges(inCamera, c.Pinhole, picture.Levels[0]);
                if (seen.Length < LeastPoints && edges.Length < 30)
                {
                    warnings.Add(
                        $"Frame {f}: only {seen.Length} places and {edges.Length} spots of edges of the thing are seen. Hold it there by hand, "
                            + "or turn to where it is sharper."
                    );
                    return steps;
                }
                for (int round = 0; round < 2; round++)
                {
                    inCamera = MeshPose.Refine(
                        new(expected, inCamera.Position),
                        c.Pinhole,
                        seen,
                        edges,
                        1,
                        steps: 15,
                        turnSigma: TurnSigma
                    );
                    edges = FindEdges(inCamera, c.Pinhole, picture.Levels[0]);
                }
                Pose before = now;
                now = new(c.CameraToWorld.Rotation * inCamera.Rotation, c.CameraToWorld.ToWorld(inCamera.Position));
                pace = (
                    Rotations.Interpolate(pace.Turn, now.Rotation * before.Rotation.Transpose(), 0.4),
                    pace.Shift + 0.5 * (now.Position - before.Position - pace.Shift)
                );
                double[] errors = [.. seen.Select(s => MeshPose.Error(inCamera, c.Pinhole, s)).Order()];
                if (errors.Length >= LeastPoints && errors[errors.Length / 2] > 4)
                {
                    warnings.Add(
                        $"Frame {f}: the places seen lie {errors[errors.Length / 2]:0.0} px off the mesh. It may bend, or be another shape; "
                            + "hold it there by hand."
                    );
                    // Before it was told, it was going astray already.
                    for (int k = 1; k <= 4; k++)
                    {
                        steps.Remove(f - k * direction);
                    }
                    return steps;
                }
                // What does not go along is something else that passes before it.
                foreach (Track t in tracker.Tracks)
                {
                    if (
                        t.TryAt(f, out TrackPoint at)
                        && places.TryGetValue(t.Id, out Vec3 p)
                        && MeshPose.Error(inCamera, c.Pinhole, new(p, at.X, at.Y)) > 4
                    )
                    {
                        places.Remove(t.Id);
                        lost.Add(t.Id);
                    }
                }
                steps[f] = new(now, errors.Length == 0 ? 0 : Math.Sqrt(errors.Average(e => e * e)), seen.Length, edges.Length);
                progress();
            }
            tracker.Find(Inside(inCamera, c.Pinhole, picture.Levels[0].Width, picture.Levels[0].Height));
            Place(tracker, places, lost, f, inCamera, c.Pinhole);
            if (f == to)
            {
                return steps;
            }
        }
    }

    private static Pose InCamera(Pose objectToWorld, Pose cameraToWorld) =>
        new(cameraToWorld.Rotation.Transpose() * objectToWorld.Rotation, cameraToWorld.ToLocal(objectToWorld.Position));

    private static MeshSight[] Seen(PointTracker tracker, Dictionary<int, Vec3> places, int frame) =>
        [
            .. tracker
                .Tracks.Where(t => places.ContainsKey(t.Id))
                .Select(t => (Live: t.TryAt(frame, out TrackPoint at), Track: t, At: at))
                .Where(t => t.Live)
                .Select(t => new MeshSight(places[t.Track.Id], t.At.X, t.At.Y)),
        ];

    private Ray RayTo(Pose inCamera, Vec3 direction) =>
        new(inCamera.ToLocal(Vec3.Zero).ToSingle(), (inCamera.Rotation.Transpose() * direction).ToSingle());

    /// <summary>Tracks that were found in this frame get their place on the mesh.</summary>
    private void Place(PointTracker tracker, Dictionary<int, Vec3> places, HashSet<int> lost, int frame, Pose inCamera, Pinhole pinhole)
    {
        foreach (Track t in tracker.Tracks)
        {
            if (
                places.ContainsKey(t.Id)
                || lost.Contains(t.Id)
                || t.Points.Count != 1
                || t.Points[0].Frame != frame
                || !pinhole.TryDirection(t.Points[0].X, t.Points[0].Y, out Vec3 d)
            )
            {
                continue;
            }
            Ray ray = RayTo(inCamera, d.Normalized());
            Hit hit = _tree.Intersect(ray);
            if (hit.IsHit)
            {
                places[t.Id] = Vec3.From(ray.At(hit.T));
            }
        }
    }

    /// <summary>Whether a pixel, and those around it, show the mesh: looked up in a map of quarter size.</summary>
    private Func<int, int, bool> Inside(Pose inCamera, Pinhole pinhole, int width, int height)
    {
        const int cell = 4;
        int w = (width + cell - 1) / cell,
            h = (height + cell - 1) / cell;
        var map = new bool[w * h];
        (int left, int top, int right, int bottom) = Extent(inCamera, pinhole, w, h, cell);
        Parallel.For(top, bottom, Cores.All, y =>
        {
            for (int x = left; x < right; x++)
            {
                map[y * w + x] =
                    pinhole.TryDirection((x + 0.5) * cell, (y + 0.5) * cell, out Vec3 d) && _tree.Occluded(RayTo(inCamera, d.Normalized()));
            }
        });
        bool At(int x, int y) => x >= 0 && y >= 0 && x < w && y < h && map[y * w + x];
        return (x, y) =>
            At(x / cell, y / cell)
            && At((x - cell) / cell, y / cell)
            && At((x + cell) / cell, y / cell)
            && At(x / cell, (y - cell) / cell)
            && At(x / cell, (y + cell) / cell);
    }

    private (int Left, int Top, int Right, int Bottom) Extent(Pose inCamera, Pinhole pinhole, int w, int h, int cell)
    {
        double left = double.PositiveInfinity,
            top = left,
            right = double.NegativeInfinity,
            bottom = right;
        for (int corner = 0; corner < 8; corner++)
        {
            var p = new Vec3(
                (corner & 1) == 0 ? _tree.Min.X : _tree.Max.X,
                (corner & 2) == 0 ? _tree.Min.Y : _tree.Max.Y,
                (corner & 4) == 0 ? _tree.Min.Z : _tree.Max.Z
            );
            if (!pinhole.TryProject(inCamera.ToWorld(p), out double x, out double y))
            {
                return (0, 0, w, h);
            }
            (left, top, right, bottom) = (Math.Min(left, x), Math.Min(top, y), Math.Max(right, x), Math.Max(bottom, y));
        }
        return (
            Math.Clamp((int)(left / cell), 0, w),
            Math.Clamp((int)(top / cell), 0, h),
            Math.Clamp((int)(right / cell) + 1, 0, w),
            Math.Clamp((int)(bottom / cell) + 1, 0, h)
        );
    }

    /// <summary>
    /// The picture's edges next to the mesh's visible creases and outline: along each one's normal, the steepest change of brightness
    /// nearby.
    /// </summary>
    private EdgeSight[] FindEdges(Pose inCamera, Pinhole pinhole, GrayImage picture)
    {
        Vec3 eye = inCamera.ToLocal(Vec3.Zero);
        var found = new List<EdgeSight>();
        foreach (Edge e in _edges)
        {
            bool first = Facing(e.First, e.A, eye),
                second = e.Second is { } n && Facing(n, e.A, eye);
            if ((!first && !second) || (!e.Crease && first == second))
            {
                continue;
            }
            Vec3 a = Vec3.From(e.A),
                b = Vec3.From(e.B);
            if (
                !pinhole.TryProject(inCamera.ToWorld(a), out double ax, out double ay)
                || !pinhole.TryProject(inCamera.ToWorld(b), out double bx, out double by)
            )
            {
                continue;
            }
            double length = Math.Sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay));
            if (length < 3)
            {
                continue;
            }
            int spots = Math.Clamp((int)(length / 6), 1, 40);
            double nx = -(by - ay) / length,
                ny = (bx - ax) / length;
            for (int i = 0; i < spots && found.Count < 400; i++)
            {
                Vec3 place = a + (i + 0.5) / spots * (b - a);
                Vec3 toward = eye - place;
                double distance = toward.Length;
                // A little off the surface, so that its own faces do not hide it.
                if (
                    _tree.Occluded(
                        new Ray((place + 0.004 * toward).ToSingle(), (toward / distance).ToSingle(), 0, (float)(0.99 * distance))
                    )
                )
                {
                    continue;
                }
                if (
                    !pinhole.TryProject(inCamera.ToWorld(place), out double x, out double y)
                    || x < 8
                    || y < 8
                    || x > pinhole.Width - 8
                    || y > pinhole.Height - 8
                )
                {
                    continue;
                }
                if (PictureEdges.Steepest(picture, x - 0.5, y - 0.5, nx, ny) is { } s)
                {
                    found.Add(new(place, x + s * nx, y + s * ny, nx, ny));
                }
            }
        }
        return [.. found];
    }

    private static bool Facing(Vector3 normal, Vector3 at, Vec3 eye) => Vector3.Dot(normal, eye.ToSingle() - at) > 0;

    /// <summary>
    /// Edges where two faces meet at more than 25° or a surface ends; of meshes that are not too fine also the others, which may become
    /// outline. Corners at one place count as one.
    /// </summary>
    private static IEnumerable<Edge> Edges(TriangleMesh mesh)
    {
        int[] corner = mesh.Welded(out _);
        var edges = new Dictionary<(int, int), (Vector3 A, Vector3 B, Vector3 First, Vector3? Second)>();
        for (int i = 0; i < mesh.TriangleCount; i++)
        {
            var (a, b, c) = mesh.Triangle(i);
            Vector3 n = Vector3.Cross(b - a, c - a);
            if (n.LengthSquared() < 1e-20f)
            {
                continue;
            }
            n = Vector3.Normalize(n);
            for (int k = 0; k < 3; k++)
            {
                int p = mesh.Indices[3 * i + k],
                    q = mesh.Indices[3 * i + (k + 1) % 3],
                    u = corner[p],
                    v = corner[q];
                if (u == v)
                {
                    continue;
                }
                var key = u < v ? (u, v) : (v, u);
                edges[key] = edges.TryGetValue(key, out var e)
                    ? e with
                    {
                        Second = e.Second ?? n,
                    }
                    : (mesh.Positions[p], mesh.Positions[q], n, null);
            }
        }
        float crease = ElementaryF.Cos(25 * MathF.PI / 180);
        bool fine = mesh.TriangleCount > 20000;
        return edges
            .Values.Select(e => new Edge(e.A, e.B, e.First, e.Second, e.Second is not { } s || Vector3.Dot(e.First, s) < crease))
            .Where(e => e.Crease || !fine);
    }
}
