using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Solving;

/// <summary>One reading of a camera file.</summary>
/// <param name="Mirrored">The file's space is left-handed.</param>
/// <param name="Axes">Where the camera's own right, up and back lie among the file's camera axes: columns of a signed permutation.</param>
/// <param name="Matrix">Which way the file's matrix goes.</param>
/// <param name="Order">Angles' order: "xyz" turns about x first, then y, then z, each about the fixed axes; "" for matrices.</param>
public sealed record Convention(
    bool Mirrored,
    Matrix3 Axes,
    MatrixSense Matrix,
    string Order,
    bool Radians,
    bool FitHeight,
    int FrameOffset,
    double RateRatio,
    double K1
)
{
    private static string Axis(Vec3 v) =>
        Math.Abs(v.X) > 0.5 ? (v.X > 0 ? "+X" : "−X")
        : Math.Abs(v.Y) > 0.5 ? (v.Y > 0 ? "+Y" : "−Y")
        : v.Z > 0 ? "+Z"
        : "−Z";

    /// <summary>The axis of the file's own camera along which it looks, and that which is up in its picture.</summary>
    public string Viewing => Axis(InFile(-Axes.Column(2)));
    public string Up => Axis(InFile(Axes.Column(1)));

    /// <summary>A left-handed space is brought to ours by turning its z round.</summary>
    public Vec3 InFile(Vec3 ours) => Mirrored ? ours with { Z = -ours.Z } : ours;

    public string Name
    {
        get
        {
            var parts = new List<string> { $"{(Mirrored ? "left" : "right")}-handed, looks along {Viewing} with {Up} up" };
            if (Order.Length > 0)
            {
                parts.Add($"angles {Order} in {(Radians ? "radians" : "degrees")}");
            }
            else if (Matrix != MatrixSense.CameraToWorld)
            {
                parts.Add(Matrix == MatrixSense.WorldToCamera ? "world to camera" : "rotation transposed");
            }
            parts.Add($"fits the {(FitHeight ? "height" : "width")}");
            if (FrameOffset != 0)
            {
                parts.Add($"{FrameOffset:+0;−0} frames");
            }
            if (Math.Abs(RateRatio - 1) > 1e-9)
            {
                parts.Add($"rate × {RateRatio:0.####}");
            }
            return string.Join("; ", parts);
        }
    }

    /// <summary>How far from what most files have; of readings that nothing tells apart, the nearest stands for all.</summary>
    public int Oddity =>
        (Mirrored ? 4 : 0)
        + (Matrix == MatrixSense.CameraToWorld ? 0 : 5)
        + (
            Axes == Matrix3.Identity ? 0
            : Axes == VisionAxes ? 1
            : Math.Abs(Axes.M22) > 0.5 ? 8
            : 20
        )
        + (Radians ? 1 : 0)
        + (FitHeight ? 2 : 0)
        + Math.Abs(FrameOffset)
        + (RateRatio == 1 ? 0 : 3);

    /// <summary>Looks along +Z with y down.</summary>
    public static readonly Matrix3 VisionAxes = new(1, 0, 0, 0, -1, 0, 0, 0, -1);
}

public enum MatrixSense
{
    CameraToWorld,
    WorldToCamera,

    /// <summary>The rotation is transposed, the place is the camera's all the same.</summary>
    Transposed,
}

/// <summary>A class of readings that no track can tell apart.</summary>
public sealed record RankedConvention(Convention Convention, double ErrorPx, IReadOnlyList<Convention> SameToTracks);

/// <summary>Readings by error. <see cref="Margin"/>: how much worse the second is, as a fraction of the first.</summary>
public sealed record ConventionRanking(
    IReadOnlyList<RankedConvention> Ranking,
    double Margin,
    double BetterOn,
    bool Trusted,
    int Tracks,
    string Verdict
);

