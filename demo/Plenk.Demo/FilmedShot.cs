using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Demo;

/// <summary>A shot of "Low Water" as it was filmed: which place, through which camera, moved how; poses by time in frames.</summary>
public sealed record FilmedShot(
    string Code,
    int FrameCount,
    Pinhole Pinhole,
    double FocalMm,
    Func<double, Pose> CameraToWorld,
    Func<IReadOnlyList<HallPiece>> Place
)
{
    public const int FirstFrame = 1001;
    public const double SensorWidthMm = 36,
        SensorHeightMm = 20.25,
        ShutterDegrees = 180;

    /// <summary>Where the locker trolley stands at a time; null: it is not in this shot.</summary>
    public Func<double, Pose>? TrolleyToWorld { get; init; }

    /// <summary>Where the attendant is at a time, and how far he has walked; null: he is not in this shot.</summary>
    public Func<double, (Pose ToWorld, double Walked)>? AttendantAt { get; init; }

    /// <summary>The camera is locked off and nothing moves: frames differ by their noise alone.</summary>
    public bool LockedOff { get; init; }

    /// <summary>What this camera's exposure and white balance make of the light.</summary>
    public Vector3 Gain { get; init; } = Vector3.One;

    public IEnumerable<int> Frames => Enumerable.Range(FirstFrame, FrameCount);

    private static Pinhole Film(int width, double focalMm, Lens lens) =>
        Pinhole.FromFilm(width, width * 9 / 16, focalMm, SensorWidthMm, lens);

    private static double Ease(double t) => t - Math.Sin(2 * Math.PI * t) / (2 * Math.PI) * 0.8;

    private static double Sway(double seconds, double a, double b, double c) =>
        0.6 * Math.Sin(2 * Math.PI * (0.41 * seconds + a))
        + 0.3 * Math.Sin(2 * Math.PI * (0.93 * seconds + b))
        + 0.12 * Math.Sin(2 * Math.PI * (2.2 * seconds + c));

    public static readonly FilmedShot Bell = new(
        "BTH_0040",
        HallCamera.FrameCount,
        HallCamera.Pinhole,
        HallCamera.FocalMm,
        HallCamera.CameraToWorld,
        BathHall.Build
    );

    /// <summary>Tripod pan along the gallery, from the far wall to the eastern rail, 30 mm; the head sinks a little as it turns.</summary>
    public static readonly FilmedShot Pan = new(
        "BTH_0050",
        60,
        Film(960, 30, new Lens(-0.09, 0.018)),
        30,
        frame =>
        {
            double t = (frame - FirstFrame) / 59,
                s = (frame - FirstFrame) / 24;
            return new(
                Rotations.AboutY(Rotations.Radians(6 - 44 * Ease(t) + 0.05 * Sway(s, 0.2, 0.5, 0.9)))
                    * Rotations.AboutX(Rotations.Radians(7 - 3 * Ease(t) + 0.06 * Sway(s, 0.7, 0.1, 0.4)))
                    * Rotations.AboutZ(Rotations.Radians(0.4)),
                new(-3.1, 1.62, 4.3)
            );
        },
        BathHall.Build
    );

    /// <summary>One still of the entrance hall, 24 mm, on a tripod, looking down the hall and a little down.</summary>
    public static readonly FilmedShot Entrance = new(
        "BTH_0060",
        1,
        Film(1600, 24, Lens.None),
        24,
        _ =>
            new(
                Rotations.AboutY(Rotations.Radians(-24))
                    * Rotations.AboutX(Rotations.Radians(-7))
                    * Rotations.AboutZ(Rotations.Radians(0.8)),
                new(-4.4, 1.55, 3.6)
            ),
        EntranceHall.Build
    );

    /// <summary>A locker trolley rolls along the western walkway and swings round; handheld, 35 mm.</summary>
    public static readonly FilmedShot Trolley = new(
        "BTH_0070",
        60,
        Film(960, 35, new Lens(-0.06, 0.01)),
        35,
        frame =>
        {
            double t = (frame - FirstFrame) / 59,
                s = (frame - FirstFrame) / 24;
            var eye = new Vec3(
                -1.7 - 0.55 * Ease(t) + 0.018 * Sway(s, 0.1, 0.7, 0.2),
                1.66 + 0.016 * Sway(s, 0.4, 0.2, 0.9),
                4.7 - 0.25 * Ease(t) + 0.012 * Sway(s, 0.8, 0.5, 0.3)
            );
            return Pose.LookAt(
                eye,
                new(-5.1 + 0.07 * Sway(s, 0.3, 0.9, 0.6), 0.62 + 0.05 * Sway(s, 0.6, 0.1, 0.4), -1.0 + 0.5 * t),
                Vec3.UnitY
            );
        },
        BathHall.Build
    )
    {
        TrolleyToWorld = frame =>
        {
            double t = (frame - FirstFrame) / 59,
                s = (frame - FirstFrame) / 24;
            // It rolls, one wheel catches, it swings: a little shake from the joints of the deck.
            return new(
                Rotations.AboutY(Rotations.Radians(-78 + 34 * Ease(t) + 0.4 * Sway(s, 0.2, 0.6, 0.1)))
                    * Rotations.AboutX(Rotations.Radians(0.25 * Sway(s, 0.9, 0.3, 0.5))),
                new(-5.5 + 0.5 * t, 0, -1.7 + 2.3 * Ease(t))
            );
        },
    };

    private static FilmedShot AlongTheBasin(string code, double x, double headingLeft, Vector3 gain) =>
        new(
            code,
            16,
            Film(960, 32, new Lens(-0.07, 0.012)),
            32,
            _ =>
                new(
                    Rotations.AboutY(Rotations.Radians(headingLeft))
                        * Rotations.AboutX(Rotations.Radians(-7.5))
                        * Rotations.AboutZ(Rotations.Radians(0.2)),
                    new(x, 1.72, 5.4)
                ),
            BathHall.Build
        )
        {
            LockedOff = true,
            Gain = gain,
        };

    /// <summary>Two cameras on tripods side by side along the basin; the right one exposes half a stop more and is set warmer.</summary>
    public static readonly FilmedShot Left = AlongTheBasin("BTH_0080", -0.62, 19, Vector3.One),
        Right = AlongTheBasin("BTH_0080B", 0.43, -17, new(1.52f, 1.41f, 1.27f));

    /// <summary>The attendant walks by with his mop, between the camera and the place where the bell will stand; on sticks, 35 mm.</summary>
    public static readonly FilmedShot Mop = new(
        "BTH_0090",
        24,
        Film(960, 35, new Lens(-0.06, 0.01)),
        35,
        _ => Pose.LookAt(new(1.9, 1.35, 3.2), new(-0.1, -0.95, -4.2), Vec3.UnitY),
        BathHall.Build
    )
    {
        AttendantAt = frame =>
        {
            double walked = (frame - FirstFrame) / 24 * 1.35;
            return (new(Matrix3.Identity, new(-1.75 + walked, BathHall.FloorHeight(-3.1f), -3.1)), walked);
        },
    };

    private static FilmedShot OverTheSteps(string code, int frames, bool platform) =>
        new(
            code,
            frames,
            Film(960, 30, Lens.None),
            30,
            _ => Pose.LookAt(new(0.5, 0.95, -0.5), new(3.5, 0.22, -5.3), Vec3.UnitY),
            () => PlungePlatform.Build(platform)
        )
        {
            LockedOff = true,
        };

    /// <summary>On sticks in the drained basin: the plunge platform over the steps and a locker; and the place without the platform.</summary>
    public static readonly FilmedShot Platform = OverTheSteps("BTH_0100", 48, true),
        Cleared = OverTheSteps("BTH_0100C", 1, false);

    public static readonly IReadOnlyList<FilmedShot> All = [Bell, Pan, Entrance, Trolley, Left, Right, Mop, Platform, Cleared];
}
