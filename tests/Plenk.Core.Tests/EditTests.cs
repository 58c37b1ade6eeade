using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Edits;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Changes that are named: what they do to a document, what they are called, what is refused and where.</summary>
public class EditTests
{
    private static readonly ShotDocument Shot = new()
    {
        Production = "Low Water",
        Sequence = "BTH",
        Code = "BTH_0040",
        Range = new(1001, 1072),
        Elements =
        [
            new()
            {
                Id = "bell",
                Name = "Diving bell",
                Media = "a",
                Position = new(1, 0, -2),
            },
            new()
            {
                Id = "chain",
                Name = "Chain",
                Media = "b",
            },
        ],
        Lights = [new() { Id = "lamp", Name = "Lamp" }],
        Mattes =
        [
            new()
            {
                Id = "door",
                Name = "Door",
                Keys = [new(1010, [0, 0, 9, 0, 9, 9]), new(1020, [0, 0, 9, 0, 9, 9])],
            },
        ],
        SurveyPoints = [new() { Name = "A/1~b", Position = new(0, 0, 0) }],
        KnownLengths = [new("A", "B", 2), new("B", "C", 3)],
        Pieces =
        [
            new()
            {
                Id = "stairs_1",
                Name = "Stairs",
                Kind = PieceKind.Stairs,
                Count = 6,
                Duties = new() { HoldoutMillimetres = -5 },
            },
        ],
        Finish = new() { Steps = [new() { Id = "grade_1", Grade = new() }] },
    };

    private static EditedShot Apply(params Edit[] edits) => Edits.Edits.Apply(Shot, edits);

    private static EditFault Refused(params Edit[] edits) => Assert.Throws<EditFault>(() => Edits.Edits.Apply(Shot, edits));

    [Fact]
    public void A_value_is_set_and_named_with_what_stood_there()
    {
        EditedShot made = Apply(Edit.Set("elements/bell/position", new Vec3(1, 0, -2.5)));
        Assert.Equal(new Vec3(1, 0, -2.5), made.Document.Elements[0].Position);
        Assert.Equal("Diving bell: place 1, 0, −2 m → 1, 0, −2.5 m", made.What);
        Change change = Assert.Single(made.Changes);
        Assert.Equal(("elements/bell/position", "1, 0, −2 m"), (change.At, change.From));
        // The document before is as it was.
        Assert.Equal(new Vec3(1, 0, -2), Shot.Elements[0].Position);
    }

    [Theory]
    [InlineData("finish/steps/grade_1/grade/stops", "1.5", "Grade: exposure 0 stops → 1.5 stops")]
    [InlineData("pieces/stairs_1/count", "8", "Stairs: steps 6 → 8")]
    [InlineData("pieces/stairs_1/duties/holdoutMillimetres", "-7", "Stairs: duties, holdout −5 mm → −7 mm")]
    [InlineData("elements/bell/off", "true", "Diving bell: switched off no → yes")]
    [InlineData("knownLengths/1/metres", "3.5", "Known length 1: metres 3 m → 3.5 m")]
    [InlineData("lights/lamp/strength", "12", "Lamp: strength 1 → 12")]
    [InlineData("mattes/door/keys/1020/corners", "[0,0,8,0,8,8]", "Door: key at 1020, corners 6 of them → 6 of them")]
    [InlineData("tolerances/camera.path", "0.5", "Tolerance: camera.path none → 0.5")]
    [InlineData("cut", """{"first":1009,"last":1050}""", "Cut none → first 1009, last 1050")]
    [InlineData("shutterDegrees", "180", "Shutter 0 ° → 180 °")]
    public void Places_have_names(string at, string to, string what) =>
        Assert.Equal(what, Edits.Edits.Apply(Shot, [new SetValue(JsonNode.Parse(to)) { At = at }]).What);

    // RFC 6901, section 5: “/a~1b” names “a/b”, “/m~0n” names “m~n”; section 4: ~1 is read before ~0, so that “~01” is “~1”.
    [Fact]
    public void Names_with_a_slash_are_escaped_as_in_json_pointers()
    {
        Assert.Equal(("a~1b", "m~0n"), (EditPath.Escape("a/b"), EditPath.Escape("m~n")));
        EditedShot made = Apply(Edit.Set($"surveyPoints/{EditPath.Escape("A/1~b")}/fromClicks", true));
        Assert.True(made.Document.SurveyPoints[0].FromClicks);
        Assert.Equal("There is no “~1” among the shot's survey points.", Refused(Edit.Remove("surveyPoints/~01")).Message);
    }

