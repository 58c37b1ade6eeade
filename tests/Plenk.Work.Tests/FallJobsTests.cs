using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Elements that are let go, by their keys, against closed forms (elementary mechanics, g = 9.80665 m/s²).</summary>
public sealed class FallJobsTests(DemoShot demo) : IClassFixture<DemoShot>
{
    private const double G = 9.80665;
    private double Rate => demo.Document.Rate.PerSecond;

    private static Element Word(string id, Vec3 at, LetGo? go = null) =>
        new()
        {
            Id = id,
            Name = id,
            Kind = ElementKind.Lettering,
            Text = new("I", DepthMetres: 0.08),
            Position = at,
            LetGo = go,
        };

    private ShotDocument Shot(params Element[] elements) => demo.Document with { Elements = elements, Curves = [] };

    private FallJobs.Made Fall(ShotDocument shot) => new FallJobs(null!, demo.Engine).Make(shot, default, (_, _) => { });

    private static Vec3 Place(ShotDocument shot, string id, double frame) =>
        Hanging.At(shot, frame).Elements.First(e => e.Id == id).Position;

    [Fact]
    public void It_flies_on_with_the_speed_of_its_keys_what_it_is_given_and_its_push()
    {
        // Rising by 1 m/s up to 1020; thrown by 2 m/s along x; pushed by as many N s as it has kg: 3 m/s along z.
        ShotDocument shot = Shot(Word("word", new(0, 50, 0), new() { AtFrame = 1020, DensityKgM3 = 1000 }));
        double mass = ElementBodies.Of(demo.Engine, shot, shot.Elements[0], 1020, 1000, 0.6, 0).Mass;
        shot = shot with
        {
            Elements =
            [
                shot.Elements[0] with
                {
                    LetGo = shot.Elements[0].LetGo! with { Speed = new(2, 0, 0), ImpulseNs = new(0, 0, 3 * mass) },
                },
            ],
            Curves =
            [
                new()
                {
                    Id = "elements/word/position",
                    Keys =
                    [
                        new(1010, Triple: new(0, 50, 0), Handle: KeyHandle.Straight),
                        new(1030, Triple: new(0, 50 + 20 / Rate, 0), Handle: KeyHandle.Straight),
                    ],
                },
            ],
        };
        FallJobs.Made made = Fall(shot);
        ShotDocument fell = made.On(shot);
        Assert.Empty(ShotChecks.Faults(fell).Except(ShotChecks.Faults(shot)));
        for (int f = 1020; f <= 1040; f++)
        {
            double t = (f - 1020) / Rate;
            Vec3 then = new(2 * t, 50 + 10 / Rate + t - G * t * t / 2, 3 * t);
            Assert.Equal(0, (Place(fell, "word", f) - then).Length, 1e-4);
        }
        Assert.Equal(50 + 5 / Rate, Place(fell, "word", 1015).Y, 9);
        Assert.Equal(1020, fell.Elements[0].LetGo!.FellFrom);
        // Again, and the same; let go earlier, it goes on from where its own keys had it.
        CurveKey[] Keys(ShotDocument d) => [.. d.Curves.SelectMany(c => c.Keys)];
        CurveKey[] was = Keys(fell),
            anew = Keys(Fall(fell).On(fell));
        Assert.Equal(was.Select(k => k.Frame), anew.Select(k => k.Frame));
        Assert.All(was.Zip(anew), k => Assert.Equal(0, (k.First.Triple!.Value - k.Second.Triple!.Value).Length, 1e-9));
        ShotDocument earlier = fell with
        {
            Elements =
            [
                fell.Elements[0] with
                {
                    LetGo = new() { AtFrame = 1014, RestFrame = 1024 },
                },
            ],
        };
        earlier = earlier with { Elements = [earlier.Elements[0] with { LetGo = earlier.Elements[0].LetGo! with { FellFrom = 1020 } }] };
        ShotDocument again = Fall(earlier).On(earlier);
        double s = 10 / Rate;
        Assert.Equal(50 + 4 / Rate + s - G * s * s / 2, Place(again, "word", 1024).Y, 1e-4);
        // Put to rest it stays.
        Assert.Equal(Place(again, "word", 1024), Place(again, "word", 1060));
    }

