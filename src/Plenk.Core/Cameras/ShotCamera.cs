using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Cameras;

/// <summary>The shot's camera at any shot frame, in the world, on the plate's own pixel grid.</summary>
public sealed class ShotCamera
{
    private readonly CameraSource _source;
    private readonly Similarity _toWorld;
    private readonly FrameRate _shotRate;
    private readonly (double Frame, Pose Pose, CameraSample Sample)[] _samples;
    private readonly int _width,
        _height;

    private ShotCamera(ShotDocument shot, CameraSource source, Similarity toWorld)
    {
        (_source, _toWorld, _shotRate) = (source, toWorld, shot.Rate);
        _width = shot.Plate?.Width ?? source.Width;
        _height = shot.Plate?.Height ?? source.Height;
        _samples =
        [
            .. source
                .Samples.OrderBy(s => s.Frame)
                .Select(s => (s.Frame, Pose.FromRowMajor16(s.CameraToWorld, out string? why) ?? throw new ArgumentException(why), s)),
        ];
    }

    /// <summary>Null when the shot has no camera.</summary>
    public static ShotCamera? Of(ShotDocument shot) =>
        shot.Camera is { Samples.Count: > 0 } source ? new(shot, source, Orienting.Of(shot).SourceToWorld) : null;

    /// <summary>The same in its own space, before floor, origin, axis and scale are laid on it.</summary>
    public static ShotCamera? InSource(ShotDocument shot) =>
        shot.Camera is { Samples.Count: > 0 } source ? new(shot, source, Similarity.Identity) : null;

    public Similarity SourceToWorld => _toWorld;

    /// <summary>
    /// The same at a moment near a frame that the camera has: where its samples end, the motion on the frame's other side is taken to go
    /// on. False where it has no sample on either side.
    /// </summary>
    public bool TryNear(int frame, double moment, out Pose cameraToWorld, out Pinhole pinhole)
    {
        if (TryAt(moment, out cameraToWorld, out pinhole))
        {
            return true;
        }
        if (!TryAt(2 * frame - moment, out Pose other, out _) || !TryAt(frame, out Pose own, out pinhole))
        {
            return false;
        }
        cameraToWorld = Pose.Interpolate(other, own, 2);
        return true;
    }

    /// <summary>
    /// Pose and inner geometry at a shot frame, interpolated between the two samples around it. False where the camera
    /// has no samples around the frame (it never extrapolates).
    /// </summary>
    public bool TryAt(double shotFrame, out Pose cameraToWorld, out Pinhole pinhole)
    {
        double f = _source.Mapping.ToSource(shotFrame, _source.Rate, _shotRate);
        cameraToWorld = default;
        pinhole = null!;
        const double tolerance = 1e-6;
        if (f < _samples[0].Frame - tolerance || f > _samples[^1].Frame + tolerance)
        {
            return false;
        }
        int i = Array.FindIndex(_samples, s => s.Frame >= f - tolerance);
        var (frame, pose, sample) = _samples[i];
        double focal = sample.FocalPx,
            cx = sample.Cx,
            cy = sample.Cy;
        if (frame - f > tolerance)
        {
            var before = _samples[i - 1];
            if (frame - before.Frame > 2 + tolerance)
            {
                return false;
            } // a hole in the samples, not a rate conversion
            double t = (f - before.Frame) / (frame - before.Frame);
            pose = Pose.Interpolate(before.Pose, pose, t);
            focal = before.Sample.FocalPx + (focal - before.Sample.FocalPx) * t;
            cx = before.Sample.Cx + (cx - before.Sample.Cx) * t;
            cy = before.Sample.Cy + (cy - before.Sample.Cy) * t;
        }
        cameraToWorld = pose.Moved(_toWorld);
        pinhole = new Pinhole(_source.Width, _source.Height, focal, focal, cx, cy, _source.Lens.ToLens()).Resized(_width, _height);
        return true;
    }
}
