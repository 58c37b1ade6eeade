using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Frames of a shot whose values change over them, on the demo shot.</summary>
public sealed class CurveWorkTests(DemoShot demo) : IClassFixture<DemoShot>
{
    private const int Width = 160;

    private ShotDocument Shot =>
        demo.Document with
        {
            ShutterDegrees = 0,
            Finish = new()
            {
                Steps =
                [
                    new()
                    {
                        Id = "grade_1",
                        Kind = FinishKind.Grade,
                        Grade = new(),
                    },
                    new()
                    {
                        Id = "whole_1",
                        Kind = FinishKind.Whole,
                        Grade = new(),
                        Saturation = new(),
                        Whole = new(),
                    },
                ],
            },
        };

    private FloatImage Comp(ShotDocument shot, int frame) =>
        demo.Engine.Finish.Frame(shot, frame, Width, RenderQuality.Draft, dataPasses: false, whole: true).Comp;

    // What is keyed is at each frame as if it had been set so there; and it is another at another frame.
    [Theory]
    [InlineData("finish/steps/grade_1/grade/stops", -2.0, 2.0)]
    [InlineData("finish/steps/whole_1/grade/saturation", 0.0, 2.0)]
    [InlineData("finish/steps/whole_1/off", 0.0, 1.0)]
    [InlineData("lights/SUN/angularDiameterDegrees", 0.5, 20.0)]
    [InlineData("contact/strength", 0.0, 1.0)]
    [InlineData("pieces/column_east_1/scale", 1.0, 2.0)]
    public void A_keyed_value_is_at_a_frame_as_if_it_were_set_there(string at, double from, double to)
    {
        ShotDocument shot = Shot;
        shot = shot with
        {
            Finish = shot.Finish with { Steps = [shot.Finish.Steps[0], shot.Finish.Steps[1] with { Grade = new() { Stops = 1 } }] },
        };
        at = at.Replace("SUN", shot.Lights.First(l => l.Kind == LightKind.Sun).Id, StringComparison.Ordinal);
        ShotDocument keyed = shot with { Curves = [new() { Id = at, Keys = [new(1030, from), new(1040, to)] }] };
        FloatImage first = Comp(keyed, 1030);
        foreach (int frame in (int[])[1030, 1034, 1040])
        {
            FloatImage own = frame == 1030 ? first : Comp(keyed, frame),
                set = Comp(ShotCurves.At(keyed, frame) with { Curves = [] }, frame);
            Assert.Equal(set.Data, own.Data);
        }
        // The same frame with the value of another.
        Assert.NotEqual(Comp(ShotCurves.At(keyed, 1040) with { Curves = [] }, 1030).Data, first.Data);
    }

    [Fact]
    public void What_is_keyed_in_the_finish_leaves_the_frame_before_it_as_it_is()
    {
        ShotDocument keyed = Shot with
        {
            Curves = [new() { Id = "finish/steps/grade_1/grade/stops", Keys = [new(1030, -2), new(1040, 2)] }],
        };
        Assert.Equal(ResultKey.Of("k", 1, Reduced.Bare(Shot)), ResultKey.Of("k", 1, Reduced.Bare(keyed)));
        Assert.NotEqual(ResultKey.Of("k", 1, Reduced.Seen(Shot)), ResultKey.Of("k", 1, Reduced.Seen(keyed)));
    }

    // A seen column that goes up by 0.05 m a frame: what is seen of it goes up by f · 0.05 ÷ depth more than by the camera alone.
    [Fact]
    public void A_keyed_piece_has_its_own_motion()
    {
        var (pose, pinhole) = demo.Engine.Camera(Shot, 1034);
        // A pixel of the plate that shows one of the columns alone.
        (int px, int py, PickResult seen) = (
            from y in Enumerable.Range(0, 18)
            from x in Enumerable.Range(0, 32)
            let at = demo.Engine.Pick(Shot, 1034, 40 * x + 20, 40 * y + 20)
            where at is { ElementId: null, PieceId: { } id } && id.StartsWith("column_", StringComparison.Ordinal)
            select (40 * x + 20, 40 * y + 20, at)
        ).First();
        Piece column = Shot.Pieces.First(p => p.Id == seen.PieceId);
        ShotDocument still = Shot with
        {
            Pieces = [.. Shot.Pieces.Select(p => p.Id == column.Id ? p with { Duties = p.Duties with { Seen = true } } : p)],
            Curves = [],
        };
        ShotDocument moves = still with
        {
            Curves =
            [
                new()
                {
                    Id = $"pieces/{column.Id}/position",
                    Keys =
                    [
                        new(1034, Triple: column.Position, Handle: KeyHandle.Straight),
                        new(1044, Triple: column.Position + new Vec3(0, 0.5, 0), Handle: KeyHandle.Straight),
                    ],
                },
            ],
        };
        FrameLayers a = demo.Engine.Renderer.Render(still, 1034, 640, RenderQuality.Draft, parts: true),
            b = demo.Engine.Renderer.Render(moves, 1034, 640, RenderQuality.Draft, parts: true);
        int i = py / 2 * 640 + px / 2;
        float by = b.Parts!.Motion.Data[2 * i + 1] - a.Parts!.Motion.Data[2 * i + 1];
        double depth = -pose.ToLocal(new(seen.Point![0], seen.Point[1], seen.Point[2])).Z,
            expected = -0.05 * pinhole.Resized(640, 360).Fy / depth;
        Assert.True(Math.Abs(by - expected) < 0.12 * Math.Abs(expected), $"{by:0.000} px, {expected:0.000} by hand");
    }
}
