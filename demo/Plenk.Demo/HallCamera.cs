using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Demo;

/// <summary>BTH_0040: handheld, a step to the left along the south end, 28 mm on a 36 × 20.25 mm sensor.</summary>
public static class HallCamera
{
    public const int FirstFrame = 1001,
        FrameCount = 72,
        Width = 1280,
        Height = 720;
    public const double FocalMm = 28,
        SensorWidthMm = 36,
        SensorHeightMm = 20.25;
    public const double ShutterDegrees = 180;
    public static readonly Lens Lens = new(-0.11, 0.025);
    public static readonly Pinhole Pinhole = Pinhole.FromFilm(Width, Height, FocalMm, SensorWidthMm, Lens);

    /// <summary>Where the camera is at a time in frames; the shutter is open from frame − ¼ to frame + ¼.</summary>
    public static Pose CameraToWorld(double frame)
    {
        double t = (frame - FirstFrame) / (FrameCount - 1),
            s = (frame - FirstFrame) / 24;
        double ease = t - Math.Sin(2 * Math.PI * t) / (2 * Math.PI) * 0.5;
        // Breath and steps: a few slow sines that never fall into step with one another.
        double Sway(double a, double b, double c) =>
            0.6 * Math.Sin(2 * Math.PI * (0.43 * s + a))
            + 0.3 * Math.Sin(2 * Math.PI * (0.97 * s + b))
            + 0.12 * Math.Sin(2 * Math.PI * (2.3 * s + c));
        var eye = new Vec3(
            2.30 - 0.80 * ease + 0.020 * Sway(0.1, 0.7, 0.2),
            1.78 + 0.018 * Sway(0.4, 0.2, 0.9),
            6.20 - 0.40 * ease + 0.014 * Sway(0.8, 0.5, 0.3)
        );
        var target = new Vec3(0.95 + 0.25 * ease + 0.10 * Sway(0.3, 0.9, 0.6), -0.38 + 0.07 * Sway(0.6, 0.1, 0.4), -5);
        Pose look = Pose.LookAt(eye, target, Vec3.UnitY);
        return look with { Rotation = look.Rotation * Rotations.AboutZ(Rotations.Radians(0.5 * Sway(0.2, 0.6, 0.8))) };
    }
}
