using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Position and normal passes read as they are meant, and pictures lit again from them.</summary>
public sealed class RelightTests
{
    private static readonly Pinhole Camera = new(240, 160, 220, 220, 120, 80, new Lens(-0.05, 0.01));
    private static readonly Pose Stand = Pose.LookAt(new(1.2, 1.7, 4), new(0, 0.6, 0), Vec3.UnitY);

    /// <summary>A ball on a floor before a slanted wall, by rays: positions and normals in the world.</summary>
    private static (FloatImage P, FloatImage N) Passes()
    {
        var scene = new TraceScene([
            new(new MeshTree(Sets.PieceMeshes.Plane(new(20, 0, 20))), Similarity.Identity, RayKinds.LightSet),
            new(new MeshTree(PieceMeshes.Ball(128)), new Similarity(0.6, Matrix3.Identity, new(0, 0.6, 0)), RayKinds.LightSet),
            new(
                new MeshTree(Sets.PieceMeshes.Plane(new(20, 0, 20))),
                new Similarity(1, Rotations.FromEulerYxzDegrees(80, 25, 0), new(0, 0, -3)),
                RayKinds.LightSet
            ),
        ]);
        var p = new FloatImage(240, 160, 3);
        var n = new FloatImage(240, 160, 3);
        var grid = new RayGrid(Camera, Stand);
        for (int y = 0; y < 160; y++)
        {
            for (int x = 0; x < 240; x++)
            {
                Assert.True(grid.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d));
                var ray = new Ray(grid.Origin, d);
                Hit hit = scene.Intersect(ray, RayKinds.LightSet);
                Vector3 at = hit.IsHit ? ray.At(hit.T) : new(float.PositiveInfinity),
                    normal = hit.IsHit ? scene.Instances[hit.Instance].Normal(hit) : Vector3.Zero;
                if (Vector3.Dot(normal, d) > 0)
                {
                    normal = -normal;
                }
                for (int c = 0; c < 3; c++)
                {
                    p[x, y, c] = at[c];
                    n[x, y, c] = normal[c];
                }
            }
        }
        return (p, n);
    }

    private static FloatImage By(FloatImage image, Func<Vec3, Vec3> change)
    {
        var result = new FloatImage(image.Width, image.Height, 3);
        for (int i = 0; i < image.Width * image.Height; i++)
        {
            Vec3 v = change(new(image.Data[3 * i], image.Data[3 * i + 1], image.Data[3 * i + 2]));
            (result.Data[3 * i], result.Data[3 * i + 1], result.Data[3 * i + 2]) = ((float)v.X, (float)v.Y, (float)v.Z);
        }
        return result;
    }

    [Fact]
    public void There_are_48_ways_and_half_of_them_mirror()
    {
        Assert.Equal(48, PassReader.SignedPermutations.Select(p => p.Name).Distinct().Count());
        Assert.Equal(
            24,
            PassReader.SignedPermutations.Count(p => Vec3.Dot(p.Axes.Column(0), Vec3.Cross(p.Axes.Column(1), p.Axes.Column(2))) < 0)
        );
    }

    [Theory]
    [InlineData("as it is")]
    [InlineData("z up")]
    [InlineData("camera space")]
    [InlineData("normals flipped")]
    [InlineData("normals encoded, in camera space")]
    public void Every_way_is_told_by_measurement(string way)
    {
        var (p, n) = Passes();
        var (p2, n2) = way switch
        {
            "z up" => (By(p, v => new(v.X, -v.Z, v.Y)), By(n, v => new(v.X, -v.Z, v.Y))),
            "camera space" => (By(p, v => Stand.ToLocal(v)), By(n, v => Stand.Rotation.Transpose() * v)),
            "normals flipped" => (p, By(n, v => -v)),
            "normals encoded, in camera space" => (
                p,
                By(n, v => Stand.Rotation.Transpose() * v is var c ? new(0.5 * c.X + 0.5, 0.5 * c.Y + 0.5, 0.5 * c.Z + 0.5) : default)
            ),
            _ => (p, n),
        };
        PassReport report = PassReader.Read(p2, n2, Stand, Camera);
        Assert.True(report.Known);
        Assert.True(report.Positions[0].Error < 0.2, $"{report.Positions[0].Error}");
        Assert.True(report.Normals[0].Error < 4 && report.Margin > 2, $"{report.Normals[0].Error}° {report.Margin}");
        Assert.Equal(way.StartsWith("normals encoded", StringComparison.Ordinal), report.NormalsEncoded);
        // Brought into our world they are what they were.
        var (back, normals) = PassReader.InWorld(p2, n2, report, Stand);
        for (int i = 80 * 240 + 30; i < 80 * 240 + 210; i += 20)
        {
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(p.Data[3 * i + c], back.Data[3 * i + c], 2e-4f);
                Assert.Equal(n.Data[3 * i + c], normals.Data[3 * i + c], 2e-4f);
            }
        }
    }

    // Lengths of units by definition (BIPM; the international inch and foot of 1959: 25.4 mm and 0.3048 m).
    [Theory]
    [InlineData(1, false)]
    [InlineData(0.001, false)]
    [InlineData(0.01, true)]
    [InlineData(0.0254, false)]
    [InlineData(0.3048, true)]
    [InlineData(100, false)]
    public void The_unit_of_positions_is_told_by_where_the_camera_stands(double metres, bool zUp)
    {
        var (p, n) = Passes();
        Func<Vec3, Vec3> axes = zUp ? v => new(v.X, -v.Z, v.Y) : v => v;
        FloatImage p2 = By(p, v => 1 / metres * axes(v)),
            n2 = By(n, axes);
        PassReport report = PassReader.Read(p2, n2, Stand, Camera);
        Assert.True(report.Known);
        Assert.Equal(metres, report.Metres);
        Assert.True(report.UnitMargin > 10, $"{report.UnitMargin}");
        // As a shot keeps it, it says the same.
        PassMeaning meaning = PassReader.Meaning(report)!;
        Assert.Equal(zUp ? "+X +Z −Y" : "+X +Y +Z", meaning.Positions);
        var (back, normals) = PassReader.InWorld(p2, n2, meaning, Stand);
        for (int i = 80 * 240 + 30; i < 80 * 240 + 210; i += 20)
        {
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(p.Data[3 * i + c], back.Data[3 * i + c], 5e-4f);
                Assert.Equal(n.Data[3 * i + c], normals.Data[3 * i + c], 2e-4f);
            }
        }
    }

    [Theory]
    [InlineData("camera space")]
    [InlineData("at the origin")]
    public void Where_nothing_tells_the_unit_that_is_said_and_none_is_claimed(string way)
    {
        var (p, n) = Passes();
        PassReport report =
            way == "camera space"
                ? PassReader.Read(By(p, v => 100 * Stand.ToLocal(v)), By(n, v => Stand.Rotation.Transpose() * v), Stand, Camera)
                : PassReader.Read(By(p, v => 100 * (v - Stand.Position)), n, new Pose(Stand.Rotation, Vec3.Zero), Camera);
        Assert.True(report.Known);
        Assert.Null(report.Metres);
        Assert.Null(PassReader.Meaning(report)!.Margin);
        Assert.Equal(1, PassReader.Meaning(report)!.Metres);
        Assert.Contains(report.Told, t => t.Contains("unit"));
    }

    [Fact]
    public void Without_a_camera_axes_are_unknown_and_a_wrong_one_is_told()
    {
        var (p, n) = Passes();
        PassReport alone = PassReader.Read(p, n, null, null);
        Assert.False(alone.Known);
        Assert.True(alone.Normals[0].Error < 4);
        PassReport wrong = PassReader.Read(p, n, Pose.LookAt(new(-5, 3, 1), new(0, 0.6, 0), Vec3.UnitY), Camera);
        Assert.Contains(wrong.Told, t => t.Contains("in no way"));
    }

    [Fact]
    public void Clamped_coarse_and_encoded_values_are_told()
    {
        var (p, n) = Passes();
        PassReport clamped = PassReader.Read(
            By(p, v => new(Math.Clamp(v.X, 0, 1), Math.Clamp(v.Y, 0, 1), Math.Clamp(v.Z, 0, 1))),
            By(n, v => new(Math.Max(0, v.X), Math.Max(0, v.Y), Math.Max(0, v.Z))),
            Stand,
            Camera
        );
        Assert.Contains(clamped.Told, t => t.Contains("look clamped or normalised"));
        PassReport coarse = PassReader.Read(
            p,
            By(n, v => new(Math.Round(127 * v.X) / 127, Math.Round(127 * v.Y) / 127, Math.Round(127 * v.Z) / 127)),
            Stand,
            Camera
        );
        Assert.Contains(coarse.Told, t => t.Contains("8 bits"));
    }

    // Inverse square and cosine law with a Lambert surface: 800 cd, 3 m above, albedo 0.5 shows 14.147 cd/m²; the highlight by (n + 2)/2π (Lafortune and Willems 1994).
    [Fact]
    public void A_lamp_shades_as_the_laws_say()
    {
        var p = new FloatImage(2, 1, 3, [0, 0, 0, 4, 0, 0]);
        var n = new FloatImage(2, 1, 3, [0, 1, 0, 0, 1, 0]);
        SampledLight lamp = LightRig
            .Of([
                new Light
                {
                    Id = "l",
                    Kind = LightKind.Point,
                    Strength = 800,
                    Position = new(0, 3, 0),
                },
            ])
            .Sampled[0];
        FloatImage lit = Relight.Light(p, n, null, new([lamp], default, default), new(), new(0, 5, 0), null);
        Assert.Equal(14.1471061, lit[0, 0, 0], 1e-3);
        Assert.Equal(3.05577491, lit[1, 0, 0], 1e-3);
        FloatImage shiny = Relight.Light(
            p,
            n,
            null,
            new([lamp], default, default),
            new(Diffuse: 0, Specular: 1, Width: 32),
            new(0, 5, 0),
            null
        );
        Assert.Equal(88.8888889 * 5.4112681, shiny[0, 0, 0], 0.01);
        Assert.Equal(
            0.2 * 0.5,
            Relight.Light(p, n, null, new([], default, default), new(Ambient: 0.2f), new(0, 5, 0), null)[0, 0, 0],
            1e-6
        );
    }

    [Fact]
    public void Its_own_surface_casts_shadows_and_is_torn_at_steps()
    {
        var (p, n) = Passes();
        TriangleMesh surface = Relight.Surface(p)!;
        // No triangle spans from the ball to the wall three metres behind.
        for (int t = 0; t < surface.TriangleCount; t++)
        {
            var (a, b, c) = surface.Triangle(t);
            Assert.True(MathF.Max(Vector3.Distance(a, b), Vector3.Distance(b, c)) < 2.2f);
        }
        var own = new TraceScene([new TraceInstance(new MeshTree(surface), Similarity.Identity, RayKinds.LightSet)]);
        SampledLight sun = LightRig
            .Of([
                new Light
                {
                    Id = "s",
                    Kind = LightKind.Sun,
                    Strength = 1,
                    Direction = new(1, 1, 0.3),
                },
            ])
            .Sampled[0];
        FloatImage shadowed = Relight.Light(p, n, null, new([sun], default, default), new(), Stand.Position.ToSingle(), own),
            open = Relight.Light(p, n, null, new([sun], default, default), new(Shadows: false), Stand.Position.ToSingle(), own);
        int dark = Enumerable.Range(0, 240 * 160).Count(i => open.Data[3 * i] > 0.05f && shadowed.Data[3 * i] < 0.01f);
        Assert.InRange(dark, 200, 6000); // the ball's shadow on the floor
        int same = Enumerable.Range(0, 240 * 160).Count(i => open.Data[3 * i] > 0.05f && shadowed.Data[3 * i] == open.Data[3 * i]);
        Assert.True(same > 3 * dark);
    }
}
