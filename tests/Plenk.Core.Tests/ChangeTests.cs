using System.Reflection;
using System.Text.RegularExpressions;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// What stays where it is when a plate, a camera or the world comes again: all of it by what a camera sees, before and after.
/// </summary>
public sealed class ChangeTests
{
    private static readonly Pinhole Lens = new(1920, 1080, 1500, 1500, 960, 540, new Lens(-0.03, 0.005, 0, 0, 0));
    private static readonly Similarity Gauge = new(0.37, Rotations.FromEulerYxzDegrees(31, -140, 62), new(3.2, -17, 0.4));

    /// <summary>A camera that goes sideways and turns.</summary>
    private static Pose At(int frame) =>
        new(
            Rotations.FromEulerYxzDegrees(-6 - 0.2 * (frame - 1001), 3 + 0.9 * (frame - 1001), 0.3),
            new(0.12 * (frame - 1001), 1.6 + 0.01 * (frame - 1001), 0.03 * (frame - 1001))
        );

    private static readonly int[] Frames = [.. Enumerable.Range(1001, 24)];

    private static Vec3[] Places()
    {
        var random = new Random(5);
        return
        [
            .. Enumerable
                .Range(0, 200)
                .Select(_ => new Vec3(8 * random.NextDouble() - 3, 3 * random.NextDouble(), -4 - 8 * random.NextDouble())),
        ];
    }

    [Fact]
    public void A_solve_in_another_gauge_moves_nothing()
    {
        PlaceFit fit = PlaceKept.Fit(f => (At(f), Lens), f => (At(f).Moved(Gauge), Lens), Frames, Places())!;
        Assert.True(fit.Points > 100);
        Assert.InRange(fit.MostPixels, 0, 1e-4);
        Similarity back = fit.NewToOld.After(Gauge);
        Assert.Equal(1, back.Scale, 1e-8);
        Assert.True(back.Translation.Length < 1e-7);
    }

    [Fact]
    public void One_that_differs_a_little_is_laid_over_the_place_and_says_by_how_much()
    {
        // Every frame off by about 0.02° (half a pixel) and the focal length by a thousandth; a tenth of the places is elsewhere altogether.
        var random = new Random(9);
        var off = Frames.ToDictionary(
            f => f,
            _ => Rotations.FromEulerYxzDegrees(0.02 * random.NextDouble(), 0.02 * random.NextDouble(), 0.02 * random.NextDouble())
        );
        Pinhole other = Lens with { Fx = 1501.5, Fy = 1501.5 };
        PlaceFit fit = PlaceKept.Fit(
            f => (At(f), Lens),
            f => (new Pose(At(f).Rotation * off[f], At(f).Position).Moved(Gauge), other),
            Frames,
            Places()
        )!;
        Assert.InRange(fit.MiddlePixels, 0.05, 1);
        Assert.Equal(1, fit.NewToOld.After(Gauge).Scale, 0.01);
        // Without a place to lay it by, its directions and path do.
        PlaceFit bare = PlaceKept.Fit(f => (At(f), Lens), f => (At(f).Moved(Gauge), Lens), Frames, [])!;
        Assert.Equal(0, bare.Points);
        // Places in a line say nothing of the turn about it: they are not what it is laid by.
        Vec3[] line = [.. Enumerable.Range(0, 20).Select(k => new Vec3(0.1 * k, 0.5, -6))];
        PlaceFit along = PlaceKept.Fit(f => (At(f), Lens), f => (At(f).Moved(Gauge), Lens), Frames, line)!;
        Assert.Equal(0, along.Points);
        Assert.InRange(along.MostPixels, 0, 0.01);
        Assert.Equal(1, bare.NewToOld.After(Gauge).Scale, 1e-6);
        Assert.True(bare.NewToOld.After(Gauge).Translation.Length < 1e-6);
    }

