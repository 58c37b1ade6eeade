using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Two shots of one place: what one changes of it the other has too.</summary>
public sealed class SharedPlaceTests
{
    private static readonly ShotDocument One = new()
    {
        Production = "P",
        Sequence = "S",
        Code = "ONE",
        SharesPlace = "ONE",
        Range = new(1001, 1010),
        Pieces =
        [
            new() { Id = "floor", Name = "floor" },
            new()
            {
                Id = "wall",
                Name = "wall",
                Size = new(2, 1, 3),
            },
        ],
        Lights = [new() { Id = "sun", Name = "sun" }],
        Mattes =
        [
            new()
            {
                Id = "m",
                Name = "m",
                Kind = MatteKind.Drawn,
            },
        ],
        Curves = [new() { Id = "lights/sun/angularDiameterDegrees", Keys = [new(1001, 0.5)] }],
    };

    private static readonly ShotDocument Other = One with { Code = "OTHER", Title = "from there", Mattes = [] };

    private static ShotDocument Edited(ShotDocument shot, params Edit[] edits) => Edits.Edits.Apply(shot, edits).Document;

    [Fact]
    public void What_is_changed_added_and_taken_away_is_so_in_the_other()
    {
        ShotDocument now = Edited(
            One,
            Edit.Set("pieces/wall/size", new Vec3(2, 1, 4)),
            Edit.Add(
                "pieces",
                new Piece
                {
                    Id = "box",
                    Name = "box",
                    Kind = PieceKind.Box,
                }
            ),
            Edit.Remove("pieces/floor"),
            Edit.Set("lights/sun/strength", 3.0),
            Edit.Set("curves/lights~1sun~1angularDiameterDegrees/keys/1001/value", 2.0)
        );
        ShotDocument followed = SharedPlace.Follow(One, now, Other)!;
        Assert.Equal(["wall", "box"], followed.Pieces.Select(p => p.Id));
        Assert.Equal((4.0, 3.0, 2.0), (followed.Pieces[0].Size.Z, followed.Lights[0].Strength, followed.Curves[0].Keys[0].Value!.Value));
        Assert.Equal(("OTHER", "from there"), (followed.Code, followed.Title));
        // Keys of its own finish stay with each, also where both have a step of that name.
        FinishChoice finish = new() { Steps = [new() { Id = "glow_1", Kind = FinishKind.Glow }] };
        ShotDocument both = One with { Finish = finish };
        Assert.Null(
            SharedPlace.Follow(
                both,
                Edited(both, Edit.Add("curves", new ValueCurve { Id = "finish/steps/glow_1/strength", Keys = [new(1001, 0.5)] })),
                Other with
                {
                    Finish = finish,
                }
            )
        );
        // Nothing of the place: nothing there.
        Assert.Null(SharedPlace.Follow(One, Edited(One, Edit.Set("title", "x")), Other));
    }

    [Fact]
    public void What_the_other_has_set_itself_stays()
    {
        ShotDocument own = Edited(Other, Edit.Set("lights/sun/strength", 7.0), Edit.Set("pieces/floor/name", "mine"));
        ShotDocument now = Edited(
            One,
            Edit.Set("lights/sun/strength", 3.0),
            Edit.Set("lights/sun/angularDiameterDegrees", 1.5),
            Edit.Remove("pieces/floor")
        );
        ShotDocument followed = SharedPlace.Follow(One, now, own)!;
        Assert.Equal((7.0, 1.5), (followed.Lights[0].Strength, followed.Lights[0].AngularDiameterDegrees));
        Assert.Contains(followed.Pieces, p => p.Name == "mine");
    }

    [Fact]
    public void What_the_other_cannot_have_is_left_out_and_another_world_is_not_carried_over()
    {
        // A matte that is not in the other, and a name beside it.
        ShotDocument now = Edited(One, Edit.Set("lights/sun/shadeMatte", "m"), Edit.Set("pieces/wall/name", "the wall"));
        ShotDocument followed = SharedPlace.Follow(One, now, Other)!;
        Assert.Equal(("the wall", null), (followed.Pieces[1].Name, followed.Lights[0].ShadeMatte));
        ShotDocument laid = Edited(One, Edit.Set("orientation/origin", "A"), Edit.Set("pieces/wall/position", new Vec3(1, 0, 0)));
        Assert.Null(SharedPlace.Follow(One, laid, Other));
    }
}