    [Fact]
    public void Things_are_added_moved_and_taken_away()
    {
        EditedShot made = Apply(
            new AddItem(JsonNode.Parse("""{"id":"title_1","name":"Smoke","kind":"Lettering","text":{"text":"W"}}""")!.AsObject(), "chain")
            {
                At = "elements",
            },
            Edit.Move("elements/bell", null),
            Edit.Remove("knownLengths/0"),
            Edit.Remove("mattes/door/keys/1010")
        );
        Assert.Equal(["title_1", "chain", "bell"], made.Document.Elements.Select(e => e.Id));
        Assert.Equal("B", Assert.Single(made.Document.KnownLengths).From);
        Assert.Equal(1020, Assert.Single(made.Document.Mattes[0].Keys).Frame);
        Assert.Equal("Smoke added, and 3 more", made.What);
        Assert.Equal("Diving bell taken away", Apply(Edit.Remove("elements/bell")).What);
        Assert.Equal(new Vec3(1, 2.5, 1), Apply(Edit.Set("pieces/stairs_1/size/1", 2.5)).Document.Pieces[0].Size);
    }

    [Theory]
    [InlineData("elements/bell/positon", "[0,0,0]", "Bell has no “positon”.")]
    [InlineData("elements/bell/position", "\"here\"", "Diving bell: place is three numbers; “here” is none.")]
    [InlineData("elements/bell/scale", "null", "Diving bell: scale cannot be left open.")]
    [InlineData("elements/bell/kind", "\"Sphere\"", "Diving bell: kind is one of Mesh, Card, Lettering, Rendered; “Sphere” is none.")]
    [InlineData("elements/pillar/scale", "2", "There is no “pillar” among the shot's elements.")]
    [InlineData("code", "\"X\"", "The code of a shot stays as it is.")]
    [InlineData("elements/bell/scale/0", "2", "Diving bell: scale has no parts.")]
    public void What_cannot_stand_there_is_refused_by_its_place(string at, string to, string why)
    {
        EditFault fault = Refused(new SetValue(JsonNode.Parse(to)) { At = at });
        Assert.Equal(at, fault.At);
        Assert.Equal(why, fault.Message.Replace("bell has", "Bell has", StringComparison.Ordinal));
        Assert.False(fault.IsConflict);
    }

    [Fact]
    public void A_document_that_would_be_unfit_is_refused_at_the_edit_that_makes_it_so_and_nothing_is_done()
    {
        EditFault fault = Refused(Edit.Set("shutterDegrees", 90), Edit.Set("pieces/stairs_1/count", 0), Edit.Set("elements/bell/scale", 2));
        Assert.Equal("pieces/stairs_1/count", fault.At);
        Assert.Equal("Set, Stairs: stairs have between 1 and 500 steps, not 0.", fault.Message);
        Assert.Contains("up to 2,000", Refused([.. Enumerable.Repeat(Edit.Set("seed", 2), 2001)]).Message, StringComparison.Ordinal);
        Assert.Contains("each an object", Refused(Edit.Set("seed", 2), null!).Message, StringComparison.Ordinal);
        Assert.Contains("set it instead", Refused(Edit.Remove("elements/bell/scale")).Message, StringComparison.Ordinal);
        Assert.Equal("There is no change in it. Name at least one.", Refused().Message);
        Assert.Equal("elements/bell", Refused(Edit.Add("elements", new Element { Id = "bell" })).At);
    }

    [Fact]
    public void What_somebody_else_changed_meanwhile_is_told_with_both_values()
    {
        SetValue Expecting(string from) =>
            new(JsonValue.Create(3)) { At = "elements/bell/scale", From = JsonDocument.Parse(from).RootElement };
        Assert.Equal(3, Apply(Expecting("1.0")).Document.Elements[0].Scale);
        EditFault fault = Refused(Expecting("2"));
        Assert.True(fault.IsConflict);
        Assert.Equal("Somebody else changed Diving bell: scale meanwhile: it is 1 now, and was 2 when you changed it.", fault.Message);
        Assert.True(Refused(Expecting("null")).IsConflict);
        Assert.True(Refused(new TakeAway(JsonNode.Parse("""{"id":"chain"}""")) { At = "elements/chain" }).IsConflict);
    }

    [Fact]
    public void Edits_are_read_from_json_and_written_again()
    {
        Edit[] edits = JsonSerializer.Deserialize<Edit[]>(
            """[{"edit":"set","at":"seed","from":1,"to":5},{"at":"notes","edit":"add","item":{"id":"n","text":"soft"}},{"edit":"remove","at":"elements/chain"}]""",
            ShotJson.Options
        )!;
        EditedShot made = Apply(edits);
        Assert.Equal((5u, "soft", 1), (made.Document.Seed, made.Document.Notes[0].Text, made.Document.Elements.Count));
        Assert.Contains("\"edit\":\"remove\"", JsonSerializer.Serialize(edits, ShotJson.Options), StringComparison.Ordinal);
        Assert.True(made.What.Length <= 120);
        string longest = Apply(Edit.Set("title", new string('w', 500)), Edit.Set("seed", 2)).What;
        Assert.InRange(longest.Length, 10, 120);
    }
}
