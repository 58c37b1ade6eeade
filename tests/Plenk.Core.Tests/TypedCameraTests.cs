using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Cameras as other programs have them, by hand.</summary>
public sealed class TypedCameraTests
{
    private static AxesGuess Way(string name) => TypedCamera.Ways.First(w => w.Name == name);

    // Ten units before the origin, two above the ground, looking at it levelly: in a right-handed world with Z up that is −Y, in a
    // left-handed one with Y up −Z, in ours +Z; here a unit is a foot (0.3048 m exactly, by the international yard of 1959).
    [Fact]
    public void A_camera_stands_where_its_axes_say()
    {
        foreach (
            TypedCamera c in (TypedCamera[])
                [
                    new(new(0, -10, 2), new(0, 0, 2), 35, 0.3048),
                    new(new(0, 2, -10), new(0, 2, 0), 35, 0.3048),
                    new(new(0, 2, 10), new(0, 2, 0), 35, 0.3048),
                ]
        )
        {
            string name =
                c.Place.Y < 0 ? "+Z up"
                : c.Place.Z < 0 ? "+Y up, left-handed"
                : "+Y up";
            Pose pose = c.PoseBy(Way(name))!.Value;
            Assert.True((pose.Position - 0.3048 * new Vec3(0, 2, 10)).Length < 1e-12, name);
            Assert.True((pose.Rotation * new Vec3(0, 0, -1) - new Vec3(0, 0, -1)).Length < 1e-12, name);
            Assert.True((pose.Rotation * Vec3.UnitY - Vec3.UnitY).Length < 1e-12, name);
        }
        // What stands on the camera's right is on the right: +X of a right-handed world with Z up, and of a left-handed one with Y up.
        Assert.True((Way("+Z up").Axes * Vec3.UnitX - Vec3.UnitX).Length < 1e-12);
        // Rolled clockwise its upright leans to the right.
        Vec3 up = new TypedCamera(new(0, 2, 10), new(0, 2, 0), 35, RollDegrees: 30).PoseBy(Way("+Y up"))!.Value.Rotation * Vec3.UnitY;
        Assert.Equal((0.5, Math.Round(Math.Sqrt(3) / 2, 9)), (Math.Round(up.X, 9), Math.Round(up.Y, 9)));
        Assert.Null(new TypedCamera(new(0, 5, 0), new(0, 0, 0), 35).PoseBy(Way("+Y up")));
        Assert.Equal(12, TypedCamera.Ways.Select(w => w.Axes).Distinct().Count());
    }

    [Fact]
    public void Positions_tell_the_axes_and_refuse_a_wrong_lens()
    {
        var pinhole = new Pinhole(64, 36, 62, 62, 32, 18, Lens.None);
        foreach (AxesGuess way in TypedCamera.Ways)
        {
            // Seen in the program's own world: a ground and a wall that stands askew on it.
            Vec3 Theirs(Vec3 ours) => 100 * (way.Axes.Transpose() * ours);
            var own = new TypedCamera(Theirs(new(1.2, 1.7, 4)), Theirs(new(0.2, 0.6, -2)), 35, 0.01, 7);
            Pose pose = own.PoseBy(way)!.Value;
            var position = new FloatImage(64, 36, 3);
            for (int i = 0; i < 64 * 36; i++)
            {
                pinhole.TryDirection(i % 64 + 0.5, i / 64 + 0.5, out Vec3 d);
                Vec3 ray = pose.Rotation * d;
                var wall = new Vec3(0.3, 0, 1);
                double ground = -pose.Position.Y / ray.Y,
                    stands = (Vec3.Dot(wall, new(0, 0, -3)) - Vec3.Dot(wall, pose.Position)) / Vec3.Dot(wall, ray),
                    t = Math.Min(ground > 0 ? ground : 1e9, stands > 0 ? stands : 1e9);
                Vec3 p = Theirs(pose.Position + t * ray);
                (position.Data[3 * i], position.Data[3 * i + 1], position.Data[3 * i + 2]) = ((float)p.X, (float)p.Y, (float)p.Z);
            }
            IReadOnlyList<AxesGuess> ranked = own.Rank(position, pinhole);
            Assert.Equal(way.Name, ranked[0].Name);
            Assert.InRange(ranked[0].Px!.Value, 0, 0.01);
            Assert.True(ranked[1].Px > 5, $"{way.Name} against {ranked[1].Name}: {ranked[1].Px:0.0} px");
            // A tenth longer, and a place at the picture's edge is three pixels off; the middle one of all about half of that.
            Assert.True(own.Rank(position, new(64, 36, 68.2, 68.2, 32, 18, Lens.None))[0].Px > 1);
        }
        Assert.Null(new TypedCamera(new(0, 0, 0), new(1, 0, 0), 35).Rank(new FloatImage(64, 36, 3), pinhole)[0].Px);
    }

    [Theory]
    [InlineData(1, 1, 1, 35, 1, "looks at the place where it stands")]
    [InlineData(1, 1, 0, 0, 1, "focal length is positive")]
    [InlineData(1, 1, 0, 35, 0, "unit is positive")]
    [InlineData(1, double.NaN, 0, 35, 1, "three numbers")]
    public void What_is_no_camera_is_refused(double x, double y, double z, double focal, double metres, string says) =>
        Assert.Contains(says, new TypedCamera(new(1, 1, 1), new(x, y, z), focal, metres).Fault);
}