    [Fact]
    public void It_comes_to_rest_on_the_set_and_another_on_it_each_when_it_is_let_go()
    {
        // Over the floor of the demo set, one a metre above the other and let go later.
        Vec3 over = Over();
        ShotDocument shot = Shot(
            Word("low", over + new Vec3(0, 0.2, 0), new() { AtFrame = 1005, Bounce = 0 }),
            Word("high", over + new Vec3(0.02, 2.2, 0), new() { AtFrame = 1012, Bounce = 0 }),
            Word("still", over + new Vec3(30, 0, 0))
        );
        FallJobs.Made made = Fall(shot);
        ShotDocument fell = made.On(shot);
        Assert.Equal(2, made.Count);
        Assert.DoesNotContain(fell.Curves, c => c.Id.StartsWith("elements/still", StringComparison.Ordinal));
        Assert.Equal(Place(shot, "high", 1012), Place(fell, "high", 1011));
        Assert.True(Place(fell, "high", 1013).Y < Place(shot, "high", 1012).Y);
        // All of it is over the floor, and the two are not in one another: no part deeper than 5 mm.
        Assert.InRange(Deepest(made), 0, 5);
        Assert.All(new[] { "low", "high" }, id => Assert.True(Place(fell, id, 1072).Y > over.Y - 0.01));
        Assert.Equal(fell.Curves.SelectMany(c => c.Keys), Fall(shot).On(shot).Curves.SelectMany(c => c.Keys));
    }

    // It was pushed back under the face below the edge, 70 mm deep and 40 cm aside.
    [Fact]
    public void What_moves_by_keys_pushes_what_is_let_go_and_carries_it()
    {
        // A floor, a block that goes along it by 1 m/s for a second, and another that sinks by 0.5 m with what lies on it.
        Piece Box(string id, Vec3 at, Vec3 size) =>
            new()
            {
                Id = id,
                Name = id,
                Kind = PieceKind.Box,
                Position = at,
                Size = size,
            };
        static ValueCurve Goes(string id, Vec3 from, Vec3 to) =>
            new()
            {
                Id = $"pieces/{id}/position",
                Keys = [new(1010, Triple: from, Handle: KeyHandle.Straight), new(1034, Triple: to, Handle: KeyHandle.Straight)],
            };
        ShotDocument shot = Shot(
            Word("pushed", new(0.6, 0.001, 0), new() { AtFrame = 1002, Bounce = 0 }),
            Word("lowered", new(6, 0.601, 0), new() { AtFrame = 1002, Bounce = 0 })
        ) with
        {
            Pieces =
            [
                new()
                {
                    Id = "floor",
                    Name = "floor",
                    Kind = PieceKind.Plane,
                    Size = new(40, 1, 40),
                },
                Box("block", new(-0.5, 0, 0), new(1, 0.6, 1)),
                Box("lift", new(6, 0, 0), new(2, 0.6, 2)),
            ],
            Curves = [Goes("block", new(-0.5, 0, 0), new(0.5, 0, 0)), Goes("lift", new(6, 0, 0), new(6, -0.5, 0))],
        };
        FallJobs.Made made = Fall(shot);
        Assert.DoesNotContain(made.Told, t => t.Contains("block", StringComparison.Ordinal));
        ShotDocument fell = made.On(shot);
        // It stood 0.6 m from where the block began: the block’s front comes to 1.0, and it lies before that.
        Assert.Equal(0.6, Place(fell, "pushed", 1009).X, 0.02);
        Assert.True(Place(fell, "pushed", 1040).X > 0.95, $"{Place(fell, "pushed", 1040)}");
        Assert.Equal(0.6, Place(fell, "lowered", 1009).Y, 0.01);
        Assert.Equal(0.1, Place(fell, "lowered", 1036).Y, 0.01);

        // A plane that moves has nothing to push with: told.
        ShotDocument flat = shot with { Pieces = [shot.Pieces[0], shot.Pieces[1] with { Kind = PieceKind.Plane }, shot.Pieces[2]] };
        Assert.Contains(Fall(flat).Told, t => t.Contains("block moves and is flat", StringComparison.Ordinal));
    }

