using MathNet.Numerics.LinearAlgebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

/// <summary>The lower edge of a thing's matte in a frame, and the depth along the camera's axis of the floor that is seen there.</summary>
public readonly record struct FloorUnder(int Frame, double Depth);

/// <summary>A thing's frame at a shot frame: it goes from the object's own space to the world.</summary>
public sealed record ObjectFrame(int Frame, Pose ObjectToWorld, double RmsPx, int Tracks);

public sealed record ObjectResult
{
    public required bool Solved { get; init; }
    public string Reason { get; init; } = "";
    public double RmsPx { get; init; }
    public IReadOnlyList<ObjectFrame> Frames { get; init; } = [];

    /// <summary>Places in the object's own space; its origin is their middle, its axes are the world's in the first frame.</summary>
    public IReadOnlyList<SolvedPoint> Points { get; init; } = [];
    public IReadOnlyList<LeftOutTrack> LeftOut { get; init; } = [];

    /// <summary>How the object's size was found, and its standard deviation as a fraction.</summary>
    public string SizeBy { get; init; } = "";
    public double SizeDoubt { get; init; }
}

/// <summary>
/// A rigid thing that moves on its own, from tracks upon it and a solved camera. Camera and object make one relative pose
/// (M = camera⁻¹ · object), so the thing's tracks are solved as if it stood still and the camera moved about it; the solved
/// camera then takes that back to the world. Its size is the one thing this leaves open: with a wrong size the camera's own
/// sway shows in the thing's path (<see cref="Smoothest"/>), and with the right one it stands on the floor under its matte
/// (<see cref="Standing"/>): the surer of the two is taken, and told.
/// </summary>
public static class ObjectSolver
{
    private const double Margin = 2; // pixels by which a matte goes beyond its thing, at least

    /// <param name="tracks">Tracks on the object only.</param>
    /// <param name="camera">The camera's placement at a frame; null where it has none.</param>
    /// <param name="floor">Where the thing meets the floor in some frames, and how far away the floor is there.</param>
    /// <param name="distance">Distance from the camera to the object's middle in its first frame, where known, in the world's unit.</param>
    public static ObjectResult Solve(
        IReadOnlyList<Track> tracks,
        int first,
        int last,
        Func<int, Pose?> camera,
        SolveSettings settings,
        double? distance = null,
        IReadOnlyList<FloorUnder>? floor = null,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        if (settings.FocalPx is null)
        {
            throw new ArgumentException("an object is solved against a camera whose focal length is known", nameof(settings));
        }
        for (int f = first; f <= last; f++)
        {
            if (camera(f) is null)
            {
                return Failed($"The camera has no sample at frame {f}. Solve or bring the camera over all frames first.");
            }
        }
        if (tracks.Count(t => t.Points.Count >= 5) < 20)
        {
            return Failed(
                $"Only {tracks.Count(t => t.Points.Count >= 5)} tracks live for five frames or more inside the matte; a thing needs 20. "
                    + "It may be too small, too smooth or too blurred: widen the matte, or hold a mesh of it to the picture by hand."
            );
        }
        SolveResult relative = CameraSolver.Travelling(
            tracks,
            first,
            last,
            settings with
            {
                RefineLens = Intrinsics.None,
                HoldOutEvery = 0,
            },
            stop,
            progress
        );
        if (!relative.Solved)
        {
            return Failed(
                relative.Reason.Contains("turns but does not travel", StringComparison.Ordinal)
                    ? "The thing hardly moves against the camera, so nothing tells its shape. Take a longer part of the range, or give it "
                        + "the camera's own world."
                    : relative.Reason.Replace("The camera", "The thing", StringComparison.Ordinal)
            );
        }
        // The object's middle, seen from the camera, in the relative solve's unit.
        Vec3 middle = Median(relative.Points);
        Vec3[] inCamera = [.. relative.Frames.Select(f => f.CameraToWorld.ToLocal(middle))];
        Pose[] cameras = [.. relative.Frames.Select(f => camera(f.Frame)!.Value)];
        Vec3[] arms = [.. cameras.Zip(inCamera).Select(p => p.First.Rotation * p.Second)];
        double size,
            doubt = 0;
        string by;
        if (distance is { } known)
        {
            if (!(known > 0) || !double.IsFinite(known))
            {
                return Failed("The distance to the thing must be more than 0.");
            }
            (size, by) = (known / arms[0].Length, "its distance in the first frame");
        }
        else
        {
            var smooth = Smoothest([.. cameras.Select(c => c.Position)], arms);
            var standing = Standing(relative, floor ?? []);
            (size, doubt, by) =
                standing.Doubt < smooth.Doubt || !(smooth.Size > 0)
                    ? (standing.Size, standing.Doubt, "standing on the floor under its matte")
                    : (smooth.Size, smooth.Doubt, "the smoothest path");
            if (!(size > 0) || doubt > 0.5)
            {
                return Failed(
                    "Neither the thing's path nor the floor under its matte tells how large it is. Give its distance from the camera in the first frame."
                );
            }
        }
        // The object's axes are the world's in the first frame.
        Matrix3 toObject = cameras[0].Rotation * relative.Frames[0].CameraToWorld.Rotation.Transpose();
        var frames = new ObjectFrame[relative.Frames.Count];
        for (int i = 0; i < frames.Length; i++)
        {
            SolvedFrame f = relative.Frames[i];
            Matrix3 turn = cameras[i].Rotation * f.CameraToWorld.Rotation.Transpose() * toObject.Transpose();
            frames[i] = new(f.Frame, new(turn, cameras[i].Position + size * arms[i]), f.RmsPx, f.Tracks);
        }
        return new()
        {
            Solved = true,
            RmsPx = relative.RmsPx,
            Frames = frames,
            Points = [.. relative.Points.Select(p => p with { Position = toObject * ((p.Position - middle) * size), Covariance = null })],
            LeftOut = relative.LeftOut,
            SizeBy = by,
            SizeDoubt = doubt,
        };
    }

