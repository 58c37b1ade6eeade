using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// One still: published relations of vanishing points (Caprile and Torre 1990; Hartley and Zisserman 8.6–8.8) and heights
/// (Criminisi, Reid and Zisserman 2000), worked for a camera of f = 1800 px turned Ry(30°) Rx(−12°) Rz(2°), 1.6 m up.
/// </summary>
public class LineCameraTests
{
    private static readonly Matrix3 Turned =
        Rotations.AboutY(Rotations.Radians(30)) * Rotations.AboutX(Rotations.Radians(-12)) * Rotations.AboutZ(Rotations.Radians(2));
    private static readonly (double X, double Y) V1 = (-2212.048282, 46.394609),
        V2 = (2035.152908, 194.710143),
        Up = (664.459399, 9003.175517);

    /// <summary>Lines of 300 px through a vanishing point, at given middles.</summary>
    private static LineFamily Towards(char axis, (double X, double Y) v, params (double X, double Y)[] middles) =>
        new(
            axis,
            [
                .. middles.Select(m =>
                {
                    double dx = v.X - m.X,
                        dy = v.Y - m.Y,
                        l = Math.Sqrt(dx * dx + dy * dy) / 150;
                    return new DrawnLine(m.X - dx / l, m.Y - dy / l, m.X + dx / l, m.Y + dy / l);
                }),
            ]
        );

    private static readonly LineFamily X = Towards('x', V1, (400, 300), (700, 800), (1200, 950)),
        Z = Towards('z', V2, (500, 900), (1300, 300), (1500, 800)),
        Y = Towards('y', Up, (300, 500), (960, 540), (1600, 500));

    [Fact]
    public void Two_vanishing_points_give_focal_length_and_orientation()
    {
        LineCameraResult r = LineCamera.Solve(new(1920, 1080, [X, Z]));
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(1800, r.Pinhole!.Fx, 1e-3);
        Matrix3 m = r.CameraToWorld.Rotation;
        double[] expected =
        [
            0.861869838,
            -0.134116369,
            0.489073800,
            0.0341368590,
            0.977551740,
            0.207911691,
            -0.505979305,
            -0.162497372,
            0.847100671,
        ];
        double[] found = [m.M11, m.M12, m.M13, m.M21, m.M22, m.M23, m.M31, m.M32, m.M33];
        for (int i = 0; i < 9; i++)
        {
            Assert.Equal(expected[i], found[i], 1e-6);
        }
        Assert.InRange(r.RmsPx, 0, 1e-5);
        Assert.InRange(r.FocalDoubtPx, 1, 60);
        Assert.Null(r.PrincipalPoint);
    }

    [Fact]
    public void Three_give_the_principal_point_too()
    {
        LineCameraResult r = LineCamera.Solve(new(1920, 1080, [X, Y, Z]));
        Assert.True(r.Solved, r.Reason);
        Assert.Equal(960, r.PrincipalPoint!.Value.X, 0.01);
        Assert.Equal(540, r.PrincipalPoint.Value.Y, 0.01);
        Assert.Equal(1800, r.Pinhole!.Fx, 0.01);
        Assert.False(r.PrincipalPointMoved);
        // The same lines on a picture cropped by 300 px at its left: the orthocentre of the vanishing points goes with them.
        LineFamily Shift(LineFamily f) => f with { Lines = [.. f.Lines.Select(l => new DrawnLine(l.X1 - 300, l.Y1, l.X2 - 300, l.Y2))] };
        LineCameraResult cropped = LineCamera.Solve(new(1620, 1080, [Shift(X), Shift(Y), Shift(Z)]));
        Assert.True(cropped.PrincipalPointMoved);
        Assert.Equal(660, cropped.Pinhole!.Cx, 0.05);
        Assert.Equal(1800, cropped.Pinhole.Fx, 0.05);
    }

