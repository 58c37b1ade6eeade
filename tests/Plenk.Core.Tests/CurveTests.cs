using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Values that change over frames, whatever they are values of.</summary>
public sealed class CurveTests
{
    private const string Density = "finish/steps/haze_1/haze/perMetre",
        Strength = "finish/steps/haze_1/strength";

    private static readonly ShotDocument Shot = new()
    {
        Production = "P",
        Sequence = "S",
        Code = "C",
        Range = new(1001, 1100),
        Finish = new()
        {
            Steps =
            [
                new()
                {
                    Id = "haze_1",
                    Kind = FinishKind.Haze,
                    Haze = new(new(0.1, 0.1, 0.1), new(0.5, 0.5, 0.5)),
                },
            ],
        },
        Lights = [new() { Id = "spot", Kind = LightKind.Spot }],
        Pieces =
        [
            new()
            {
                Id = "lid",
                Kind = PieceKind.Box,
                Position = new(1, 0, 2),
            },
        ],
        Mattes =
        [
            new()
            {
                Id = "m",
                Name = "m",
                FeatherPixels = 2,
            },
        ],
    };

    private static ValueCurve Curve(string at, params CurveKey[] keys) => new() { Id = at, Keys = keys };

    private static ShotDocument With(params ValueCurve[] curves) => Shot with { Curves = curves };

    // The weighted harmonic mean of Fritsch and Butland (SIAM J. Sci. Stat. Comput. 5, 1984), by hand: keys (0, 0), (1, 1), (3, 2) have
    // the secants 1 and 1/2, so the slope at the middle one is 3 · 3 ÷ ((2 · 2 + 1) ÷ 1 + (2 + 2 · 1) ÷ 0.5) = 9/13; at 1/2 the cubic
    // Hermite is 1/2 − 9/13 ÷ 8.
    [Fact]
    public void A_smooth_curve_is_the_monotone_cubic()
    {
        ValueCurve c = Curve("x", new(0, 0), new(1, 1), new(3, 2));
        Assert.Equal(0.5 - 9.0 / 13 / 8, c.NumberAt(0.5)!.Value, 1e-12);
        Assert.Equal(0, c.NumberAt(-5));
        Assert.Equal(2, c.NumberAt(50));
    }

    // The data of Fritsch and Carlson (SIAM J. Numer. Anal. 17, 1980), table of example RPN 14 (from memory), the axis times 100: what
    // is smooth in between never leaves what the keys on either side say.
    [Fact]
    public void A_smooth_curve_never_goes_beyond_its_keys()
    {
        int[] x = [799, 809, 819, 870, 920, 1000, 1200, 1500, 2000];
        double[] y = [0, 2.76429e-5, 4.37498e-2, 0.169183, 0.469428, 0.943740, 0.998636, 0.999919, 0.999994];
        ValueCurve c = Curve("x", [.. x.Select((f, i) => new CurveKey(f, y[i]))]);
        double last = 0;
        for (double f = 799; f <= 2000; f += 0.25)
        {
            double v = c.NumberAt(f)!.Value;
            Assert.True(v >= last - 1e-12, $"it falls at {f}");
            last = v;
        }
        Assert.Equal(0.943740, c.NumberAt(1000)!.Value, 1e-12);
    }

    // CSS Easing Functions Level 1: “ease” is the cubic Bézier (0.25, 0.1, 0.25, 1); a browser's value at the half is 0.8024034 (from memory).
    [Fact]
    public void Free_handles_are_a_beziers()
    {
        ValueCurve ease = Curve(
            "x",
            new(0, 0, Handle: KeyHandle.Free) { After = new(25, 0.1) },
            new(100, 1, Handle: KeyHandle.Free) { Before = new(-75, 0) }
        );
        Assert.Equal(0.8024034, ease.NumberAt(50)!.Value, 1e-6);
        // A handle that would run back in time ends within the span.
        ValueCurve wild = Curve("x", new(0, 0, Handle: KeyHandle.Free) { After = new(900, 0) }, new(100, 1));
        Assert.InRange(wild.NumberAt(50)!.Value, 0, 1);
    }