    private static ObjectResult Failed(string reason) => new() { Solved = false, Reason = reason };

    private static Vec3 Median(IReadOnlyList<SolvedPoint> points)
    {
        double Of(Func<Vec3, double> axis) => points.Select(p => axis(p.Position)).Order().ElementAt(points.Count / 2);
        return new(Of(p => p.X), Of(p => p.Y), Of(p => p.Z));
    }

    /// <summary>
    /// The size that brings the thing's lowest tracks to the depth of the floor under its matte: median over frames, doubt by their spread
    /// and 3 % for what hangs above the floor.
    /// </summary>
    private static (double Size, double Doubt) Standing(SolveResult relative, IReadOnlyList<FloorUnder> floor)
    {
        var sizes = new List<double>();
        foreach (FloorUnder at in floor)
        {
            if (relative.Frames.FirstOrDefault(f => f.Frame == at.Frame) is not { } frame)
            {
                continue;
            }
            Vec3[] lowest =
            [
                .. relative
                    .Points.Select(p => frame.CameraToWorld.ToLocal(p.Position))
                    .Where(p => p.Z < 0)
                    .OrderBy(p => p.Y / -p.Z)
                    .Take(Math.Max(3, relative.Points.Count / 30)),
            ];
            if (lowest.Length > 0)
            {
                sizes.Add(at.Depth / lowest.Select(p => -p.Z).Order().ElementAt(lowest.Length / 2));
            }
        }
        if (sizes.Count < 3)
        {
            return (double.NaN, double.PositiveInfinity);
        }
        sizes.Sort();
        double middle = sizes[sizes.Count / 2],
            spread = 1.4826 * sizes.Select(s => Math.Abs(s - middle)).Order().ElementAt(sizes.Count / 2) / middle;
        return (middle, Math.Sqrt(0.03 * 0.03 + spread * spread / sizes.Count));
    }

