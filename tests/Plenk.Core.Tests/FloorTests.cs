using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
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
}