    // Bézier by Bernstein polynomials: with (0.6, 0) and (0.4, 1) its parameter 1/4 is at x = 0.325, y = 0.15625.
    [Fact]
    public void From_here_it_leaves_at_rest_and_there_it_ends_at_rest()
    {
        ValueCurve c = Curve("x", new(0, 0, Handle: KeyHandle.Straight), new(1000, 1, Handle: KeyHandle.Straight));
        c = c with { Keys = [KeyEasing.FromHere(c, 400)!, c.Keys[1]] };
        Assert.InRange(c.NumberAt(325)!.Value, 0.05, 0.3);
        c = c with { Keys = [c.Keys[0], KeyEasing.EndsThere(c, 400)!] };
        Assert.Equal(0.15625, c.NumberAt(325)!.Value, 1e-9);
        Assert.Equal(1 - 0.15625, c.NumberAt(675)!.Value, 1e-9);
        Assert.Null(KeyEasing.FromHere(c, 1000));
        Assert.Null(KeyEasing.FromHere(c, -1));
        Assert.Null(KeyEasing.EndsThere(c, 1001));
    }

    [Fact]
    public void On_the_other_side_of_an_eased_key_all_stays_as_it_was()
    {
        Vec3 T(double x) => new(x, -2 * x, 7);
        foreach (KeyHandle handle in (KeyHandle[])[KeyHandle.Smooth, KeyHandle.Straight, KeyHandle.Flat])
        {
            ValueCurve c = new()
            {
                Id = "x",
                Keys = [new(0, Triple: T(0), Handle: handle), new(10, Triple: T(3), Handle: handle), new(24, Triple: T(9), Handle: handle)],
            };
            ValueCurve from = c with { Keys = [c.Keys[0], KeyEasing.FromHere(c, 12)!, c.Keys[2]] },
                there = c with { Keys = [c.Keys[0], KeyEasing.EndsThere(c, 8)!, c.Keys[2]] };
            for (double f = 0; f <= 24; f += 0.5)
            {
                ValueCurve same = f <= 10 ? from : there;
                Assert.Equal(0, (same.TripleAt(f)!.Value - c.TripleAt(f)!.Value).Length, 1e-3);
            }
            Assert.Equal(0, (from.TripleAt(10.01)!.Value - T(3)).Length, 1e-4);
            Assert.Equal(0, (there.TripleAt(9.99)!.Value - T(3)).Length, 1e-4);
        }
        // As an edit of the key that stands there.
        ShotDocument shot = Shot with { Curves = [Curve(Strength, new(1001, 0.1), new(1020, 0.2))] };
        CurveKey eased = KeyEasing.FromHere(shot.Curves[0], 1010)!;
        ShotDocument changed = Edits.Edits.Apply(shot, [Edit.Set($"curves/{EditPath.Escape(Strength)}/keys/1001", eased)]).Document;
        Assert.Equal(eased, changed.Curves[0].Keys[0]);
    }

    [Fact]
    public void Straight_flat_and_held_keys()
    {
        Assert.Equal(
            2.5,
            Curve("x", new(0, 0, Handle: KeyHandle.Straight), new(4, 10, Handle: KeyHandle.Straight)).NumberAt(1)!.Value,
            1e-12
        );
        Assert.Equal(0, Curve("x", new(0, 0, Handle: KeyHandle.Held), new(4, 10)).NumberAt(3.99));
        // Level at both ends: 3 t² − 2 t³.
        Assert.Equal(
            10 * (3 / 16.0 - 2 / 64.0),
            Curve("x", new(0, 0, Handle: KeyHandle.Flat), new(4, 10, Handle: KeyHandle.Flat)).NumberAt(1)!.Value,
            1e-12
        );
    }

