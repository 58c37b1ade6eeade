using Plenk.Core.Cameras;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What a camera is judged by: known lengths, live tracks, held-out tracks, the drift forecast, figures on the floor.</summary>
public class JudgingTests
{
    private static ShotDocument Shot(params (string Name, Vec3 Place)[] points) =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "S_1",
            Range = new(1001, 1010),
            SurveyPoints =
            [
                .. points.Select(p => new SurveyPoint
                {
                    Name = p.Name,
                    Position = p.Place,
                    Clicks = [new(1003, 40, 50)],
                }),
            ],
        };

    // Scale from one known distance, derived: points 0.830662386 apart that are 1.20 m make the scale 1.44463024; a length that took
    // no part is then judged in metres.
    [Fact]
    public void A_length_that_took_no_part_is_measured()
    {
        ShotDocument shot = Shot(("P", new(0.2, 0.1, 3)), ("Q", new(0.9, -0.1, 3.4)), ("R", new(0.2, 0.1, 4))) with
        {
            Orientation = new() { Scale = new("P", "Q", 1.2) },
        };
        Assert.Equal("no length is named to check by", CameraReadings.Lengths(shot).Note);
        Reading good = CameraReadings.Lengths(shot with { KnownLengths = [new("P", "R", 1.44463024)] });
        Assert.Equal(0, good.Value!.Value, 1e-4);
        Assert.Equal(Verdict.Within, good.Verdict);
        Reading bad = CameraReadings.Lengths(shot with { KnownLengths = [new("P", "R", 1.44463024), new("P", "R", 1.4)] });
        Assert.Equal(100 * (1.44463024 / 1.4 - 1), bad.Value!.Value, 1e-3);
        Assert.Equal((Verdict.Outside, 1003), (bad.Verdict, bad.Worst!.Frame));
        Assert.Contains("X has no place", CameraReadings.Lengths(shot with { KnownLengths = [new("P", "X", 1)] }).Note);
        Assert.Contains("more than 0 m", string.Join(' ', ShotChecks.Faults(shot with { KnownLengths = [new("P", "R", 0)] })));
    }

    [Fact]
    public void Live_tracks_are_counted_in_every_frame()
    {
        Assert.Equal(Verdict.Nothing, SolveReadings.Live([], 1001, 1010).Verdict);
        Track[] tracks =
        [
            .. Enumerable
                .Range(0, 50)
                .Select(i =>
                {
                    var t = new Track(i);
                    for (int f = 1001; f <= (i < 25 ? 1010 : 1004); f++)
                    {
                        t.Points.Add(new(f, i, i));
                    }
                    return t;
                }),
        ];
        Reading r = SolveReadings.Live(tracks, 1001, 1010);
        Assert.Equal((25.0, 1005, Verdict.Outside), (r.Value!.Value, r.Worst!.Frame!.Value, r.Verdict));
        Assert.Equal([50, 50, 50, 50, 25, 25, 25, 25, 25, 25], r.PerFrame!.Select(p => (int)p.Value));
    }

    // An ellipse with half axes 3 and 1, turned by 30°: its covariance is R diag(9, 1) Rᵀ.
    [Fact]
    public void The_slide_is_the_larger_half_axis()
    {
        double c = Math.Cos(Math.PI / 6),
            s = Math.Sin(Math.PI / 6);
        Assert.Equal(3, SolveReadings.HalfAxis((9 * c * c + s * s, 8 * c * s, 9 * s * s + c * c)), 1e-12);
        Assert.Equal(0, SolveReadings.HalfAxis((0, 0, 0)));
        Assert.Contains("nothing stands here", SolveReadings.Slide(Sure(), 1001, []).Note);
        Reading near = SolveReadings.Slide(Sure(), 1001, [("bell", new(0, 0, -3))]),
            far = SolveReadings.Slide(Sure(), 1001, [("bell", new(0, 0, -30))]);
        Assert.Equal(5, near.PerFrame!.Count);
        // What is near slides more, as the camera's place matters more to it.
        Assert.True(near.Value > far.Value);
        Assert.Contains("no element is before", SolveReadings.Slide(Sure(), 1001, [("bell", new(0, 0, 40))]).Note);
    }

    private static BundleCovariance Sure()
    {
        var random = new Random(1);
        var problem = new BundleProblem { Points = TrackScenes.Cloud(40) };
        problem.Groups.Add(
            new()
            {
                Focal = 1000,
                Cx = 640,
                Cy = 360,
            }
        );
        var seen = new List<BundleObservation>();
        for (int v = 0; v < 6; v++)
        {
            problem.Views.Add(new() { CameraToWorld = new(Matrix3.Identity, new(0.3 * v, 0, 0)), Fixed = v == 0 });
            for (int p = 0; p < 40; p++)
            {
                Vec3 q = problem.Views[v].Rotation * problem.Points[p] + problem.Views[v].Translation;
                seen.Add(
                    new(
                        v,
                        p,
                        640 + 1000 * q.X / q.Z + 0.3 * TrackScenes.Normal(random),
                        360 + 1000 * q.Y / q.Z + 0.3 * TrackScenes.Normal(random)
                    )
                );
            }
        }
        problem.Observations = [.. seen];
        BundleAdjustment.Run(problem);
        return BundleAdjustment.Covariance(problem)!;
    }

    [Fact]
    public void A_figure_stands_on_its_foot_and_faces_the_camera()
    {
        var figure = new StandIn("figure_1", false, new(2, 0, -5), 1.75);
        (Vec3 A, Vec3 B)[] lines = [.. StandInLines.Of(figure, new(0, 1.6, 3))];
        Assert.Equal(1.75, lines.Max(l => Math.Max(l.A.Y, l.B.Y)), 1e-12);
        Assert.Equal(0, lines.Min(l => Math.Min(l.A.Y, l.B.Y)), 1e-12);
        // All that stands up lies in the plane through the foot that is square to the way to the camera.
        var away = new Vec3(2, 0, -8).Normalized();
        Assert.All(lines.Where(l => l.A.Y > 0.01), l => Assert.Equal(0, Vec3.Dot(l.A - figure.Position, away), 1e-9));
        (Vec3 A, Vec3 B)[] box = [.. StandInLines.Of(figure with { Box = true, HeightMetres = 0.5 }, Vec3.Zero)];
        Assert.Equal(12, box.Length);
        Assert.All(box, e => Assert.Equal(0.5, (e.A - e.B).Length, 1e-12));
        // From right above there is no way to face; it is drawn all the same.
        Assert.All(StandInLines.Of(figure, new(2, 9, -5)), l => Assert.True(l.A.IsFinite && l.B.IsFinite));
    }

    // Even–odd rule (a published rule of point in polygon); corners of a star that crosses itself leave its middle outside.
    [Fact]
    public void A_matte_s_inside_is_told_by_the_even_odd_rule()
    {
        double[] square = [0, 0, 10, 0, 10, 10, 0, 10];
        Assert.True(MatteShape.Contains(square, 5, 5));
        Assert.False(MatteShape.Contains(square, 15, 5));
        double[] star =
        [
            .. Enumerable.Range(0, 5).SelectMany(i => new[] { 10 * Math.Sin(4 * Math.PI * i / 5), 10 * Math.Cos(4 * Math.PI * i / 5) }),
        ];
        Assert.False(MatteShape.Contains(star, 0, 0));
        Assert.True(MatteShape.Contains(star, 0, 8));
        var matte = new Matte { Id = "m", Keys = [new(1001, square)] };
        Func<int, int, bool> allowed = MatteShape.Allowed([matte, matte with { Id = "off", Off = true }], 1005)!;
        Assert.False(allowed(5, 5));
        Assert.True(allowed(11, 5));
        Assert.Null(MatteShape.Allowed([matte with { Off = true }], 1005));
        Assert.Empty(MatteShape.At(new Matte { Id = "none" }, 1001));
    }
}
