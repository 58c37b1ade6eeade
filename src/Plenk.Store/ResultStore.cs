using Npgsql;

namespace Plenk.Store;

/// <summary>Finished results by key; a late second result is discarded.</summary>
public sealed class ResultStore(Database database)
{
    /// <summary>The results of several keys, in their order; null where there is none yet.</summary>
    public async Task<IReadOnlyList<string?>> Read(string[] keys)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select key, value::text from result where key = any($1)");
        c.Parameters.AddWithValue(keys);
        var found = new Dictionary<string, string>();
        await using NpgsqlDataReader rows = await c.ExecuteReaderAsync();
        while (await rows.ReadAsync())
        {
            found[rows.GetString(0)] = rows.GetString(1);
        }
        return [.. keys.Select(k => found.GetValueOrDefault(k))];
    }

    /// <summary>Kept once: a second result of a key is discarded.</summary>
    public Task Write(string key, string json) => Write(key, json, "nothing");

    /// <summary>A more thorough result in the place of what is kept.</summary>
    public Task Replace(string key, string json) => Write(key, json, "update set value = excluded.value");

    private async Task Write(string key, string json, string whenThere)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"insert into result (key, value) values ($1, $2::jsonb) on conflict (key) do {whenThere}"
        );
        c.Parameters.AddWithValue(key);
        c.Parameters.AddWithValue(json);
        await c.ExecuteNonQueryAsync();
    }
}