    // A reference of 2.10 m from (1145.466078, 512.109495) up to (1171.659204, 49.730137): the camera is 1.6 m above the floor, and
    // the unknown one from (857.556918, 623.546279) to (870.033798, 82.101598) is 1.83 m.
    [Fact]
    public void A_known_height_gives_the_camera_s_and_another_s()
    {
        var scene = new LineScene(1920, 1080, [X, Y, Z])
        {
            Origin = (1145.466078, 512.109495),
            Length = new(1145.466078, 512.109495, 1171.659204, 49.730137, 2.10),
        };
        LineCameraResult r = LineCamera.Solve(scene);
        Assert.True(r.Solved, r.Reason);
        Assert.Equal('y', r.MeasuredAlong);
        Assert.Equal(1.6, r.CameraToWorld.Position.Y, 1e-4);
        // The origin is where it was picked.
        Assert.True(r.Pinhole!.TryProject(r.CameraToWorld, Vec3.Zero, out double ox, out double oy));
        Assert.Equal(1145.466, ox, 1e-3);
        Assert.Equal(512.109, oy, 1e-3);
        LineCameraResult other = LineCamera.Solve(scene with { Length = new(857.556918, 623.546279, 870.033798, 82.101598, 1.83) });
        Assert.InRange((other.CameraToWorld.Position - r.CameraToWorld.Position).Length, 0, 1e-3);
        // A length on the floor, at a slant: found from the camera just solved.
        Assert.True(
            r.Pinhole.TryProject(r.CameraToWorld, new(-0.5, 0, 0.4), out double ax, out double ay)
                & r.Pinhole.TryProject(r.CameraToWorld, new(1.2, 0, 0.9), out double bx, out double by)
        );
        LineCameraResult slanted = LineCamera.Solve(scene with { Length = new(ax, ay, bx, by, Math.Sqrt(1.7 * 1.7 + 0.5 * 0.5)) });
        Assert.Equal('f', slanted.MeasuredAlong);
        Assert.InRange((slanted.CameraToWorld.Position - r.CameraToWorld.Position).Length, 0, 1e-3);
        // Said outright, it need not be found.
        LineCameraResult said = LineCamera.Solve(scene with { Length = scene.Length with { Along = 'y' } });
        Assert.InRange((said.CameraToWorld.Position - r.CameraToWorld.Position).Length, 0, 1e-9);
    }

    // Derived (the doubt is a promise): lines drawn with 0.5 px of Gaussian error give focal lengths that scatter as said.
    [Fact]
    public void The_doubt_is_as_large_as_the_scatter()
    {
        var random = new Random(6);
        DrawnLine Shaken(DrawnLine l) =>
            new(
                l.X1 + 0.5 * TrackScenes.Normal(random),
                l.Y1 + 0.5 * TrackScenes.Normal(random),
                l.X2 + 0.5 * TrackScenes.Normal(random),
                l.Y2 + 0.5 * TrackScenes.Normal(random)
            );
        LineFamily[] many =
        [
            Towards('x', V1, (400, 300), (700, 800), (1200, 950), (300, 150), (900, 420), (1500, 700)),
            Towards('z', V2, (500, 900), (1300, 300), (1500, 800), (250, 450), (800, 650), (1100, 1000)),
        ];
        double square = 0,
            doubt = 0;
        const int runs = 60;
        for (int i = 0; i < runs; i++)
        {
            LineCameraResult r = LineCamera.Solve(new(1920, 1080, [.. many.Select(f => f with { Lines = [.. f.Lines.Select(Shaken)] })]));
            Assert.True(r.Solved, r.Reason);
            square += (r.Pinhole!.Fx - 1800) * (r.Pinhole.Fx - 1800) / runs;
            doubt += r.FocalDoubtPx / runs;
        }
        Assert.InRange(Math.Sqrt(square) / doubt, 0.6, 1.6);
    }

    [Fact]
    public void What_lines_cannot_tell_is_said()
    {
        static string Reason(params LineFamily[] families) => LineCamera.Solve(new(1920, 1080, families)).Reason;
        Assert.Contains("two or three directions", Reason(X));
        Assert.Contains("one line along z", Reason(X, Z with { Lines = [Z.Lines[0]] }));
        Assert.Contains("2.0 px long", Reason(X, Z with { Lines = [Z.Lines[0], new(10, 10, 12, 10)] }));
        Assert.Contains("not a number", Reason(X, Z with { Lines = [Z.Lines[0], new(double.NaN, 10, 12, 10)] }));
        // Parallel in the picture: vanishing at infinity.
        var parallel = new LineFamily('z', [new(100, 500, 900, 700), new(100, 800, 900, 1000), new(300, 100, 1100, 300)]);
        Assert.Contains("parallel in the picture", Reason(X, parallel));
        // Both vanishing points on one side of the centre: (v1 − p)·(v2 − p) ≥ 0 has no real focal length.
        Assert.Contains(
            "No camera",
            Reason(
                Towards('x', (2500, 400), (400, 300), (700, 800), (1200, 950)),
                Towards('z', (3300, 560), (500, 900), (1300, 300), (1500, 800))
            )
        );
        Assert.Contains(
            "horizon",
            LineCamera.Solve(new(1920, 1080, [X, Z]) { Origin = (900, 800), Length = new(900, 20, 500, 800, 2) }).Reason
        );
        Assert.Contains(
            "same place",
            LineCamera.Solve(new(1920, 1080, [X, Z]) { Origin = (900, 800), Length = new(900, 800, 900, 801, 2) }).Reason
        );
    }
}
