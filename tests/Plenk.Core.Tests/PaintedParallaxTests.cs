using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Projection;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// A camera that goes sideways sees a point at distance d move by f b ÷ d (Hartley and Zisserman 2003, 9.3.1: pure translation): pieces in
/// another depth than the tracks part from them by f b (1 ÷ d₁ − 1 ÷ d₂).
/// </summary>
public class PaintedParallaxTests
{
    private const int Frames = 11;
    private const double Step = 0.2,
        Focal = 1000;
    private static readonly Pinhole Pinhole = new(1000, 600, Focal, Focal, 500, 300, Lens.None);

    private static (Pose, Pinhole)? Camera(int frame) => (new(Matrix3.Identity, new(Step * frame, 0, 0)), Pinhole);

    private static Track Of(int id, Vec3 point)
    {
        var track = new Track(id);
        for (int f = 0; f < Frames; f++)
        {
            var (pose, pinhole) = Camera(f)!.Value;
            pinhole.TryProject(pose, point, out double x, out double y);
            track.Points.Add(new(f, x, y));
        }
        return track;
    }

    private static PaintedParallax? Parts(double card, params Track[] tracks)
    {
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "city",
                    Kind = PieceKind.Box,
                    Size = new(60, 60, 0.001),
                    Position = new(0, -30, -card),
                },
            ],
            (_, _) => throw new InvalidOperationException()
        );
        return PaintedParallax.Of(tracks, Camera, set.Scene);
    }

    [Theory]
    [InlineData(20)]
    [InlineData(40)]
    [InlineData(12)]
    public void A_piece_parts_from_the_tracks_by_its_depth(double card)
    {
        Track[] tracks = [.. Enumerable.Range(0, 9).Select(i => Of(i, new(-2 + i, 0.5 * (i % 3), -20)))];
        PaintedParallax parts = Parts(card, tracks)!;
        Assert.Equal(Math.Abs(Focal * Step * (Frames - 1) * (1 / 20.0 - 1 / card)), parts.Pixels, 0.02 + 0.001 * parts.Pixels);
        Assert.Equal(card, parts.Metres, 0.01 * card); // along its ray
        Assert.Equal(20, parts.TrackMetres, 0.2);
        Assert.Equal(9, parts.Tracks);
    }

    [Fact]
    public void The_tracks_that_are_nearest_in_depth_count()
    {
        Track[] tracks =
        [
            .. Enumerable.Range(0, 12).Select(i => Of(i, new(-2 + 0.4 * i, 0.3, -30))),
            .. Enumerable.Range(20, 30).Select(i => Of(i, new(0.1 * (i - 30), -0.2, -5))),
        ];
        Assert.Equal(0, Parts(30, tracks)!.Pixels, 0.02);
        Assert.Null(Parts(30, Of(1, new(60, 0, -30)))); // beside it
        Assert.Null(Parts(30));
    }

    [Fact]
    public void The_worst_piece_is_told_with_both_distances()
    {
        var parts = new PaintedParallax(3.2, 240, 180, 12, new(1040, 400, 200));
        Reading reading = ProjectionReadings.Parallax([
            ("a", "far", new(0.2, 300, 290, 4, default)),
            ("b", "towers", parts),
            ("c", "sky", null),
        ]);
        Assert.Equal(Verdict.Outside, reading.Verdict);
        Assert.Equal("towers, 240.0 m away; its nearest 12 tracks are 180.0 m", reading.Note);
        Assert.Equal("b", reading.Thing);
        Assert.Equal(1040, reading.Worst!.Frame);
        Assert.Contains("no track", ProjectionReadings.Parallax([("c", "sky", null)]).Note);
    }
}