/// <summary>
/// Finds how a camera file is meant by the plate's own tracks: under each reading every track is placed by least squares on
/// its rays (Hartley and Zisserman 12.2) and its distance from where it was seen is taken. Found, not guessed: what tracks
/// cannot tell apart (a mirrored space seen by a mirrored camera) stands as one class.
/// </summary>
public sealed class ConventionFinder
{
    private const int MostTracks = 90,
        MostSights = 10,
        Kept = 40;
    private const double Hopeless = 500; // pixels
    private static readonly double[] Ratios = [1, 24 / 25.0, 25 / 24.0, 24 / 30.0, 30 / 24.0, 25 / 30.0, 30 / 25.0, 0.5, 2];
    private static readonly double[] Bends = [-0.25, -0.2, -0.15, -0.1, -0.06, -0.03, 0.03, 0.06, 0.1];
    private static readonly string[] Orders = ["xyz", "xzy", "yxz", "yzx", "zxy", "zyx"];
    private readonly RawCamera _camera;
    private readonly TrackPoint[][] _tracks;
    private readonly int _width,
        _height,
        _first,
        _last;
    private readonly CancellationToken _stop;

    private ConventionFinder(RawCamera camera, IReadOnlyList<Track> tracks, int width, int height, CancellationToken stop)
    {
        (_camera, _width, _height, _stop) = (camera, width, height, stop);
        Track[] longest =
        [
            .. tracks.Where(t => t.Points.Count >= 6).OrderByDescending(t => t.Points.Count).ThenBy(t => t.Id).Take(MostTracks),
        ];
        _tracks =
        [
            .. longest.Select(t =>
                t.Points.Count <= MostSights
                    ? [.. t.Points]
                    : Enumerable.Range(0, MostSights).Select(i => t.Points[i * (t.Points.Count - 1) / (MostSights - 1)]).ToArray()
            ),
        ];
        (_first, _last) = _tracks.Length == 0 ? (0, 0) : (_tracks.Min(t => t[0].Frame), _tracks.Max(t => t[^1].Frame));
    }

    /// <summary>Null and a reason where there is too little to tell anything by.</summary>
    public static ConventionRanking? Rank(
        RawCamera camera,
        IReadOnlyList<Track> tracks,
        int width,
        int height,
        out string? reason,
        CancellationToken stop = default
    )
    {
        reason = null;
        var finder = new ConventionFinder(camera, tracks, width, height, stop);
        if (finder._tracks.Length < 12)
        {
            reason =
                $"Only {finder._tracks.Length} tracks live for six frames or more; telling readings apart needs 12. The plate may have "
                + "too little texture, or be too short.";
        }
        else if (camera.Samples.Count < 2)
        {
            reason = "The camera has one sample; telling readings apart needs it to move over two or more frames.";
        }
        else if (
            camera.Samples.Any(s => !s.Position.IsFinite || !(s.Focal > 0) || !double.IsFinite(s.Focal) || s.Angles is { IsFinite: false })
        )
        {
            reason =
                "The camera holds a value that is not a number, or a focal length of 0, at frame "
                + $"{camera.Samples.First(s => !s.Position.IsFinite || !(s.Focal > 0) || !double.IsFinite(s.Focal) || s.Angles is { IsFinite: false }).Frame}.";
        }
        else
        {
            return finder.Run();
        }
        return null;
    }

