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

    // A lamp that is 1 up to the frame and 9 from it on, the shutter open half before it and half after: as one of 5, (1 + 9) ÷ 2.
    [Fact]
    public void A_lamp_changes_while_the_shutter_is_open()
    {
        const int frame = 1030;
        double[] p = demo.Engine.Pick(Shot, 1036, 700, 620).OnSet!;
        ShotDocument With(double strength, params CurveKey[] keys) =>
            Shot with
            {
                ShutterDegrees = 360,
                Elements = [],
                Lights =
                [
                    .. Shot.Lights,
                    new()
                    {
                        Id = "lamp",
                        Kind = LightKind.Point,
                        Position = new(p[0], p[1] + 0.7, p[2]),
                        Strength = strength,
                        InPlate = false,
                    },
                ],
                Curves = keys.Length == 0 ? [] : [new() { Id = "lights/lamp/strength", Keys = keys }],
            };
        double Light(ShotDocument shot)
        {
            FrameLayers seen = demo.Engine.Renderer.Render(shot, frame, Width, RenderQuality.Middle),
                bare = demo.Engine.Renderer.Render(shot with { Lights = Shot.Lights, Curves = [] }, frame, Width, RenderQuality.Middle);
            return seen.Comp.Data.Zip(bare.Comp.Data).Sum(v => (double)v.First - v.Second);
        }
        double five = Light(With(5)),
            nine = Light(With(9)),
            both = Light(With(9, new CurveKey(frame - 1, 1, Handle: KeyHandle.Held), new CurveKey(frame, 9, Handle: KeyHandle.Held)));
        Assert.True(five > 1, $"{five}");
        Assert.Equal(9 / 5.0, nine / five, 0.01);
        Assert.Equal(1, both / five, 0.03);
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

    // A door before the camera that wears what the plate shows there, filmed shut, swings open: at its new place it shows what it showed
    // where it was shut.
    [Fact]
    public void A_hinged_piece_takes_its_footage_along()
    {
        const int shut = 1036,
            open = 1040;
        var (pose, pinhole) = demo.Engine.Camera(Shot, shut);
        Vec3 ahead = pose.Position + pose.Rotation * new Vec3(0, 0, -3);
        // A plane's front is its +Y: it is tilted to face the camera.
        var door = new Piece
        {
            Id = "door",
            Name = "door",
            Kind = PieceKind.Plane,
            Position = ahead,
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(pose.Rotation * Rotations.AboutX(Math.PI / 2)),
            Size = new(1, 1, 1),
            Duties = new() { Seen = true, New = true },
        };
        door = door with { Hinge = PieceHinge.Edges(door)[0].Hinge };
        ShotDocument shot = Shot with
        {
            Pieces = [.. Shot.Pieces, door],
            Elements = [],
            Finish = new(),
            Projections =
            [
                new()
                {
                    Id = "held",
                    Name = "held",
                    Kind = SourceKind.Held,
                    Frame = shut,
                    Pieces = ["door"],
                },
            ],
            Curves = [new() { Id = "pieces/door/hinge/degrees", Keys = [new(shut, 0), new(open, 40)] }],
        };
        const int width = 640;
        FloatImage plate = demo.Engine.Plates.QuietPlate(shot, shut, width),
            comp = demo.Engine.Renderer.Render(shot, open, width, RenderQuality.Middle).Comp;
        Piece then = Hanging.At(shot, open).Pieces[^1];
        Similarity Placed(Piece p) =>
            new(1, Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z), p.Position);
        var (later, lens) = demo.Engine.Camera(shot, open);
        // With the plate's grain on it, and finer or coarser than it was.
        var spots = (
            from u in Enumerable.Range(-3, 7)
            from v in Enumerable.Range(-3, 7)
            let own = new Vec3(u / 8.0, 0, v / 8.0)
            select (Was: Pixel(pinhole, pose, Placed(door).Apply(own)), Now: Pixel(lens, later, Placed(then).Apply(own)))
        ).ToArray();
        double Middle(Func<((double X, double Y) Was, (double X, double Y) Now), (double X, double Y)> at) =>
            spots.Select(s => Math.Abs(Mean(comp, s.Now) / Mean(plate, at(s)) - 1)).Order().ElementAt(spots.Length / 2);
        Assert.True(Middle(s => s.Was) < 0.06, $"the middle one is {100 * Middle(s => s.Was):0.0} % off");
        Assert.True(Middle(s => s.Now) > 0.12, $"it might as well show what lies behind: {100 * Middle(s => s.Now):0.0} %");
        // Swung away it is elsewhere: what the plate shows at its old place is not there any more by chance.
        Vec3 corner = new(0.375, 0, 0.375);
        var (x0, y0) = Pixel(pinhole, pose, Placed(door).Apply(corner));
        var (x1, y1) = Pixel(lens, later, Placed(then).Apply(corner));
        Assert.True(Math.Abs(x0 - x1) + Math.Abs(y0 - y1) > 20);

        (double X, double Y) Pixel(Pinhole through, Pose from, Vec3 place)
        {
            Assert.True(through.Resized(width, 360).TryProject(from, place, out double x, out double y));
            return (x, y);
        }
        static double Mean(FloatImage image, (double X, double Y) at)
        {
            double sum = 0;
            for (int y = (int)at.Y - 1; y <= (int)at.Y + 1; y++)
            {
                for (int x = (int)at.X - 1; x <= (int)at.X + 1; x++)
                {
                    sum += image[x, y, 0] + image[x, y, 1] + image[x, y, 2];
                }
            }
            return Math.Max(1e-6, sum);
        }
    }
}