    [Fact]
    public void A_shot_is_as_keyed_at_any_frame_and_can_be_taken_to_another()
    {
        ShotDocument shot = With(
            Curve(Strength, new(1001, 0, Handle: KeyHandle.Straight), new(1101, 1, Handle: KeyHandle.Straight)),
            Curve(Density, new(1001, Triple: new(0, 0, 0)), new(1003, Triple: new(0.2, 0.4, 0.6))),
            Curve("finish/steps/haze_1/off", new(1001, 0, Handle: KeyHandle.Held), new(1050, 1, Handle: KeyHandle.Held)),
            Curve("lights/spot/outerDegrees", new(1001, 30), new(1011, 50)),
            Curve("background", new(1001, Name: "Plate"), new(1010, Name: "Nothing")),
            Curve("finish/steps/gone/strength", new CurveKey(1001, 0.5))
        );
        ShotDocument half = ShotCurves.At(shot, 1051);
        FinishStep step = half.Finish.Steps[0];
        Assert.Equal((0.5, true), (Math.Round(step.Strength, 12), step.Off));
        Assert.Equal((50, BackgroundKind.Nothing), (half.Lights[0].OuterDegrees, half.Background));
        ShotDocument early = ShotCurves.At(half, 1002);
        Assert.Equal(0.01, early.Finish.Steps[0].Strength, 1e-12);
        Assert.Equal(new Vec3(0.1, 0.2, 0.3), early.Finish.Steps[0].Haze!.PerMetre);
        Assert.Equal((false, BackgroundKind.Plate), (early.Finish.Steps[0].Off, early.Background));
        Assert.Same(Shot, ShotCurves.At(Shot, 1002));
        Assert.Equal(5, ShotCurves.Pruned(shot).Curves.Count);
    }

    [Fact]
    public void A_piece_that_is_keyed_stands_elsewhere_between_frames()
    {
        ShotDocument shot = With(Curve("pieces/lid/rotationYxzDegrees", new(1001, Triple: new(0, 0, 0)), new(1011, Triple: new(90, 0, 0))));
        Assert.Equal(45, Hanging.At(shot, 1006).Pieces[0].RotationYxzDegrees.X, 1e-9);
        Assert.True(Hanging.At(shot, 1006.25).Pieces[0].RotationYxzDegrees.X > 45);
    }

    // By hand: a door a metre wide on the left edge of its front opens towards whoever stands before it. Opened by a right angle its right
    // edge, a metre from the hinge, stands a metre before it.
    [Fact]
    public void A_door_swings_on_its_edge()
    {
        var door = new Piece
        {
            Id = "door",
            Kind = PieceKind.Box,
            Position = new(2, 0.5, -3),
            Size = new(1, 2, 0.05),
        };
        PieceHinge left = PieceHinge.Edges(door)[0].Hinge;
        ShotDocument shot = Shot with
        {
            Pieces = [door with { Hinge = left }],
            Curves =
            [
                Curve("pieces/door/hinge/degrees", new(1001, 0, Handle: KeyHandle.Straight), new(1010, 90, Handle: KeyHandle.Straight)),
            ],
        };
        Assert.Empty(ShotChecks.Faults(shot));
        Vec3 RightEdge(double frame)
        {
            Piece p = Hanging.At(shot, frame).Pieces[0];
            return new Similarity(
                1,
                Rotations.FromEulerYxzDegrees(p.RotationYxzDegrees.X, p.RotationYxzDegrees.Y, p.RotationYxzDegrees.Z),
                p.Position
            ).Apply(new(0.5, 0, 0.025));
        }
        Assert.True((RightEdge(1001) - new Vec3(2.5, 0.5, -2.975)).Length < 1e-12);
        Assert.True((RightEdge(1010) - new Vec3(1.5, 0.5, -1.975)).Length < 1e-12);
        double half = Math.Sqrt(0.5);
        Assert.True((RightEdge(1005.5) - new Vec3(1.5 + half, 0.5, -2.975 + half)).Length < 1e-12);
        // Stood once it is not swung again, and not at another frame by mistake.
        ShotDocument stood = Hanging.At(shot, 1010);
        Assert.Same(stood, Hanging.At(stood, 1010));
        Assert.Throws<InvalidOperationException>(() => Hanging.At(stood, 1005));
        Assert.True(Hanging.Moves(shot, door));
        Assert.False(Hanging.Moves(Shot, door));
        // A lid on a turned piece swings about its own edge, wherever that lies.
        Piece lid = new()
        {
            Id = "lid",
            Kind = PieceKind.Plane,
            Size = new(2, 1, 1),
            RotationYxzDegrees = new(0, 90, 0),
        };
        Piece open = PieceHinge.Swung(lid with { Hinge = PieceHinge.Edges(lid)[2].Hinge with { Degrees = -90 } });
        var placed = new Similarity(
            1,
            Rotations.FromEulerYxzDegrees(open.RotationYxzDegrees.X, open.RotationYxzDegrees.Y, open.RotationYxzDegrees.Z),
            open.Position
        );
        Assert.True((placed.Apply(new(0, 0, -0.5)) - new Vec3(-0.5, 0, 0)).Length < 1e-12);
        Assert.True((placed.Apply(new(0, 0, 0.5)) - new Vec3(-0.5, 1, 0)).Length < 1e-12, $"{placed.Apply(new(0, 0, 0.5))}");
    }