    [Fact]
    public void A_camera_that_turns_is_laid_by_its_directions_and_another_shots_is_told_apart()
    {
        Pose Turns(int f) => new(At(f).Rotation, new(1, 2, 3));
        PlaceFit fit = PlaceKept.Fit(f => (Turns(f), Lens), f => (Turns(f).Moved(Gauge with { Scale = 1 }), Lens), Frames, Places())!;
        Assert.Equal(0, fit.Points);
        Assert.InRange(fit.MostPixels, 0, 1e-4);
        PlaceFit other = PlaceKept.Fit(
            f => (At(f), Lens),
            f => (new Pose(Rotations.FromEulerYxzDegrees(0, -2.5 * (f - 1001), 0), new(0, 0, 0.3 * (f - 1001))), Lens),
            Frames,
            Places()
        )!;
        Assert.True(other.MiddlePixels > 40, $"{other.MiddlePixels} px");
        Assert.Null(PlaceKept.Fit(f => f == 1001 ? (At(f), Lens) : null, f => (At(f), Lens), Frames, Places()));
    }

    private static ShotDocument Built() =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(1001, 1024),
            Plate = new()
            {
                Width = 1920,
                Height = 1080,
                Frames = [.. Frames.Select(f => new PlateFrame(f, $"p.{f}.png", $"{f}"))],
            },
            Pieces =
            [
                new()
                {
                    Id = "box",
                    Kind = PieceKind.Box,
                    Position = new(1, 0, -6),
                    RotationYxzDegrees = new(10, 20, 30),
                    Size = new(1, 2, 3),
                    Scale = 1.5,
                    Pins = [new(1003, new(0, 0, 0), null, 400, 300)],
                    Duties = new() { HoldoutPixels = 2 },
                },
            ],
            Elements =
            [
                new()
                {
                    Id = "bell",
                    Position = new(-1, 0.2, -5),
                    RotationYxzDegrees = new(8, 40, -5),
                    Pivot = new(0.1, 0.2, 0.3),
                    Scale = 0.8,
                },
            ],
            Lights =
            [
                new()
                {
                    Id = "sun",
                    Kind = LightKind.Sun,
                    Direction = new(0.3, 0.8, 0.2),
                },
                new()
                {
                    Id = "lamp",
                    Kind = LightKind.Point,
                    Position = new(0, 2, -4),
                    Strength = 10,
                },
                new()
                {
                    Id = "torch",
                    Kind = LightKind.Spot,
                    Position = new(0.1, 1, 0.2),
                    Direction = new(0.2, 0.9, 0.1),
                    HangsOn = new() { On = "elements/bell" },
                    Shake = new() { Metres = new(0.02, 0, 0) },
                },
            ],
            Curves =
            [
                new() { Id = "lights/lamp/strength", Keys = [new(1005, 7)] },
                new() { Id = "lights/lamp/position", Keys = [new(1005, Triple: new(0, 2.5, -4))] },
            ],
            Mattes =
            [
                new()
                {
                    Id = "m",
                    Keys = [new(1001, [0, 0, 1920, 0, 960, 1080])],
                    Motion = new(1001, [new(1004, [1.01, 0.002, 12, -0.003, 0.99, -7, 1e-6, -2e-6, 1])]),
                    FeatherPixels = 4,
                    GrowPixels = -2,
                },
            ],
            SurveyPoints = [new() { Name = "A", Clicks = [new(1001, 100.5, 200.25)] }],
            Projections =
            [
                new()
                {
                    Id = "p",
                    MatteFeatherPixels = 6,
                    BeyondPixels = 40,
                },
            ],
            SeamBlendPixels = 12,
            RealShadow = new(1001, 10, 20, 30, 40),
            Notes =
            [
                new()
                {
                    Id = "n",
                    X = 500,
                    Y = 250,
                },
            ],
            Still = new()
            {
                Lines = [new("x", 1, 2, 3, 4)],
                Origin = [100, 200],
                Length = new([1, 2], [3, 4], 2),
            },
            Orientation = new() { Level = [new(1001, true, 0, 500, 1920, 510)] },
            Finish = new()
            {
                Region = new(100, 200, 300, 400),
                Steps =
                [
                    new()
                    {
                        Id = "blur",
                        Pixels = 3,
                        Shadow = new(new(1, 1, 1), 1, 2),
                    },
                    new()
                    {
                        Id = "flare",
                        Flare = new("sun"),
                        Ripple = new(4, null, 60),
                    },
                    new() { Id = "frame", Reframe = new([new(1001, 10, -20)], 1.5) },
                ],
            },
        };

    [Fact]
    public void What_is_built_goes_along_with_a_world_that_is_laid_anew()
    {
        ShotDocument was = Built(),
            moved = MovedWorld.Of(was, Gauge);
        void Same(Similarity a, Similarity b)
        {
            Similarity went = Gauge.After(a);
            Assert.Equal(went.Scale, b.Scale, 1e-9);
            Assert.True((went.Translation - b.Translation).Length < 1e-9);
            Assert.True(Rotations.DegreesBetween(went.Rotation, b.Rotation) < 3e-6);
        }
        Same(PieceMeshes.PlaceOf(was.Pieces[0]), PieceMeshes.PlaceOf(moved.Pieces[0]));
        foreach (int f in (int[])[1001, 1004, 1010])
        {
            Same(ShotCurves.At(was, f).Elements[0].ObjectToWorld, ShotCurves.At(moved, f).Elements[0].ObjectToWorld);
        }
        Assert.True((Gauge.Rotation * was.Lights[0].Direction - moved.Lights[0].Direction).Length < 1e-12);
        // A lamp's light on what it shines on is what it was: I ÷ r².
        Light lamp = ShotCurves.At(was, 1005).Lights[1],
            then = ShotCurves.At(moved, 1005).Lights[1];
        Vec3 spot = new(0.3, 0, -4);
        Assert.Equal(
            lamp.Strength / (lamp.Position - spot).LengthSquared,
            then.Strength / (then.Position - Gauge.Apply(spot)).LengthSquared,
            1e-9
        );
        // What hangs on something goes along with that, its trembling too.
        Light torch = Hanging.At(was, 1004).Lights[2],
            hung = Hanging.At(moved, 1004).Lights[2];
        Assert.True((Gauge.Apply(torch.Position) - hung.Position).Length < 1e-9);
        Assert.True((Gauge.Rotation * torch.Direction - hung.Direction).Length < 1e-9);
        // What was filmed elsewhere stands where it stood; air that is told by the metre is as thick over the same way.
        ShotDocument aired = was with
        {
            Mattes =
            [
                new()
                {
                    Id = "filmed",
                    Kind = MatteKind.Filmed,
                    HidesBeyondMetres = 3,
                    Footage = new() { Camera = "B", At = spot },
                },
            ],
            Finish = new()
            {
                Steps =
                [
                    new()
                    {
                        Id = "haze",
                        Haze = new(new(1, 1, 1), new(0.1, 0.2, 0.3), 8),
                        Beam = new("lamp", 0.05),
                        Sphere = new() { Place = spot, RadiusMetres = 2 },
                        Band = new() { FromMetres = 3, ToHeight = spot.Y },
                    },
                ],
            },
        };
        ShotDocument airedThen = MovedWorld.Of(aired, Gauge);
        FinishStep step = airedThen.Finish.Steps[0];
        Assert.Equal(3 * Gauge.Scale, airedThen.Mattes[0].HidesBeyondMetres!.Value, 1e-12);
        Assert.True((airedThen.Mattes[0].Footage!.At!.Value - Gauge.Apply(spot)).Length < 1e-12);
        Assert.Equal(0.2, step.Haze!.PerMetre.Y * Gauge.Scale, 1e-12);
        Assert.Equal(8 * Gauge.Scale, step.Haze.ThinsOverMetres!.Value, 1e-12);
        Assert.Equal(0.05, step.Beam!.PerMetre * Gauge.Scale, 1e-12);
        Assert.Equal((2 * Gauge.Scale, Gauge.Apply(spot)), (step.Sphere!.RadiusMetres, step.Sphere.Place));
        Assert.Equal((3 * Gauge.Scale, null), (step.Band!.FromMetres!.Value, step.Band.ToMetres));
        // The heights stay level: they lie where the world's own upright takes them.
        Assert.Equal(Gauge.Apply(new(0, spot.Y, 0)).Y, step.Band.ToHeight!.Value, 1e-12);
        // And all the way back.
        ShotDocument back = MovedWorld.Of(moved, Gauge.Inverse());
        Assert.True((back.Pieces[0].Position - was.Pieces[0].Position).Length < 1e-9);
        Assert.True((was.Elements[0].RotationYxzDegrees - back.Elements[0].RotationYxzDegrees).Length < 1e-6);
    }

    [Fact]
    public void A_heading_turns_with_the_world()
    {
        // Clockwise from −Z as it is seen from above: a world turned by 90° about +Y takes −Z to −X, heading 270°.
        ShotDocument shot = Built() with { Sun = new() { NorthDegrees = 0 } };
        Similarity quarter = new(1, Rotations.AboutY(Math.PI / 2), Vec3.Zero);
        Vec3 north = quarter.Rotation * new Vec3(0, 0, -1);
        Assert.True((north - new Vec3(-1, 0, 0)).Length < 1e-12);
        Assert.Equal(270, (MovedWorld.Of(shot, quarter).Sun.NorthDegrees + 360) % 360, 1e-9);
    }

    [Fact]
    public void A_plate_of_half_size_keeps_every_key_and_what_is_drawn_on_it()
    {
        ShotDocument was = Built();
        PlateSource half = was.Plate! with { Width = 960, Height = 540 };
        Assert.Null(NewerPlate.Fault(was.Plate, half));
        ShotDocument now = NewerPlate.Lay(was, half);
        Assert.Equal(was.Range, now.Range);
        Assert.Equal([0, 0, 960, 0, 480, 540], now.Mattes[0].Keys[0].Corners);
        Assert.Equal(new PointClick(1001, 50.25, 100.125), now.SurveyPoints[0].Clicks[0]);
        Assert.Equal((200, 150), (now.Pieces[0].Pins[0].X, now.Pieces[0].Pins[0].Y));
        Assert.Equal(
            (2, -1, 3, 20, 6),
            (
                now.Mattes[0].FeatherPixels,
                now.Mattes[0].GrowPixels,
                now.Projections[0].MatteFeatherPixels,
                now.Projections[0].BeyondPixels,
                now.SeamBlendPixels
            )
        );
        Assert.Equal(new FinishRegion(50, 100, 150, 200), now.Finish.Region);
        Assert.Equal(
            (1.5, 1, 60, 2, 30, 0.75),
            (
                now.Finish.Steps[0].Pixels,
                now.Finish.Steps[0].Shadow!.BlurPixels,
                now.Finish.Steps[1].Flare!.RadiusPixels,
                now.Finish.Steps[1].Ripple!.Pixels,
                now.Finish.Steps[1].Ripple!.SizePixels,
                now.Finish.Steps[2].Reframe!.ShakePixels
            )
        );
        // A motion takes the same place of the picture to the same place.
        static (double X, double Y) Goes(double[] h, double x, double y)
        {
            double w = h[6] * x + h[7] * y + h[8];
            return ((h[0] * x + h[1] * y + h[2]) / w, (h[3] * x + h[4] * y + h[5]) / w);
        }
        var (x, y) = Goes(was.Mattes[0].Motion!.Steps[0].Homography, 700, 300);
        var (u, v) = Goes(now.Mattes[0].Motion!.Steps[0].Homography, 350, 150);
        Assert.Equal((x / 2, y / 2), (u, v));
        // And back: nothing is lost.
        Assert.Equal(ShotJson.Write(was), ShotJson.Write(NewerPlate.Lay(now, was.Plate)));
        // Half of a proxy is a smaller proxy; as large as the footage it is none.
        ShotDocument proxy = was with { Plate = was.Plate with { FullWidth = 3840, FullHeight = 2160 } };
        Assert.Equal(3840, NewerPlate.Lay(proxy, half).Plate!.FullWidth);
        Assert.Null(NewerPlate.Lay(proxy, was.Plate with { Width = 3840, Height = 2160 }).Plate!.FullWidth);
        Assert.Contains("another shape", NewerPlate.Fault(was.Plate, was.Plate with { Height = 1000 }));
    }

    [Fact]
    public void Frames_are_the_same_by_their_numbers_or_first_on_first()
    {
        ShotDocument was = Built() with { Cut = new(1003, 1020) };
        PlateSource Of(int first, int last) =>
            was.Plate! with
            {
                Frames = [.. Enumerable.Range(first, last - first + 1).Select(f => new PlateFrame(f, $"{f}", $"{f}"))],
            };
        ShotDocument With(PlateSource newer) =>
            NewerPlate.Lay(was, newer with { Mapping = NewerPlate.Mapping(was.Plate!, newer, was.Range, was.Rate) });
        // Four frames more at either end: the old ones keep their numbers.
        ShotDocument longer = With(Of(997, 1028));
        Assert.Equal((new FrameRange(997, 1028), was.Cut), (longer.Range, longer.Cut));
        Assert.Equal(1001, longer.Plate!.FrameAt(1001, longer.Rate));
        // Counted from 1: its first is the shot's first.
        ShotDocument counted = With(Of(1, 24));
        Assert.Equal((was.Range, 1), (counted.Range, counted.Plate!.FrameAt(1001, counted.Rate)));
        // Shorter: the cut keeps to what there is.
        Assert.Equal(new(1003, 1015), With(Of(1001, 1015)).Cut);
    }

    [Fact]
    public void Whatever_a_document_holds_in_pixels_is_known()
    {
        // A new property in pixels is to be thought of where a plate comes in another size: NewerPlate, then here.
        string[] known =
        [
            "FinishRegion.X",
            "FinishRegion.Y",
            "FinishStep.Pixels",
            "FlareSettings.RadiusPixels",
            "FollowedFrame.DriftPixels",
            "FrameKey.X",
            "FrameKey.Y",
            "LevelLine.X1",
            "LevelLine.X2",
            "LevelLine.Y1",
            "LevelLine.Y2",
            "Matte.FeatherPixels",
            "Matte.GrowPixels",
            "Matte.WidthPixels",
            "MatteStroke.WidthPixels",
            "ObjectPin.X",
            "ObjectPin.Y",
            "PiecePin.X",
            "PiecePin.Y",
            "PointClick.X",
            "PointClick.Y",
            "ProjectionSource.BeyondPixels",
            "ProjectionSource.MatteFeatherPixels",
            "ReframeSettings.ShakePixels",
            "ReviewNote.X",
            "ReviewNote.Y",
            "RippleSettings.Pixels",
            "RippleSettings.SizePixels",
            "ShadowPair.DarkX",
            "ShadowPair.DarkY",
            "ShadowPair.LitX",
            "ShadowPair.LitY",
            "ShadowSettings.BlurPixels",
            "ShotDocument.SeamBlendPixels",
            "StillLine.X1",
            "StillLine.X2",
            "StillLine.Y1",
            "StillLine.Y2",
            "Duties.HoldoutPixels",
            "Duties.FadePixels",
            "WholeSettings.GlowPixels",
        ];
        string[] found =
        [
            .. typeof(ShotDocument)
                .Assembly.GetTypes()
                .Where(t => t.Namespace == typeof(ShotDocument).Namespace && t.IsPublic)
                .SelectMany(t => t.GetProperties(BindingFlags.Public | BindingFlags.Instance).Where(p => p.DeclaringType == t))
                .Where(p =>
                    Regex.IsMatch(p.Name, "Pixels$|^(|Lit|Dark)[XY][12]?$")
                    && (Nullable.GetUnderlyingType(p.PropertyType) ?? p.PropertyType) is { IsPrimitive: true }
                )
                .Select(p => $"{p.DeclaringType!.Name}.{p.Name}"),
        ];
        Assert.Equal(known.Order(StringComparer.Ordinal), found.Order(StringComparer.Ordinal));
    }
}