    private ConventionRanking Run()
    {
        IEnumerable<(string Order, bool Radians, MatrixSense Sense)> turns = _camera.HasAngles
            ? Orders.SelectMany(o => new[] { (o, false, MatrixSense.CameraToWorld), (o, true, MatrixSense.CameraToWorld) })
            : [("", false, MatrixSense.CameraToWorld), ("", false, MatrixSense.WorldToCamera), ("", false, MatrixSense.Transposed)];
        // All readings of space and lens where frames are taken at their word; of those that come near, all offsets and rates.
        Convention[] plain =
        [
            .. from t in turns
            from mirrored in (bool[])[false, true]
            from axes in AllAxes
            from height in (bool[])[false, true]
            select new Convention(mirrored, axes, t.Sense, t.Order, t.Radians, height, 0, 1, 0),
        ];
        (Convention Convention, double Error)[] near =
        [
            .. Evaluate(plain).OrderBy(e => e.Error).ThenBy(e => e.Convention.Oddity).Take(Kept),
        ];
        // 24000/1001 against 24 shifts a frame in a thousand: over a short plate nothing could tell it.
        double[] ratios = _last - _first < 500 ? Ratios : [.. Ratios, 1001 / 1000.0, 1000 / 1001.0];
        near =
        [
            .. Evaluate([
                    .. from c in near
                    from offset in Enumerable.Range(-5, 11)
                    from ratio in ratios
                    select c.Convention with
                    {
                        FrameOffset = offset,
                        RateRatio = ratio,
                    },
                ])
                .OrderBy(e => e.Error)
                .ThenBy(e => e.Convention.Oddity)
                .Take(8 * Kept),
        ];
        if (_camera.Lens is null)
        {
            // A lens that the file does not have must not decide; it is bent until the best reading fits best, and all get the same.
            double bend = Evaluate([near[0].Convention, .. Bends.Select(k => near[0].Convention with { K1 = k })])
                .MinBy(e => e.Error)
                .Convention.K1;
            double step = 0.02;
            for (int i = 0; i < 5; i++, step /= 2)
            {
                bend = Evaluate([.. ((double[])[bend - step, bend, bend + step]).Select(k => near[0].Convention with { K1 = k })])
                    .MinBy(e => e.Error)
                    .Convention.K1;
            }
            near =
            [
                .. Evaluate([.. near.Select(n => n.Convention with { K1 = bend })]).OrderBy(e => e.Error).ThenBy(e => e.Convention.Oddity),
            ];
        }
        var classes = new List<RankedConvention>();
        foreach (var (convention, error) in near)
        {
            int at = classes.FindIndex(c => Math.Abs(c.ErrorPx - error) <= 1e-5 * error + 1e-9);
            if (at < 0)
            {
                classes.Add(new(convention, error, []));
                continue;
            }
            RankedConvention c = classes[at];
            Convention[] all = [.. c.SameToTracks, c.Convention, convention];
            Convention simplest = all.MinBy(x => x.Oddity)!;
            classes[at] = c with { Convention = simplest, SameToTracks = [.. all.Where(x => x != simplest)] };
        }
        RankedConvention best = classes[0];
        RankedConvention? second = classes.Skip(1).FirstOrDefault();
        double margin = second is null ? double.PositiveInfinity : second.ErrorPx / Math.Max(best.ErrorPx, 1e-6) - 1;
        double[] mine = Errors(best.Convention),
            other = second is null ? [] : Errors(second.Convention);
        double share = second is null ? 1 : (double)mine.Zip(other).Count(p => p.First < p.Second) / mine.Length;
        bool fits = best.ErrorPx < 0.005 * _width,
            apart = margin >= 0.15 && share >= 0.65;
        string verdict =
            !fits
                ? $"No reading fits: the best leaves {best.ErrorPx:0.0} px. The camera may belong to another plate or another take, or "
                    + "the plate's frames may be numbered differently by more than five."
            : apart ? $"The second reading is {100 * margin:0} % worse, on {100 * share:0} % of the tracks."
            : $"The second reading ({second!.Convention.Name}) is only {100 * margin:0} % worse; the footage does not tell them "
                + "apart. A longer or livelier part of the plate may, or the artist must.";
        return new([.. classes.Take(12)], margin, share, fits && apart, _tracks.Length, verdict);
    }

