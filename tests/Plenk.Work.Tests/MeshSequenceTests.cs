using System.Globalization;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>An element of a mesh a frame, at the shot's frames and between them, by its own numbers.</summary>
public sealed class MeshSequenceTests(DemoShot demo) : IClassFixture<DemoShot>
{
    /// <summary>A tetrahedron that is so high.</summary>
    private PlateFrame File(int frame, double high)
    {
        string obj = FormattableString.Invariant($"v 0 0 0\nv 1 0 0\nv 0 0 1\nv 0 {high} 0\nf 1 2 3\nf 1 4 2\nf 2 4 3\nf 3 4 1\n");
        return new(frame, $"cone.{frame}.obj", demo.Media.Write(Encoding.UTF8.GetBytes(obj)));
    }

    private ShotDocument Shot(FrameSource frames) =>
        demo.Document with
        {
            Elements =
            [
                new()
                {
                    Id = "cone",
                    Kind = ElementKind.Mesh,
                    Media = frames.Frames[0].Media,
                    Frames = frames,
                },
            ],
            Curves = [],
        };

    private double? High(ShotDocument shot, int frame, double? moment = null) =>
        demo.Engine.Elements(shot, frame, moment) is [PlacedElement one] ? Math.Round(one.Model.Tree.Mesh.Bounds().Max.Y, 6) : null;

    [Fact]
    public void It_is_at_each_frame_as_its_file_has_it_and_while_the_shutter_is_open_between()
    {
        FrameSource files = new()
        {
            Frames = [File(7, 1), File(8, 2), File(9, 4)],
            Rate = demo.Document.Rate,
            Mapping = new(7, 1010),
        };
        ShotDocument shot = Shot(files);
        Assert.True(Hanging.Moves(shot, shot.Elements[0]));
        Assert.Equal([1, 2, 4], new[] { 1010, 1011, 1012 }.Select(f => High(shot, f)!.Value));
        Assert.Equal(1.25, High(shot, 1010, 1010.25));
        Assert.Equal(3, High(shot, 1011, 1011.5));
        // Before it, nothing; after it, as it ended; or as is chosen.
        Assert.Null(High(shot, 1009));
        Assert.Equal(4, High(shot, 1030));
        Assert.Equal(1, High(Shot(files with { Before = FrameOutside.Held }), 1009));
        Assert.Equal([1, 2, 4, 1], new[] { 1010, 1011, 1012, 1013 }.Select(f => High(Shot(files with { Repeats = true }), f)!.Value));
        // Nothing is made up between its end and its beginning.
        Assert.Equal(4, High(Shot(files with { Repeats = true }), 1012, 1012.5));
        Assert.Equal([4, 2, 1], new[] { 1010, 1011, 1012 }.Select(f => High(Shot(files with { Reversed = true }), f)!.Value));
    }

    // Where the spot is, is told by the files' own numbers: the tip rises from 1 to 2 to 4 m.
    [Fact]
    public void What_hangs_on_a_spot_goes_where_the_mesh_bends()
    {
        ShotDocument shot = Shot(
            new()
            {
                Frames = [File(7, 1), File(8, 2), File(9, 4)],
                Rate = demo.Document.Rate,
                Mapping = new(7, 1010),
            }
        ) with
        {
            Range = new(1010, 1012),
        };
        Element cone = shot.Elements[0] with { Position = new(5, 0, 0), Scale = 2 };
        shot = shot with { Elements = [cone] };
        ElementSpot spot = SpotWork.Followed(
            demo.Engine,
            shot,
            cone,
            new()
            {
                Id = "tip",
                Name = "tip",
                // The second of its faces: a corner of its own for each.
                Corners = [3, 4, 5],
                Shares = [0, 1, 0],
            }
        );
        var hat = new Element
        {
            Id = "hat",
            Name = "hat",
            Position = new(0, 0.5, 0),
            HangsOn = new() { On = "elements/cone/spots/tip", Turns = false },
        };
        shot = shot with { Elements = [cone with { Spots = [spot] }, hat] };
        Assert.Empty(Core.Checks.HangingChecks.Faults(shot));
        Vec3 At(double frame) => Hanging.At(shot, frame).Elements[1].Position;
        // Twice as large, 5 m aside: the tip is at 2, 4 and 8 m; what hangs has its place in the spot's axes.
        Carriers things = new(shot);
        Assert.Equal(
            [2, 4, 8],
            new[] { 1010, 1011, 1012 }.Select(f => Math.Round(things.Of("elements/cone/spots/tip", f)!.Value.Translation.Y, 5))
        );
        Assert.Equal(5, things.Of("elements/cone/spots/tip", 1010.5)!.Value.Translation.X, 1e-5);
        // Half a metre along the face’s normal, in the element’s size.
        Assert.Equal(1, (At(1011) - new Vec3(5, 4, 0)).Length, 1e-5);
        // It is told when the element moves otherwise since.
        Assert.False(SpotWork.IsStale(shot, shot.Elements[0], spot));
        Assert.True(SpotWork.IsStale(shot, shot.Elements[0] with { Stretch = new(1, 2, 1) }, spot));
        // An element that hangs on its own spot hangs on itself.
        ShotDocument round = shot with { Elements = [shot.Elements[0] with { HangsOn = new() { On = "elements/cone/spots/tip" } }, hat] };
        Assert.Contains(Core.Checks.HangingChecks.Faults(round), f => f.Contains("itself", StringComparison.Ordinal));
        // What is worked out for the set alone has the way of what its pieces hang on.
        Piece board = demo.Document.Pieces[0] with
        {
            Id = "board",
            Position = new(0, 0.5, 0),
            HangsOn = new() { On = "elements/cone/spots/tip" },
        };
        ShotDocument set = shot with { Pieces = [board] };
        Assert.Equal(Hanging.At(set, 1012).Pieces[0].Position, Hanging.At(Reduced.Set(set), 1012).Pieces[0].Position);
    }

    [Fact]
    public void At_half_its_rate_it_takes_twice_as_long_without_standing_still()
    {
        FrameRate rate = demo.Document.Rate;
        ShotDocument shot = Shot(
            new()
            {
                Frames = [File(1, 1), File(2, 2), File(3, 4)],
                Rate = rate with { Den = 2 * rate.Den },
                Mapping = new(1, 1010),
            }
        );
        Assert.Equal([1, 1.5, 2, 3, 4, 4], Enumerable.Range(1010, 6).Select(f => High(shot, f)!.Value));
        shot = shot with { Range = new(1010, 1015) };
        Assert.Empty(SceneElements.Frozen(demo.Engine, shot));
        SceneThing thing = Assert.Single(SceneElements.All(demo.Engine, shot, [.. Enumerable.Range(1010, 6)]));
        Assert.Equal([1, 1.5f, 2, 3, 4, 4], thing.Shapes.Select(s => s.Positions.Max(p => p.Y)));
    }
}