    // By hand: at a tenth of its size a world has a tenth of the metres, and ten times as much air in each.
    [Fact]
    public void Keys_go_along_with_the_world_and_with_the_plate()
    {
        ShotDocument shot = With(
            Curve(Density, new(1001, Triple: new(0.1, 0.1, 0.1)), new(1010, Triple: new(0.2, 0.2, 0.2))),
            Curve("pieces/lid/position", new(1001, Triple: new(1, 0, 2)), new(1010, Triple: new(3, 0, 0))),
            Curve("lights/spot/outerDegrees", new(1001, 30, Handle: KeyHandle.Free) { After = new(3, 5) }, new(1010, 40)),
            Curve("mattes/m/featherPixels", new(1001, 2), new(1010, 6))
        );
        ShotDocument moved = MovedWorld.Of(shot, new(0.1, Rotations.AboutY(Math.PI / 2), new(5, 0, 0)));
        Assert.Equal(2, moved.Curves[0].Keys[1].Triple!.Value.Y, 1e-9);
        Vec3 place = moved.Curves[1].Keys[1].Triple!.Value;
        Assert.Equal((5.0, 0.0, -0.3), (Math.Round(place.X, 9), Math.Round(place.Y, 9), Math.Round(place.Z, 9)));
        Assert.Equal(shot.Curves[2].Keys[0], moved.Curves[2].Keys[0]);
        PlateSource Plate(int width, int height) =>
            new()
            {
                Width = width,
                Height = height,
                Frames = [new(1001, "a.png", "a")],
                Mapping = new(1001, 1001),
            };
        ShotDocument newer = NewerPlate.Lay(shot with { Plate = Plate(1280, 720) }, Plate(640, 360));
        Assert.Equal(3, newer.Curves[3].Keys[1].Value!.Value, 1e-9);
        Assert.Equal(0.2, newer.Curves[0].Keys[1].Triple!.Value.X);
    }

    [Theory]
    [InlineData("finish/steps/none/strength", "no such value in the shot")]
    [InlineData("title", "no value that changes over frames")]
    [InlineData("lights/spot/name", "neither a number")]
    public void What_cannot_be_keyed_is_refused(string at, string says) =>
        Assert.Contains(ShotChecks.Faults(With(Curve(at, new CurveKey(1001, 1)))), f => f.Contains(says, StringComparison.Ordinal));

