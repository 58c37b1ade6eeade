using System.IO.Compression;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;

namespace Plenk.Formats.Cameras;

/// <summary>Tracks and solves as the media store keeps them: JSON, compressed (docs/shot-document.md).</summary>
public static class TrackFile
{
    private static readonly JsonSerializerOptions Json = new(JsonSerializerDefaults.Web);

    private sealed record StoredTrack(int Id, int First, double[] X, double[] Y, string Ended, string Began, bool ByHand);

    public static byte[] Write(IReadOnlyList<Track> tracks) =>
        Pack(
            tracks.Select(t => new StoredTrack(
                t.Id,
                t.Points[0].Frame,
                [.. t.Points.Select(p => Math.Round(p.X, 4))],
                [.. t.Points.Select(p => Math.Round(p.Y, 4))],
                t.Ended,
                t.Began,
                t.ByHand
            ))
        );

    public static IReadOnlyList<Track> Read(byte[] bytes) =>
        [
            .. Unpack<StoredTrack[]>(bytes)
                .Select(s =>
                {
                    var track = new Track(s.Id)
                    {
                        Ended = s.Ended,
                        Began = s.Began,
                        ByHand = s.ByHand,
                    };
                    for (int i = 0; i < s.X.Length; i++)
                    {
                        track.Points.Add(new(s.First + i, s.X[i], s.Y[i]));
                    }
                    return track;
                }),
        ];

    /// <summary>Kept tracks for a plate of another size.</summary>
    public static byte[] Sized(byte[] bytes, double across, double down)
    {
        IReadOnlyList<Track> tracks = Read(bytes);
        foreach (Track t in tracks)
        {
            for (int i = 0; i < t.Points.Count; i++)
            {
                t.Points[i] = t.Points[i] with { X = across * t.Points[i].X, Y = down * t.Points[i].Y };
            }
        }
        return Write(tracks);
    }

    public sealed record StoredFrame(
        int Frame,
        double[] CameraToWorld,
        double RmsPx,
        int Tracks,
        double TurnDoubtDegrees,
        double ShiftDoubt,
        double Zoom = 1
    );

    public sealed record StoredPoint(int Track, double[] Position, double RmsPx, int Seen, double[]? Covariance);

    public sealed record StoredSolve(
        bool Turning,
        double RmsPx,
        double FocalPx,
        double FocalDoubtPx,
        double Aspect,
        double Cx,
        double Cy,
        double K1,
        double K2,
        int Width,
        int Height,
        StoredFrame[] Frames,
        StoredPoint[] Points,
        LeftOutTrack[] LeftOut,
        HeldOutReport? HeldOut,
        BundleReport? Report,
        StoredCovariance? Covariance,
        bool Zooms = false
    )
    {
        /// <summary>
        /// Its cameras and points in another space. <see cref="Doubts"/> is asked of the solve as it was made: its covariance stays in its own.
        /// </summary>
        public StoredSolve Moved(Similarity map) =>
            this with
            {
                Frames =
                [
                    .. Frames.Select(f =>
                        f with
                        {
                            CameraToWorld = Pose.FromRowMajor16(f.CameraToWorld, out _)!.Value.Moved(map).ToRowMajor16(),
                            ShiftDoubt = map.Scale * f.ShiftDoubt,
                        }
                    ),
                ],
                Points =
                [
                    .. Points.Select(p =>
                    {
                        Vec3 at = map.Apply(new(p.Position[0], p.Position[1], p.Position[2]));
                        return p with { Position = [at.X, at.Y, at.Z], Covariance = p.Covariance is { } c ? Turned(c, map) : null };
                    }),
                ],
                Covariance = null,
            };

        /// <summary>s² R C Rᵀ, the upper half of a symmetric C as xx, xy, xz, yy, yz, zz.</summary>
        private static double[] Turned(double[] c, Similarity map)
        {
            Matrix3 full = new(c[0], c[1], c[2], c[1], c[3], c[4], c[2], c[4], c[5]),
                t = map.Rotation * full * map.Rotation.Transpose();
            double s = map.Scale * map.Scale;
            return [s * t.M11, s * t.M12, s * t.M13, s * t.M22, s * t.M23, s * t.M33];
        }

        /// <summary>The views' and the lens' covariance again, for what is asked of it later; null where the solve had none.</summary>
        public BundleCovariance? Doubts()
        {
            if (Covariance is null)
            {
                return null;
            }
            var problem = new BundleProblem { PointsAreDirections = Turning };
            problem.Groups.Add(
                new()
                {
                    Focal = FocalPx,
                    Aspect = Aspect,
                    Cx = Cx,
                    Cy = Cy,
                    K1 = K1,
                    K2 = K2,
                    Refine = (Intrinsics)Covariance.Refined,
                }
            );
            foreach (StoredFrame f in Frames)
            {
                problem.Views.Add(
                    new()
                    {
                        CameraToWorld = Pose.FromRowMajor16(f.CameraToWorld, out _)!.Value,
                        HoldPosition = Turning,
                        Zoom = f.Zoom,
                        FreeZoom = Zooms,
                        Fixed = problem.Views.Count == 0,
                    }
                );
            }
            return BundleCovariance.Restore(problem, Covariance.Lower, Covariance.Sigma);
        }
    }

    public sealed record StoredCovariance(float[] Lower, int Refined, double Sigma);

    public static byte[] Write(SolveResult r) =>
        Pack(
            new StoredSolve(
                r.Turning,
                r.RmsPx,
                r.Pinhole!.Fx,
                r.FocalDoubtPx,
                r.Pinhole.Fy / r.Pinhole.Fx,
                r.Pinhole.Cx,
                r.Pinhole.Cy,
                r.Pinhole.Lens.K1,
                r.Pinhole.Lens.K2,
                r.Pinhole.Width,
                r.Pinhole.Height,
                [
                    .. r.Frames.Select(f => new StoredFrame(
                        f.Frame,
                        f.CameraToWorld.ToRowMajor16(),
                        f.RmsPx,
                        f.Tracks,
                        f.TurnDoubtDegrees,
                        f.ShiftDoubt,
                        f.Zoom
                    )),
                ],
                [
                    .. r.Points.Select(p => new StoredPoint(
                        p.Track,
                        [p.Position.X, p.Position.Y, p.Position.Z],
                        p.RmsPx,
                        p.Seen,
                        p.Covariance
                    )),
                ],
                [.. r.LeftOut],
                r.HeldOut,
                r.Report,
                r.Covariance is { } c ? new([.. c.Lower().Select(v => (float)v)], (int)c.Refined, c.Sigma) : null,
                r.Frames.Any(f => f.Zoom != 1)
            )
        );

    public static StoredSolve ReadSolve(byte[] bytes) => Unpack<StoredSolve>(bytes);

    private static byte[] Pack<T>(T value)
    {
        using var stream = new MemoryStream();
        using (var zip = new GZipStream(stream, CompressionLevel.Fastest))
        {
            JsonSerializer.Serialize(zip, value, Json);
        }
        return stream.ToArray();
    }

    private static T Unpack<T>(byte[] bytes)
    {
        try
        {
            using var zip = new GZipStream(new MemoryStream(bytes), CompressionMode.Decompress);
            return JsonSerializer.Deserialize<T>(zip, Json) ?? throw new JsonException("nothing inside");
        }
        catch (Exception e) when (e is JsonException or InvalidDataException)
        {
            throw new FormatFault("file", "The kept tracks or solve cannot be read", "Track or solve the plate again.");
        }
    }
}