    [Fact]
    public void On_the_edge_of_a_step_it_tips_over_and_is_not_pushed_aside()
    {
        Element word = Word("word", new(1.5, -0.2, -6.6), new() { AtFrame = 1022 }) with
        {
            Text = new("H", 0.4, 0.15),
            RotationYxzDegrees = new(60, 222, 0),
        };
        ShotDocument shot = Shot(word);
        FallJobs.Made made = Fall(shot);
        Assert.InRange(Deepest(made), 0, 5);
        ShotDocument fell = made.On(shot);
        for (int f = 1023; f <= 1072; f++)
        {
            Vec3 gone = Place(fell, "word", f) - Place(fell, "word", f - 1);
            Assert.InRange(new Vec3(gone.X, 0, gone.Z).Length, 0, 0.2);
        }
        Assert.Equal(Place(fell, "word", 1071), Place(fell, "word", 1072));
    }

    /// <summary>So deep in the set did anything ever stand, millimetres.</summary>
    private static double Deepest(FallJobs.Made made) =>
        double.Parse(made.Says.Split("deepest ")[1].Split(' ')[0], System.Globalization.CultureInfo.InvariantCulture);

    /// <summary>A spot of the set's floor.</summary>
    private Vec3 Over()
    {
        PickResult hit = demo.Engine.Pick(demo.Document with { Elements = [], Curves = [] }, 1036, 700, 620);
        double[] p = hit.OnSet!;
        return new(p[0], p[1], p[2]);
    }

    [Fact]
    public void A_break_that_cannot_be_is_told()
    {
        string Told(Breaking with) =>
            Assert
                .Throws<ShotFault>(() => new BreakJobs(null!, demo.Media, demo.Engine).Make(demo.Document, with, default, (_, _) => { }))
                .Message;
        Breaking with = new()
        {
            Piece = "step_1",
            AtFrame = 1010,
            Parts = 5,
        };
        Assert.Contains("Up to 40 clouds of dust", Told(with with { Dust = 41 }));
        Assert.Contains("lies not within the shot", Told(with with { AtFrame = 5 }));
        Assert.Contains("no longer in the shot", Told(with with { Piece = "none" }));
        Assert.Contains("Say where it is struck", Told(with with { RadiusMetres = 1 }));
        Assert.Contains("must be more than 0", Told(with with { Point = default(Vec3), BlastNsM2 = -1 }));
    }

    [Fact]
    public void What_cannot_fall_is_told()
    {
        string Told(ShotDocument shot) => Assert.Throws<ShotFault>(() => Fall(shot)).Message;
        Element word = Word("word", new(0, 50, 0), new() { AtFrame = 1020 });
        Assert.Contains("Nothing is let go", Told(Shot(word with { LetGo = null })));
        Assert.Contains("lies not within the shot", Told(Shot(word with { LetGo = new() { AtFrame = 5 } })));
        Assert.Contains("hangs on nothing", Told(Shot(word with { HangsOn = new() { On = "elements/other" } }, Word("other", default))));
        Assert.Contains(
            "out of the world",
            Told(
                Shot(
                    word with
                    {
                        LetGo = new() { AtFrame = 1020, ImpulseNs = new(1e6, 0, 0) },
                    }
                )
            )
        );
        Assert.Contains(
            ShotChecks.Faults(
                Shot(
                    word with
                    {
                        LetGo = new() { AtFrame = 1020, RestFrame = 1010 },
                    }
                )
            ),
            f => f.Contains("put to rest after it is let go")
        );
        Assert.Contains(
            ShotChecks.Faults(
                Shot(
                    word with
                    {
                        LetGo = new() { AtFrame = 1020, DensityKgM3 = double.NaN },
                    }
                )
            ),
            f => f.Contains("density of more than 0")
        );
    }
}