    private (Convention Convention, double Error)[] Evaluate(IReadOnlyList<Convention> conventions)
    {
        var result = new (Convention, double)[conventions.Count];
        Parallel.For(0, conventions.Count, Cores.Until(_stop), i =>
        {
            double[] errors = Errors(conventions[i]);
            Array.Sort(errors);
            // Tracks that follow nothing real fit no reading.
            result[i] = (conventions[i], errors[errors.Length / 2]);
        });
        return result;
    }

    /// <summary>The 24 ways to lay right, up and back onto axes without mirroring.</summary>
    private static readonly Matrix3[] AllAxes = [.. Signed()];

    private static IEnumerable<Matrix3> Signed()
    {
        Vec3[] units = [Vec3.UnitX, Vec3.UnitY, Vec3.UnitZ, -Vec3.UnitX, -Vec3.UnitY, -Vec3.UnitZ];
        return from right in units
            from up in units
            where Vec3.Dot(right, up) == 0
            select Matrix3.FromColumns(right, up, Vec3.Cross(right, up));
    }

    /// <summary>A sample's placement under a reading, in a right-handed space with our camera axes.</summary>
    public static Pose ToPose(RawCameraSample s, Convention c)
    {
        Matrix3 r = s.Rotation ?? FromAngles(s.Angles!.Value, c.Order, c.Radians);
        Vec3 p = s.Position;
        if (c.Matrix != MatrixSense.CameraToWorld)
        {
            r = r.Transpose();
        }
        if (c.Matrix == MatrixSense.WorldToCamera)
        {
            p = -(r * p);
        }
        if (c.Mirrored)
        {
            // S R S with S = diag(1, 1, −1).
            r = new(r.M11, r.M12, -r.M13, r.M21, r.M22, -r.M23, -r.M31, -r.M32, r.M33);
            p = p with { Z = -p.Z };
        }
        return new(r * c.Axes, p);
    }

    /// <summary>Turns about the fixed axes x, y, z by three angles, in the order given ("xyz": Rz Ry Rx).</summary>
    public static Matrix3 FromAngles(Vec3 angles, string order, bool radians)
    {
        double unit = radians ? 1 : Math.PI / 180;
        Matrix3 r = Matrix3.Identity;
        foreach (char axis in order)
        {
            r =
                axis switch
                {
                    'x' => Rotations.AboutX(angles.X * unit),
                    'y' => Rotations.AboutY(angles.Y * unit),
                    _ => Rotations.AboutZ(angles.Z * unit),
                } * r;
        }
        return r;
    }

    /// <summary>Focal length in pixels of the plate.</summary>
    public static double FocalPx(RawCamera camera, double focal, bool fitHeight, int width, int height) =>
        camera.FocalUnit switch
        {
            FocalUnit.Millimetres => fitHeight ? focal * height / camera.SensorHeightMm : focal * width / camera.SensorWidthMm,
            FocalUnit.Degrees => (fitHeight ? height : width) / (2 * Elementary.Tan(focal * Math.PI / 360)),
            _ => fitHeight ? focal * height / (camera.Height ?? height) : focal * width / (camera.Width ?? width),
        };

    /// <summary>Pose and focal length of the plate's frames under a reading; null where the file has no samples around one.</summary>
    public static (Pose Pose, double Focal)?[] Path(RawCamera camera, Convention c, int first, int last, int width, int height)
    {
        var samples = camera.Samples;
        var path = new (Pose, double)?[last - first + 1];
        double start = samples[0].Frame;
        int i = 0;
        for (int f = first; f <= last; f++)
        {
            // Rates meet at the file's first frame.
            double at = start + (f - start) * c.RateRatio + c.FrameOffset;
            if (at < samples[0].Frame - 1e-6 || at > samples[^1].Frame + 1e-6)
            {
                continue;
            }
            while (i + 1 < samples.Count && samples[i + 1].Frame <= at)
            {
                i++;
            }
            while (i > 0 && samples[i].Frame > at)
            {
                i--;
            }
            RawCameraSample a = samples[i],
                b = samples[Math.Min(i + 1, samples.Count - 1)];
            double t = b.Frame > a.Frame ? Math.Clamp((at - a.Frame) / (b.Frame - a.Frame), 0, 1) : 0;
            double focal = FocalPx(camera, a.Focal + (b.Focal - a.Focal) * t, c.FitHeight, width, height);
            path[f - first] = (t == 0 ? ToPose(a, c) : Pose.Interpolate(ToPose(a, c), ToPose(b, c), t), focal);
        }
        return path;
    }

