using Plenk.Core.Checks;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What is to be done next, from an empty shot to one that is handed over (common practice of the trade, no source).</summary>
public class NextStepTests
{
    [Fact]
    public void From_nothing_to_a_frame_each_line_names_what_is_lacking()
    {
        var shot = new ShotDocument
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
            Range = new(1001, 1072),
        };
        var said = new List<(int Step, string? Press)>();
        void Next(int step)
        {
            NextStep next = NextStep.Of(shot, step);
            Assert.Matches("^[a-z].*[.]$", next.Says);
            said.Add((next.Step, next.Press));
        }
        Next(6);
        shot = shot with { Plate = new() };
        Next(1);
        Next(6);
        shot = shot with
        {
            Tracks = new() { Media = "t", Count = 300 },
        };
        Next(2);
        shot = shot with
        {
            Camera = new(),
            Solve = new() { Media = "s" },
        };
        Next(2);
        shot = shot with { Orientation = new() { Floor = ["A", "B", "C"] } };
        Next(3);
        Next(2);
        shot = shot with { Orientation = shot.Orientation with { Scale = new("A", "B", 2) } };
        Next(2);
        Next(3);
        shot = shot with { Pieces = [new() { Id = "floor" }] };
        Next(3);
        Next(4);
        shot = shot with { Projections = [new() { Id = "p" }] };
        Next(5);
        shot = shot with { Lights = [new SunForm().Default with { Id = "sun" }] };
        Next(5);
        shot = shot with { Lights = [shot.Lights[0] with { Direction = new(0, 1, 0) }] };
        Next(5);
        Next(6);
        shot = shot with { Elements = [new() { Id = "bell", Media = "m" }] };
        Next(6);
        Next(7);
        shot = shot with { Finish = new() { Steps = [new() { Id = "g" }] } };
        Next(7);
        Next(8);
        Assert.Equal(
            [
                (1, "Bring these frames in"),
                (2, null),
                (2, "Track the plate"),
                (2, "Solve the camera"),
                (2, "Circle tracks on the floor"),
                (3, "Add a plane"),
                (2, "Length from"),
                (3, null),
                (3, "Add a plane"),
                (3, "Through points"),
                (4, "Lay frame"),
                (5, "Add a sun"),
                (5, "From a shadow"),
                (6, null),
                (6, "Bring an element in"),
                (6, "Lower until it touches"),
                (7, "Bring to the plate"),
                (8, null),
                (8, "Render frames"),
            ],
            said
        );
    }
}
