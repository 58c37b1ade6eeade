using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Motion;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What one thing is keyed to do, done by others, by the arithmetic of its own keys.</summary>
public class SpreadTests
{
    private static readonly ShotDocument Shot = new()
    {
        Code = "X",
        Production = "",
        Sequence = "",
        Elements =
        [
            new()
            {
                Id = "post",
                Name = "post",
                Position = new(0, 0, -5),
            },
            new()
            {
                Id = "post_2",
                Name = "post 2",
                Position = new(4, 0, -5),
                RotationYxzDegrees = new(0, 90, 0),
                Scale = 2,
            },
            new()
            {
                Id = "post_3",
                Name = "post 3",
                Position = new(1, 0, -5),
            },
            new() { Id = "rail", Name = "rail" },
        ],
        Curves =
        [
            new()
            {
                Id = "elements/post/position",
                Keys =
                [
                    new(1010, Triple: new(0, -2, -5)),
                    new(1020, Triple: new(0, 0, -4), Handle: KeyHandle.Free) { Before = new(-3, 0) { Triple = new(0, -1, 0) } },
                ],
            },
            new() { Id = "elements/post/rotationYxzDegrees", Keys = [new(1010, Triple: new(0, 0, 0)), new(1020, Triple: new(0, 720, 0))] },
            new() { Id = "elements/post/scale", Keys = [new(1010, 0.5), new(1020, 1)] },
            new() { Id = "elements/post/stops", Keys = [new(1010, -3), new(1020, 0)] },
        ],
    };

    private static readonly string[] Others = ["elements/post_2", "elements/post_3"];

    private static ValueCurve Curve(ShotDocument shot, string id) => shot.Curves.Single(c => c.Id == id);

    [Fact]
    public void Others_go_as_far_turn_as_much_and_grow_as_much_each_from_where_it_stands_and_later()
    {
        var (shot, keyed) = new KeySpread("elements/post", Others) { LaterFrames = 4, Order = SpreadOrder.Nearest }.On(Shot);
        Assert.Equal(8, keyed);
        // post 3 is nearer: it is the first to follow.
        ValueCurve place = Curve(shot, "elements/post_3/position");
        Assert.Equal([(1014, new Vec3(1, 0, -5)), (1024, new Vec3(1, 2, -4))], place.Keys.Select(k => (k.Frame, k.Triple!.Value)));
        Assert.Equal((-3, new Vec3(0, -1, 0)), (place.Keys[1].Before!.Frames, place.Keys[1].Before!.Triple));
        Assert.Equal([1018, 1028], Curve(shot, "elements/post_2/position").Keys.Select(k => k.Frame));
        Assert.Equal(
            [new Vec3(0, 90, 0), new Vec3(0, 810, 0)],
            Curve(shot, "elements/post_2/rotationYxzDegrees").Keys.Select(k => k.Triple!.Value)
        );
        Assert.Equal([2, 4], Curve(shot, "elements/post_2/scale").Keys.Select(k => k.Value!.Value));
        Assert.Equal([-3, 0], Curve(shot, "elements/post_3/stops").Keys.Select(k => k.Value!.Value));
        Assert.Empty(ShotChecks.Faults(shot).Except(ShotChecks.Faults(Shot)));
        // What is keyed stays as it was; a second spread begins where the first did.
        Assert.Equal(Shot.Curves, shot.Curves.Take(Shot.Curves.Count));
        Assert.Equal(
            shot.Curves.SelectMany(c => c.Keys),
            new KeySpread("elements/post", Others) { LaterFrames = 4, Order = SpreadOrder.Nearest }
                .On(shot)
                .Shot.Curves.SelectMany(c => c.Keys)
        );
    }

    [Fact]
    public void By_its_own_turn_each_goes_the_way_it_faces()
    {
        ShotDocument shot = new KeySpread("elements/post", Others) { ByOwnTurn = true }
            .On(Shot)
            .Shot;
        // A quarter turn takes +z to +x.
        Vec3 end = Curve(shot, "elements/post_2/position").Keys[1].Triple!.Value;
        Assert.Equal(0, (end - new Vec3(5, 2, -5)).Length, 12);
    }

    [Fact]
    public void What_is_uneven_stays_within_its_limits_and_is_the_same_for_the_same_seed()
    {
        ShotDocument wide = Shot with
        {
            Elements =
            [
                Shot.Elements[0],
                .. Enumerable
                    .Range(0, 200)
                    .Select(i => new Element
                    {
                        Id = $"p{i}",
                        Name = $"p {i}",
                        Position = new(i, 0, 0),
                    }),
            ],
        };
        var spread = new KeySpread("elements/post", KeySpread.Named(wide, "elements/post", "P *"))
        {
            UnevenFrames = 20,
            GoesShare = 0.5,
            TurnsShare = 0.25,
            GrowsShare = 0.9,
            Seed = 3,
        };
        Assert.Equal(200, spread.Onto.Count);
        ShotDocument shot = spread.On(wide).Shot;
        double[] Ends(string value, Func<CurveKey, double> of) => [.. spread.Onto.Select(at => of(Curve(shot, $"{at}/{value}").Keys[^1]))];
        double[] late = Ends("position", k => k.Frame - 1020),
            rise = Ends("position", k => k.Triple!.Value.Y / 2),
            turn = Ends("rotationYxzDegrees", k => k.Triple!.Value.Y / 720),
            size = Ends("scale", k => k.Value!.Value);
        void Within(double[] of, double low, double high)
        {
            Assert.All(of, v => Assert.InRange(v, low, high));
            // And they do use their room.
            Assert.InRange(of.Min(), low, low + 0.1 * (high - low));
            Assert.InRange(of.Max(), high - 0.1 * (high - low), high);
        }
        Within(late, 0, 20);
        Within(rise, 0.5, 1.5);
        Within(turn, 0.75, 1.25);
        Within(size, Math.Pow(2, 0.1), Math.Pow(2, 1.9));
        Assert.Equal(shot.Curves.SelectMany(c => c.Keys), spread.On(wide).Shot.Curves.SelectMany(c => c.Keys));
        Assert.NotEqual(shot.Curves.SelectMany(c => c.Keys), (spread with { Seed = 4 }).On(wide).Shot.Curves.SelectMany(c => c.Keys));
    }

    [Fact]
    public void Values_that_another_thing_does_not_have_are_left_out()
    {
        ShotDocument shot = Shot with
        {
            Pieces =
            [
                new()
                {
                    Id = "lid",
                    Name = "lid",
                    Hinge = new(),
                },
                new() { Id = "wall", Name = "wall" },
            ],
            Curves = [new() { Id = "pieces/lid/hinge/degrees", Keys = [new(1010, 0), new(1020, 90)] }],
        };
        var (spread, keyed) = new KeySpread("pieces/lid", ["pieces/wall"]).On(shot);
        Assert.Equal((0, 1), (keyed, spread.Curves.Count));
    }
}
