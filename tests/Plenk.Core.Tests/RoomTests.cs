using NetArchTest.Rules;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// The rooms of the core stand one above the other: each rests on lower ones only, so that any of them can be read without those above.
/// </summary>
public sealed class RoomTests
{
    private static readonly string[] Upwards =
    [
        "Algebra",
        "Geometry",
        "Images",
        "Tracing",
        "Shots",
        "Motion",
        "Cameras",
        "Tracking",
        "Solving",
        "Sets",
        "Projection",
        "Contact",
        "Lighting",
        "Finishing",
        "Readings",
        "Checks",
        "Edits",
    ];

    private static string Room(string name) => $"Plenk.Core.{name}";

    public static TheoryData<string> Rooms => [.. Upwards];

    [Theory]
    [MemberData(nameof(Rooms))]
    public void A_room_rests_on_lower_ones_only(string room)
    {
        string[] above = [.. Upwards.SkipWhile(r => r != room).Skip(1).Select(Room)];
        if (above.Length == 0)
        {
            return;
        }
        TestResult result = Types
            .InAssembly(typeof(Cores).Assembly)
            .That()
            .ResideInNamespace(Room(room))
            .ShouldNot()
            .HaveDependencyOnAny(above)
            .GetResult();
        Assert.True(result.IsSuccessful, $"{room} asks a room above it: {string.Join(", ", result.FailingTypeNames ?? [])}");
    }

    [Fact]
    public void Every_type_stands_in_a_room_that_has_its_place()
    {
        string[] rooms =
        [
            .. typeof(Cores)
                .Assembly.GetTypes()
                .Select(t => t.Namespace)
                .OfType<string>()
                .Where(n => n.StartsWith("Plenk.Core.", StringComparison.Ordinal))
                .Select(n => Room(n.Split('.')[2]))
                .Distinct(),
        ];
        Assert.Equal(Upwards.Select(Room).Order(StringComparer.Ordinal), rooms.Order(StringComparer.Ordinal));
    }

    // The check itself: readings do ask lower rooms, and the library sees that.
    [Fact]
    public void What_rests_on_something_is_seen_to()
    {
        TestResult result = Types
            .InAssembly(typeof(Cores).Assembly)
            .That()
            .ResideInNamespace(Room("Readings"))
            .ShouldNot()
            .HaveDependencyOn(Room("Shots"))
            .GetResult();
        Assert.False(result.IsSuccessful);
    }
}