    /// <summary>RMS distance of every track from where it was seen, when it is placed as well as may be.</summary>
    private double[] Errors(Convention c)
    {
        var path = Path(_camera, c, _first, _last, _width, _height);
        Lens lens = _camera.Lens ?? new Lens(c.K1);
        var errors = new double[_tracks.Length];
        Span<Vec3> rays = stackalloc Vec3[MostSights];
        for (int t = 0; t < _tracks.Length; t++)
        {
            errors[t] = Hopeless;
            TrackPoint[] sights = _tracks[t];
            int seen = 0;
            double xx = 0,
                xy = 0,
                xz = 0,
                yy = 0,
                yz = 0,
                zz = 0;
            Vec3 right = default,
                sum = default;
            for (int i = 0; i < sights.Length; i++)
            {
                rays[i] = default;
                if (path[sights[i].Frame - _first] is not { } at || !(at.Focal > 1))
                {
                    continue;
                }
                if (
                    !lens.TryUndistort(
                        (sights[i].X - _width / 2.0) / at.Focal,
                        (sights[i].Y - _height / 2.0) / at.Focal,
                        out double x,
                        out double y
                    )
                )
                {
                    continue;
                }
                Vec3 d = (at.Pose.Rotation * new Vec3(x, -y, -1)).Normalized(),
                    p = at.Pose.Position;
                rays[i] = d;
                seen++;
                sum += d;
                double a = 1 - d.X * d.X,
                    b = -d.X * d.Y,
                    e = -d.X * d.Z,
                    f = 1 - d.Y * d.Y,
                    g = -d.Y * d.Z,
                    h = 1 - d.Z * d.Z;
                (xx, xy, xz, yy, yz, zz) = (xx + a, xy + b, xz + e, yy + f, yz + g, zz + h);
                right += new Vec3(a * p.X + b * p.Y + e * p.Z, b * p.X + f * p.Y + g * p.Z, e * p.X + g * p.Y + h * p.Z);
            }
            if (seen < 0.6 * sights.Length || seen < 4)
            {
                continue;
            }
            Vec3 place = new Matrix3(xx, xy, xz, xy, yy, yz, xz, yz, zz).Inverse() * right;
            // Without parallax the rays meet in the camera; then the track is a direction.
            errors[t] = Math.Min(Off(place, false), Off(sum, true));

            double Off(Vec3 at, bool direction)
            {
                if (!at.IsFinite)
                {
                    return Hopeless;
                }
                double square = 0;
                int n = 0;
                foreach (TrackPoint s in sights)
                {
                    if (path[s.Frame - _first] is not { } from || !(from.Focal > 1))
                    {
                        continue;
                    }
                    Vec3 local = direction ? from.Pose.Rotation.Transpose() * at : from.Pose.ToLocal(at);
                    double e = Hopeless;
                    if (local.Z < -1e-9 && lens.TryDistort(local.X / -local.Z, local.Y / local.Z, out double x, out double y))
                    {
                        double dx = _width / 2.0 + from.Focal * x - s.X,
                            dy = _height / 2.0 + from.Focal * y - s.Y;
                        e = Math.Min(Hopeless, Math.Sqrt(dx * dx + dy * dy));
                    }
                    square += e * e;
                    n++;
                }
                return Math.Sqrt(square / n);
            }
        }
        return errors;
    }
}