    /// <summary>
    /// The floor's depth at the lower edge of a matte: of the still points around that edge, the plane that most of them lie in
    /// and that lies as a floor does for a camera held roughly level (random sampling, then least squares), met by the edge's ray.
    /// Null where fewer than eight points lie in one.
    /// </summary>
    /// <param name="box">The matte's extent in the frame, pixels.</param>
    public static double? FloorDepth(
        IReadOnlyList<Vec3> still,
        Pose camera,
        Pinhole pinhole,
        (double Left, double Top, double Right, double Bottom) box
    )
    {
        double w = box.Right - box.Left,
            h = box.Bottom - box.Top;
        Vec3[] seen =
        [
            .. still
                .Select(camera.ToLocal)
                .Where(c =>
                    pinhole.TryProject(c, out double x, out double y)
                    && x > box.Left - w
                    && x < box.Right + w
                    && y > box.Bottom - 0.15 * h
                    && y < box.Bottom + 0.8 * h
                ),
        ];
        if (seen.Length < 8 || !pinhole.TryDirection((box.Left + box.Right) / 2, box.Bottom - Margin, out Vec3 foot))
        {
            return null;
        }
        var random = new Random(1);
        (int Count, Vec3 Normal, double Offset) best = (0, default, 0);
        // What lies within a hundredth of its distance lies in it.
        bool In(Vec3 normal, double offset, Vec3 p) => Math.Abs(Vec3.Dot(normal, p) - offset) < 0.01 * -p.Z;
        for (int trial = 0; trial < 600; trial++)
        {
            Vec3 a = seen[random.Next(seen.Length)],
                normal = Vec3.Cross(seen[random.Next(seen.Length)] - a, seen[random.Next(seen.Length)] - a).Normalized();
            if (!normal.IsFinite)
            {
                continue;
            }
            if (normal.Y < 0)
            {
                normal = -normal;
            }
            // Within 35° of the camera's own up, and under it.
            double offset = Vec3.Dot(normal, a);
            if (normal.Y < 0.82 || offset >= 0)
            {
                continue;
            }
            int count = seen.Count(p => In(normal, offset, p));
            if (count > best.Count)
            {
                best = (count, normal, offset);
            }
        }
        if (best.Count < 8 || PlaneFit.Fit([.. seen.Where(p => In(best.Normal, best.Offset, p))], out _) is not { } floor)
        {
            return null;
        }
        double along = Vec3.Dot(floor.Normal, foot);
        double depth = along != 0 ? floor.Offset / along : double.NaN;
        return depth > 0 ? depth : null;
    }

    /// <summary>
    /// The size s for which the path C + s d keeps closest to a smooth curve (Legendre polynomials over the range, a few for
    /// every two seconds or so at 24 a second): with what such a curve leaves of C and of d, s = −Σ r_C·r_d ÷ Σ r_d². Its doubt
    /// is the usual one of a regression, with one independent value in four frames.
    /// </summary>
    public static (double Size, double Doubt) Smoothest(IReadOnlyList<Vec3> camera, IReadOnlyList<Vec3> arm)
    {
        int count = camera.Count,
            degree = 3 + count / 40;
        if (count < 3 * degree)
        {
            return (double.NaN, double.PositiveInfinity);
        }
        var basis = Matrix<double>.Build.Dense(count, degree + 1, (i, k) => Legendre(k, 2.0 * i / (count - 1) - 1));
        Matrix<double> Left(IReadOnlyList<Vec3> path)
        {
            var m = Matrix<double>.Build.Dense(count, 3, (i, c) => c == 0 ? path[i].X
                : c == 1 ? path[i].Y
                : path[i].Z);
            return m - basis * basis.QR().Solve(m);
        }
        Matrix<double> c = Left(camera),
            d = Left(arm);
        double cross = 0,
            square = 0,
            own = 0;
        for (int i = 0; i < count; i++)
        {
            // Along the line of sight the arm is least sure; across it is what the picture shows.
            Vec3 sight = arm[i].Normalized(),
                a = new(c[i, 0], c[i, 1], c[i, 2]),
                b = new(d[i, 0], d[i, 1], d[i, 2]);
            (a, b) = (a - sight * Vec3.Dot(a, sight), b - sight * Vec3.Dot(b, sight));
            (cross, square, own) = (cross + Vec3.Dot(a, b), square + Vec3.Dot(b, b), own + Vec3.Dot(a, a));
        }
        if (!(square > 0))
        {
            return (double.NaN, double.PositiveInfinity);
        }
        double size = -cross / square,
            residual = Math.Max(0, own - cross * cross / square);
        return (size, Math.Sqrt(residual / square / Math.Max(1, 2 * count / 4.0 - 2 * degree)) / Math.Abs(size));

        static double Legendre(int k, double x)
        {
            double a = 1,
                b = x;
            if (k == 0)
            {
                return a;
            }
            for (int n = 1; n < k; n++)
            {
                (a, b) = (b, ((2 * n + 1) * x * b - n * a) / (n + 1));
            }
            return b;
        }
    }
}
