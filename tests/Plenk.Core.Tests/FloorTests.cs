using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Sets.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

public class FloorTests
{
    // Smallest singular direction of the centred points, computed independently with numpy.
    [Fact]
    public void Least_squares_plane()
    {
        Vec3[] points = [new(0, .02, 0), new(2, -.01, 0), new(2, .03, 3), new(0, 0, 3), new(1, -.02, 1.5), new(1.5, .05, .7)];
        PlaneFitResult fit = PlaneFit.Fit(points, out _)!;
        Assert.Equal(-0.00456519876, fit.Normal.X, 7);
        Assert.Equal(0.999989575, fit.Normal.Y, 7);
        Assert.Equal(0.023790378, fit.Rms, 7);
        Assert.Equal(0.036490584, fit.Largest, 7);
    }

    [Fact]
    public void Points_in_a_line_are_refused()
    {
        Assert.Null(PlaneFit.Fit([new(0, 0, 0), new(1, 1, 1), new(2, 2, 2), new(5, 5, 5)], out string? why));
        Assert.Contains("in a line", why);
    }

    // Scale from a known distance of 1.20 m; derived by hand.
    [Fact]
    public void Scale_origin_and_axis()
    {
        SurveyPoint[] points =
        [
            new() { Name = "P", Position = new(0.2, 0.1, 3.0) },
            new() { Name = "Q", Position = new(0.9, -0.1, 3.4) },
            new() { Name = "R", Position = new(-1, 0.3, 1) },
            new() { Name = "S", Position = new(2, 0.2, 0.5) },
        ];
        OrientingResult r = Orienting.Solve(
            points,
            new Orientation
            {
                Floor = ["P", "Q", "R", "S"],
                Origin = "P",
                Axis = new("P", "Q", "-Z"),
                Scale = new("P", "Q", 1.2),
            }
        );
        Assert.Empty(r.Problems);
        Assert.Equal(1.44463024, r.SourceToWorld.Scale, 7);
        Vec3 p = r.SourceToWorld.Apply(points[0].Position!.Value),
            q = r.SourceToWorld.Apply(points[1].Position!.Value);
        Assert.Equal(1.2, (q - p).Length, 9);
        Assert.Equal(0, p.X, 9);
        Assert.Equal(0, q.X, 9);
        Assert.True(q.Z < 0);
        // The fitted floor, not any one point, lies on y = 0.
        Assert.Equal(0, points.Average(s => r.SourceToWorld.Apply(s.Position!.Value).Y), 9);
    }

    // Rousseeuw 1984: the median of squares is not moved by fewer than half of the points, however far they lie off. The floor is y = 0.1 x, seen to a
    // millimetre or two; two fifths of the points stand on things above it.
    [Fact]
    public void The_floor_most_agree_on_is_found_among_what_stands_on_it()
    {
        var dice = new Random(5);
        var points = new List<Vec3>();
        for (int i = 0; i < 30; i++)
        {
            double x = 4 * dice.NextDouble(),
                z = 3 * dice.NextDouble();
            points.Add(new(x, 0.1 * x + 0.002 * (dice.NextDouble() - 0.5), z));
        }
        for (int i = 0; i < 20; i++)
        {
            points.Add(new(4 * dice.NextDouble(), 0.6 + dice.NextDouble(), 3 * dice.NextDouble()));
        }
        RobustPlaneResult found = RobustPlane.Fit(points, 1, out _)!;
        Assert.All(found.On, i => Assert.True(i < 30));
        Assert.True(found.On.Count >= 27);
        Vec3 up = new Vec3(-0.1, 1, 0).Normalized();
        Assert.InRange(Rotations.Degrees(Math.Acos(Vec3.Dot(up, found.Plane.Normal))), 0, 0.05);
        // Least squares over all of them is off by degrees.
        Assert.True(Rotations.Degrees(Math.Acos(Vec3.Dot(up, PlaneFit.Fit(points, out _)!.Normal))) > 1);
        Assert.Null(RobustPlane.Fit([new(0, 0, 0), new(1, 1, 1), new(2, 2, 2)], 1, out string? why));
        Assert.Contains("in a line", why);
    }

    [Fact]
    public void A_few_points_are_spread_over_all()
    {
        Vec3[] row = [.. Enumerable.Range(0, 11).Select(i => new Vec3(i, 0, 0))];
        Assert.Equal([5, 0, 10], Spread.Of(row, 3));
        Assert.Equal(11, Spread.Of(row, 40).Count);
        Assert.Empty(Spread.Of([], 3));
    }

    // A camera 2 m up that looks down by 45°: the middle of its frame meets the floor 2 m ahead; the frame's edges, half a right angle above and below of 90°,
    // are the horizon and its own foot. Of the floor to the horizon 2 m / tan 3° = 38.2 m counts.
    [Fact]
    public void What_is_seen_of_the_floor_ends_where_it_is_seen_too_flat()
    {
        double s = Math.Sqrt(0.5);
        var pose = new Pose(Matrix3.FromColumns(new(1, 0, 0), new(0, s, -s), new(0, s, s)), new(0, 2, 0));
        var square = new Pinhole(1000, 1000, 500, 500, 500, 500, Lens.None);
        FloorView seen = FloorView.Of(pose, square)!;
        Assert.Equal(0, seen.Middle.X, 6);
        Assert.Equal(-2, seen.Middle.Z, 6);
        Assert.Equal(0, seen.Most.Z, 6);
        Assert.InRange(seen.Least.Z, -38.2, -15);
        // Up into the sky nothing of it is seen; a plane then begins as it is.
        var up = new Pose(Matrix3.FromColumns(new(1, 0, 0), new(0, 0, 1), new(0, -1, 0)), new(0, 2, 0));
        Assert.Null(FloorView.Of(up, square));
        Assert.Equal(new Vec3(1, 1, 1), new PlaneForm().Begun(null).Size);
        Piece plane = new PlaneForm().Begun(seen);
        Assert.Equal(0.5 * (seen.Least.Z + seen.Most.Z), plane.Position.Z, 2);
        Assert.InRange(plane.Size.Z - (seen.Most.Z - seen.Least.Z), 0, 0.1);
        Assert.Equal(new Vec3(0, 0, -2), new BoxForm().Begun(seen).Position);
    }
}
