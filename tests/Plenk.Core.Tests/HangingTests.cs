using Plenk.Core.Cameras;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Things that hang on others, let go, are taken up again, look at things and tremble.</summary>
public sealed class HangingTests
{
    private static ShotDocument Shot { get; } =
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(1001, 1048),
            Rate = new(24, 1),
            MovingObjects =
            [
                new()
                {
                    Id = "cart",
                    Name = "cart",
                    Frames =
                    [
                        .. Enumerable
                            .Range(0, 48)
                            .Select(i => new ObjectPose(
                                1001 + i,
                                new Pose(Rotations.FromEulerYxzDegrees(0, 5 * i, 2 * i), new(0.1 * i, 0.02 * i * i, -3)).ToRowMajor16()
                            )),
                    ],
                },
            ],
            Pieces =
            [
                new()
                {
                    Id = "lid",
                    Name = "lid",
                    Kind = PieceKind.Plane,
                    Position = new(0, 1, 0),
                    Size = new(1, 0, 1),
                    Hinge = new() { At = new(0, 0, -0.5), Axis = new(1, 0, 0) },
                },
            ],
            Elements =
            [
                new()
                {
                    Id = "head",
                    Name = "head",
                    Position = new(1, 2, -4),
                    RotationYxzDegrees = new(10, 30, -20),
                    Scale = 0.5,
                },
                new()
                {
                    Id = "hat",
                    Name = "hat",
                    Position = new(1.2, 2.6, -4.1),
                    RotationYxzDegrees = new(0, 15, 5),
                },
            ],
            Lights =
            [
                new()
                {
                    Id = "torch",
                    Name = "torch",
                    Kind = LightKind.Spot,
                    Position = new(0.5, 1.5, -3),
                    Direction = new(0, 1, 0),
                },
            ],
            Curves =
            [
                new() { Id = "elements/head/position", Keys = [new(1001, Triple: new(1, 2, -4)), new(1041, Triple: new(3, 2, -6))] },
                new()
                {
                    Id = "elements/head/rotationYxzDegrees",
                    Keys = [new(1001, Triple: new(10, 30, -20)), new(1041, Triple: new(10, 390, 40))],
                },
                new() { Id = "pieces/lid/hinge/degrees", Keys = [new(1001, 0), new(1041, 90)] },
            ],
        };

    private static Element Hat(ShotDocument shot, double frame) => Hanging.At(shot, frame).Elements.First(e => e.Id == "hat");

    private static void Near(Vec3 a, Vec3 b, double off = 1e-9) => Assert.True((a - b).Length < off, $"{a} is not {b}");

    [Theory]
    [InlineData("movingObjects/cart")]
    [InlineData("elements/head")]
    [InlineData("pieces/lid")]
    [InlineData("lights/torch")]
    public void It_does_not_move_when_it_is_hung_and_goes_along_as_one_with_what_carries_it(string on)
    {
        ShotDocument hung = Rehanging.Of(Shot, "elements/hat", new() { On = on }, 1010)!;
        Assert.Empty(HangingChecks.Faults(hung));
        Near(Shot.Elements[1].Position, Hat(hung, 1010).Position);
        // Told in the carrier's frame a spot of it is where it was, at any time: both are one body.
        Vec3 spot = new(0.3, -0.2, 0.1);
        Vec3 In(double frame)
        {
            Element hat = Hat(hung, frame);
            return new Carriers(hung).Of(on, frame)!.Value.Inverse().Apply(hat.Position + hat.Rotation * spot);
        }
        Assert.Equal(on == "lights/torch", (Hat(hung, 1030).Position - Shot.Elements[1].Position).Length < 1e-9);
        foreach (double frame in (double[])[1001, 1017.5, 1030, 1041])
        {
            // The lid's and the cart's frames have no size; a head of half the size keeps places at half.
            Element hat = Hat(hung, frame);
            Near(In(1010) - In(1010), In(frame) - In(frame));
            Near(
                new Carriers(hung).Of(on, 1010)!.Value.Inverse().Apply(Hat(hung, 1010).Position),
                new Carriers(hung).Of(on, frame)!.Value.Inverse().Apply(hat.Position)
            );
            Near(In(1010), In(frame));
        }
        // And back into the world.
        ShotDocument back = Rehanging.Of(hung, "elements/hat", null, 1010)!;
        Near(Shot.Elements[1].Position, back.Elements[1].Position);
        Near(Shot.Elements[1].RotationYxzDegrees, back.Elements[1].RotationYxzDegrees, 1e-6);
        Assert.Null(back.Elements[1].HangsOn);
    }

    [Fact]
    public void Keys_of_what_is_hung_keep_their_places_in_the_world()
    {
        ShotDocument keyed = Shot with
        {
            Curves =
            [
                .. Shot.Curves,
                new()
                {
                    Id = "elements/hat/position",
                    Keys =
                    [
                        new(1005, Triple: new(1, 3, -4)),
                        new(1020, Triple: new(2, 1, -5), Handle: KeyHandle.Free) { Before = new(-4, 0) { Triple = new(0.1, 0.2, 0) } },
                    ],
                },
                new()
                {
                    Id = "elements/hat/rotationYxzDegrees",
                    Keys = [new(1005, Triple: new(0, 300, 0)), new(1020, Triple: new(5, 400, 0))],
                },
            ],
        };
        ShotDocument hung = Rehanging.Of(keyed, "elements/hat", new() { On = "elements/head" }, 1010)!;
        foreach (int frame in (int[])[1005, 1020])
        {
            Near(Hat(keyed, frame).Position, Hat(hung, frame).Position);
            Assert.InRange(Rotations.DegreesBetween(Hat(keyed, frame).Rotation, Hat(hung, frame).Rotation), 0, 1e-5);
        }
        // What turned by 100° on its way still turns about as far, not the other way round.
        Vec3[] turns = [.. hung.Curves.First(c => c.Id == "elements/hat/rotationYxzDegrees").Keys.Select(k => k.Triple!.Value)];
        Assert.True((turns[1] - turns[0]).Length < 360, $"{turns[0]} to {turns[1]}");
    }

    [Fact]
    public void Let_go_and_taken_up_again_it_never_jumps()
    {
        ShotDocument hung = Rehanging.Of(Shot, "elements/hat", new() { On = "movingObjects/cart" }, 1001)!;
        Carrier on = hung.Elements[1].HangsOn!;
        Carrier parted = on.Switched(1010).Switched(1030).Switched(1040);
        Assert.Equal([new(null, 1010), new(1030, 1040)], parted.During);
        Assert.Equal([true, true, false, true, false], new[] { 1001, 1010, 1020, 1030, 1045 }.Select(parted.IsHeld));
        ShotDocument With(Carrier c) => hung with { Elements = [hung.Elements[0], hung.Elements[1] with { HangsOn = c }] };
        ShotDocument goes = With(parted);
        Near(Hat(hung, 1010).Position, Hat(goes, 1010).Position);
        Near(Hat(goes, 1010).Position, Hat(goes, 1029.9).Position);
        // A thousandth of a frame on it has gone no further than the cart goes in that time.
        foreach (double frame in (double[])[1010, 1030, 1040])
        {
            Near(Hat(goes, frame).Position, Hat(goes, frame + 1e-3).Position, 5e-3);
        }
        // Taken up, it goes with the cart as from there.
        var cart = new Carriers(Shot);
        Vec3 At(double f) => cart.Of("movingObjects/cart", f)!.Value.Inverse().Apply(Hat(goes, f).Position);
        Near(At(1030), At(1036));
        Near(Hat(goes, 1040).Position, Hat(goes, 1048).Position);
        // The same frame again takes a span away; without its turn only its place goes along.
        Assert.Equal([new CarrierSpan(null, 1010)], parted.Switched(1030).During);
        ShotDocument upright = With(on with { Turns = false });
        Near(Hat(upright, 1001).RotationYxzDegrees, Hat(upright, 1030).RotationYxzDegrees);
        Near(Hat(hung, 1030).Position, Hat(upright, 1030).Position);
        // What is taken up first in mid-shot stands in the world until then.
        ShotDocument later = Rehanging.Of(Shot, "elements/hat", new() { On = "movingObjects/cart", During = [new(1020)] }, 1001)!;
        Near(Shot.Elements[1].Position, Hat(later, 1020).Position);
        Assert.True((Hat(later, 1030).Position - Hat(later, 1020).Position).Length > 0.5);
    }

    [Fact]
    public void A_lamp_hangs_on_a_hat_that_hangs_on_a_head_and_looks_at_the_cart()
    {
        ShotDocument shot = Rehanging.Of(Shot, "elements/hat", new() { On = "elements/head" }, 1001)!;
        shot = Rehanging.Of(shot, "lights/torch", new() { On = "elements/hat" }, 1001)!;
        shot = shot with
        {
            Lights =
            [
                shot.Lights[0] with
                {
                    AimsAt = new() { On = "movingObjects/cart", Place = new(0, 0.4, 0) },
                },
            ],
        };
        Assert.Empty(HangingChecks.Faults(shot));
        foreach (double frame in (double[])[1001, 1013, 1033.25])
        {
            ShotDocument at = Hanging.At(shot, frame);
            Light torch = at.Lights[0];
            Pose cart = Hanging.PoseOf(shot.MovingObjects[0], frame)!.Value;
            // It shines along −direction.
            Vec3 way = (cart.ToWorld(new(0, 0.4, 0)) - torch.Position).Normalized();
            Near(way, -torch.Direction.Normalized());
            Element hat = at.Elements[1];
            Assert.Equal((Shot.Lights[0].Position - Shot.Elements[1].Position).Length, (torch.Position - hat.Position).Length, 1e-9);
        }
    }

    [Fact]
    public void An_element_turns_its_front_to_what_it_looks_at_and_keeps_its_roll()
    {
        ShotDocument shot = Shot with { Elements = [Shot.Elements[0], Shot.Elements[1] with { AimsAt = new() { Place = new(4, 5, 6) } }] };
        Element hat = Hat(shot, 1001);
        Near((new Vec3(4, 5, 6) - hat.Position).Normalized(), hat.Rotation.Column(2));
        Assert.Equal(5, hat.RotationYxzDegrees.Z);
    }

    [Fact]
    public void It_trembles_by_the_size_and_as_often_as_is_said_and_alike_by_a_seed()
    {
        var shake = new Shake
        {
            Metres = new(0.02, 0, 0.005),
            Degrees = new(0, 3, 0),
            PerSecond = 6,
            Seed = 5,
        };
        double[] x = [.. Enumerable.Range(0, 40_000).Select(i => shake.At(i / 96.0).Metres.X)];
        double[] turn = [.. Enumerable.Range(0, 40_000).Select(i => shake.At(i / 96.0).Degrees.Y)];
        static double Size(double[] v) => Math.Sqrt(v.Average(a => a * a));
        Assert.Equal(0.02, Size(x), 0.001);
        Assert.Equal(3, Size(turn), 0.15);
        Assert.True(x.Max(Math.Abs) < 3 * 0.02);
        // Independent numbers six times a second turn back in two of three of these.
        int backs = Enumerable.Range(1, x.Length - 2).Count(i => (x[i] - x[i - 1]) * (x[i + 1] - x[i]) < 0);
        Assert.InRange(backs / (40_000 / 96.0), 3.2, 4.8);
        Assert.Equal(x[777], (shake with { }).At(777 / 96.0).Metres.X);
        Assert.NotEqual(x[777], (shake with { Seed = 6 }).At(777 / 96.0).Metres.X);
        Assert.Equal(0, shake.At(0.3).Metres.Y);
        ShotDocument shot = Shot with { Elements = [Shot.Elements[0], Shot.Elements[1] with { Shake = shake }] };
        Assert.True(Hanging.Moves(shot, shot.Elements[1]));
        Near(Shot.Elements[1].Position + shake.At(1010 / 24.0).Metres, Hat(shot, 1010).Position);
    }

    [Fact]
    public void Circles_and_what_is_not_there_are_told()
    {
        ShotDocument With(Carrier hat, Carrier? torch = null, Aim? aim = null) =>
            Shot with
            {
                Elements = [Shot.Elements[0] with { HangsOn = torch }, Shot.Elements[1] with { HangsOn = hat }],
                Lights = [Shot.Lights[0] with { AimsAt = aim, HangsOn = torch is null ? null : new() { On = "elements/hat" } }],
            };
        string Said(ShotDocument d) => string.Join(" | ", HangingChecks.Faults(d));
        Assert.Equal(
            "hat would hang on itself: hat on head on torch on hat. Let one of them stand in the world.",
            Said(With(new() { On = "elements/head" }, new() { On = "lights/torch" }))
        );
        Assert.Contains("would hang on itself: hat on hat", Said(With(new() { On = "elements/hat" })));
        Assert.Contains("no longer in the shot", Said(With(new() { On = "movingObjects/gone" })));
        Assert.Contains(
            "torch looks at “pieces/gone”",
            Said(With(new() { On = "movingObjects/cart" }, null, new() { On = "pieces/gone" }))
        );
        Assert.Contains("told twice", Said(With(new() { On = "movingObjects/cart", During = [new(null, 1010), new(1008, 1020)] })));
        Assert.Contains("let go of at 1008", Said(With(new() { On = "movingObjects/cart", During = [new(1010, 1008)] })));
        // A circle that got in all the same stands still; it does not hang the machine.
        ShotDocument circle = With(new() { On = "elements/head" }, new() { On = "lights/torch" });
        Assert.True(Hat(circle, 1010).Position.IsFinite);
        Assert.Null(
            Rehanging.Of(
                Shot with
                {
                    MovingObjects = [Shot.MovingObjects[0] with { Frames = [] }],
                },
                "elements/hat",
                new() { On = "movingObjects/cart" },
                1001
            )
        );
    }

    [Fact]
    public void A_reduced_document_knows_where_its_carriers_are_and_nothing_else_of_them()
    {
        ShotDocument shot = Rehanging.Of(Shot, "pieces/lid", new() { On = "elements/hat" }, 1001)!;
        shot = Rehanging.Of(shot, "elements/hat", new() { On = "lights/torch" }, 1001)!;
        shot = Rehanging.Of(shot, "lights/torch", new() { On = "elements/head" }, 1001)!;
        ShotDocument set = Reduced.Set(shot);
        foreach (double frame in (double[])[1001, 1020, 1041])
        {
            Near(Hanging.At(shot, frame).Pieces[0].Position, Hanging.At(set, frame).Pieces[0].Position);
        }
        Assert.All(set.Elements, e => Assert.True(e.Off));
        Assert.Equal(["hat", "head"], set.Elements.Select(e => e.Id));
        // What only changes its looks changes no key of the set.
        ShotDocument painted = shot with { Elements = [.. shot.Elements.Select(e => e with { Stops = 1, Name = "x" })] };
        Assert.Equal(ShotJson.Write(set), ShotJson.Write(Reduced.Set(painted)));
        Assert.Equal(
            ShotJson.Write(Reduced.Set(Shot)),
            ShotJson.Write(Reduced.Set(Shot with { Elements = [], Curves = [Shot.Curves[2]] }))
        );
    }

    [Fact]
    public void Handles_lie_where_they_move_and_turn_it()
    {
        ShotDocument shot = Rehanging.Of(Shot, "elements/hat", new() { On = "elements/head" }, 1001)!;
        Pose pose = Pose.LookAt(new(0, 2, 3), new(1.5, 2, -4.5), Vec3.UnitY);
        var pinhole = new Pinhole(1280, 720, 1000, 1000, 640, 360, Lens.None);
        const int frame = 1013;
        ThingHandles handles = ThingHandles.Of(shot, "elements/hat", frame, pose, pinhole)!;
        double[] Seen(Vec3 p)
        {
            Assert.True(pinhole.TryProject(pose, p, out double x, out double y));
            return [x, y];
        }
        void Same(double[] a, double[]? b)
        {
            Assert.Equal(a[0], b![0], 1e-6);
            Assert.Equal(a[1], b[1], 1e-6);
        }
        Element hat = Hat(shot, frame);
        Same(Seen(hat.Position), handles.At);
        Same(Seen(hat.Position + 1.25 * handles.Metres * Vec3.UnitY), handles.Arms[1].To);
        // Whatever is fixed to it and lies on a ring goes along the ring when that ring's angle is turned: a part of it each time.
        Element own = ShotCurves.At(shot, frame).Elements[1];
        foreach (HandleRing ring in handles.Rings)
        {
            Element Turned(double degrees)
            {
                Vec3 t = own.RotationYxzDegrees;
                return Hanging.Placed(
                    own with
                    {
                        RotationYxzDegrees = new(
                            t.X + (ring.Part == 0 ? degrees : 0),
                            t.Y + (ring.Part == 1 ? degrees : 0),
                            t.Z + (ring.Part == 2 ? degrees : 0)
                        ),
                    },
                    new Carriers(shot).Of("elements/head", frame)!.Value
                );
            }
            double part = 360.0 / ThingHandles.Parts;
            // The spot of it that lies where the ring begins.
            Vec3 start = Fixed(ring.Seen[0]!);
            Vec3 Fixed(double[] at)
            {
                // On the ring's sphere, on the ray through that pixel: the one of the two that goes along all of the ring.
                Assert.True(pinhole.TryDirection(at[0], at[1], out Vec3 d));
                Vec3 way = (pose.Rotation * d).Normalized(),
                    to = hat.Position - pose.Position;
                double along = Vec3.Dot(way, to),
                    half = Math.Sqrt(Math.Max(0, handles.Metres * handles.Metres - (to - along * way).LengthSquared));
                Vec3[] both = [pose.Position + (along - half) * way, pose.Position + (along + half) * way];
                return both.MinBy(p =>
                {
                    Vec3 local = hat.Rotation.Transpose() * (p - hat.Position);
                    double[] s = Seen(hat.Position + Turned(5 * part).Rotation * local);
                    return Math.Abs(s[0] - ring.Seen[5]![0]) + Math.Abs(s[1] - ring.Seen[5]![1]);
                });
            }
            Vec3 inIt = hat.Rotation.Transpose() * (start - hat.Position);
            foreach (int k in (int[])[1, 11, 30])
            {
                Same(Seen(hat.Position + Turned(k * part).Rotation * inIt), ring.Seen[k]);
            }
        }
        // Its way: a place a frame, and its speed by hand.
        Assert.Equal(48, handles.Way.Count);
        Same(Seen(Hat(shot, 1020).Position), handles.Way[19].Seen);
        Assert.Equal((Hat(shot, 1021).Position - Hat(shot, 1019).Position).Length * 12, handles.Way[19].MetresPerSecond, 1e-9);
        Assert.Empty(ThingHandles.Of(Shot, "elements/hat", frame, pose, pinhole)!.Way);
        // What aims at a spot is turned about its front alone.
        ShotDocument aims = Shot with
        {
            Elements = [.. Shot.Elements.Select(e => e.Id == "hat" ? e with { AimsAt = new() { Place = new(3, 2, 1) } } : e)],
        };
        Assert.Equal([2], ThingHandles.Of(aims, "elements/hat", frame, pose, pinhole)!.Rings.Select(r => r.Part));
        Assert.Null(ThingHandles.Of(Shot, "elements/none", frame, pose, pinhole));
        Assert.Empty(ThingHandles.Of(Shot, "lights/torch", frame, pose, pinhole)!.Rings);
    }
}
