using Npgsql;
using Xunit;

namespace Plenk.Store.Tests;

/// <summary>The shelf: names, versions, words, and two who put the same thing there at once.</summary>
public sealed class ShelfTests : IAsyncLifetime
{
    private readonly string _name = $"shelf_{Guid.NewGuid():N}";
    private Database _database = null!;

    private static string Server =>
        Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")
        ?? throw new InvalidOperationException("run ./test, which starts the database");

    private ShelfStore Shelf => new(_database);

    public Task InitializeAsync()
    {
        _database = new Database($"{Server};Database={_name}");
        _database.Migrate();
        return Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        await _database.DisposeAsync();
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create($"{Server};Database=postgres");
        await using NpgsqlCommand drop = admin.CreateCommand($"drop database if exists {_name} with (force)");
        await drop.ExecuteNonQueryAsync();
    }

    private static ShelfRow Row(string name, string? production = "Low Water", string kind = "Element", params string[] tags) =>
        new(0, production, kind, name, tags, 0, "r", default, "six feet of it", "R. Holm", "CC0", "here", new('a', 64));

    [Fact]
    public async Task A_name_that_is_there_gets_its_next_version_and_the_ones_before_stay()
    {
        string name = $"crate {Guid.NewGuid():N}";
        ShelfRow first = await Shelf.Add(Row(name, tags: ["wood"]), """{"a":1}""");
        ShelfRow second = await Shelf.Add(Row(name, tags: ["wood", "slats"]), """{"a":2}""");
        Assert.Equal((first.Id, 1, 2), (second.Id, first.Version, second.Version));
        Assert.Contains("1", (await Shelf.Find(first.Id, 1))!.Value.Part, StringComparison.Ordinal);
        Assert.Equal(2, (await Shelf.Find(first.Id))!.Value.Row.Version);
        Assert.Null(await Shelf.Find(first.Id, 3));
        // Of another production it is another thing; of another kind it is refused.
        Assert.NotEqual(first.Id, (await Shelf.Add(Row(name, "Other"), "{}")).Id);
        await Assert.ThrowsAsync<RefusedException>(() => Shelf.Add(Row(name, kind: "Lights"), "{}"));
        ShelfRow house = await Shelf.Add(Row(name, null), "{}");
        Assert.Equal(first.Id, (await Shelf.Named(name, "Low Water"))!.Id);
        Assert.Equal(house.Id, (await Shelf.Named(name, "A third"))!.Id);

        Assert.Equal(
            [first.Id, house.Id],
            (await Shelf.List($"{name[..10]} slats feet", "Low Water", []))
                .Concat(await Shelf.List(name, "A third", ["Element"]))
                .Select(r => r.Id)
        );
        Assert.Empty(await Shelf.List($"{name} %", null, []));
        Assert.Empty(await Shelf.List(name, null, ["Panorama"]));

        // Taken off it is found no more; a shot may still ask for the version that it has.
        await Shelf.Remove(first.Id);
        Assert.DoesNotContain(await Shelf.List(name, null, []), r => r.Id == first.Id);
        Assert.Equal(1, (await Shelf.Find(first.Id, 1))!.Value.Row.Version);
        Assert.Equal(1, (await Shelf.Add(Row(name), "{}")).Version);
    }

    [Fact]
    public async Task Two_who_put_one_name_there_at_once_make_two_versions()
    {
        string name = $"barrel {Guid.NewGuid():N}";
        ShelfRow[] made = await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => Task.Run(() => Shelf.Add(Row(name), "{}"))));
        Assert.Single(made.Select(r => r.Id).Distinct());
        Assert.Equal(Enumerable.Range(1, 8), made.Select(r => r.Version).Order());
    }
}