    [Fact]
    public void Keys_that_are_wrong_are_refused_in_words()
    {
        void Says(string words, params CurveKey[] keys) =>
            Assert.Contains(ShotChecks.Faults(With(Curve(Strength, keys))), f => f.Contains(words, StringComparison.Ordinal));
        Says("there are 0 keys");
        Says("two keys stand at 1004", new CurveKey(1004, 0), new CurveKey(1004, 1));
        Says("must hold a number", new CurveKey(1004));
        Says("must hold a number", new CurveKey(1004, double.NaN));
        Says("must hold a number", new CurveKey(1004, 1, new Vec3(1, 1, 1)));
        Says("points the wrong way", new CurveKey(1004, 1, Handle: KeyHandle.Free) { Before = new(3, 0) });
        Says("At 1009, as it is keyed: Finish, haze: ", new CurveKey(1004, 1), new CurveKey(1009, 1.5));
        // Between free keys it may go where neither of them is.
        Says(
            "as it is keyed: Finish, haze: ",
            new CurveKey(1004, 1, Handle: KeyHandle.Free) { After = new(5, 1) },
            new CurveKey(1014, 1, Handle: KeyHandle.Free) { Before = new(-5, 1) }
        );
        Assert.Contains(ShotChecks.Faults(With(Curve("background", new CurveKey(1004, Name: "Sea")))), f =>
            f.Contains("must hold a name", StringComparison.Ordinal)
        );
        Assert.Contains(ShotChecks.Faults(With(Curve(Strength, new CurveKey(1, 1)), Curve(Strength, new CurveKey(1, 1)))), f =>
            f.Contains("there twice", StringComparison.Ordinal)
        );
        Assert.Empty(ShotChecks.Faults(With(Curve(Strength, new CurveKey(1004, 0), new CurveKey(1009, 1)))));
    }

    [Fact]
    public void Edits_key_a_value_and_what_is_taken_away_takes_its_keys_along()
    {
        string at = $"curves/{EditPath.Escape(Strength)}";
        EditedShot keyed = Edits.Edits.Apply(
            Shot,
            [
                Edit.Add("curves", Curve(Strength, new CurveKey(1001, 0))),
                Edit.Add($"{at}/keys", new CurveKey(1020, 1)),
                Edit.Set($"{at}/keys/1001/value", 0.25),
            ]
        );
        Assert.Equal(0.25, ShotCurves.At(keyed.Document, 1001).Finish.Steps[0].Strength);
        Assert.StartsWith("Keys of strength of haze_1", keyed.What, StringComparison.Ordinal);
        ShotDocument back = ShotJson.Read(ShotJson.Write(keyed.Document));
        Assert.Equal(keyed.Document.Curves[0].Keys, back.Curves[0].Keys);
        Assert.Empty(Edits.Edits.Apply(keyed.Document, [Edit.Remove("finish/steps/haze_1")]).Document.Curves);
        // Also beside another's being keyed.
        Assert.Equal(
            "mattes/m/featherPixels",
            Assert
                .Single(
                    Edits
                        .Edits.Apply(
                            keyed.Document,
                            [Edit.Remove("finish/steps/haze_1"), Edit.Add("curves", Curve("mattes/m/featherPixels", new CurveKey(1001, 3)))]
                        )
                        .Document.Curves
                )
                .Id
        );
        Assert.Throws<EditFault>(() => Edits.Edits.Apply(Shot, [Edit.Add("curves", Curve("pieces/none/size", new CurveKey(1, 1)))]));
    }

    [Fact]
    public void A_reduced_shot_keeps_the_keys_of_what_it_keeps()
    {
        ShotDocument shot = With(
            Curve(Strength, new CurveKey(1001, 0.5)),
            Curve("pieces/lid/position", new CurveKey(1001, Triple: default(Vec3))),
            Curve("lights/spot/outerDegrees", new CurveKey(1001, 40)),
            Curve("mattes/m/featherPixels", new CurveKey(1001, 4))
        );
        string[] Of(ShotDocument d) => [.. d.Curves.Select(c => c.Id.Split('/')[0])];
        Assert.Equal(["pieces"], Of(Reduced.Set(shot)));
        Assert.Equal(["pieces", "lights"], Of(Reduced.Light(shot)));
        Assert.Equal(["pieces", "mattes"], Of(Reduced.Clean(shot)));
        Assert.Equal(["pieces", "lights", "mattes"], Of(Reduced.Bare(shot)));
        Assert.Equal(4, Reduced.Seen(shot).Curves.Count);
        Assert.Empty(Reduced.Plate(shot).Curves);
    }
}
