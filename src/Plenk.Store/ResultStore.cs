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
        while (await rows.ReadAsync()) { found[rows.GetString(0)] = rows.GetString(1); }
        return [.. keys.Select(k => found.GetValueOrDefault(k))];
    }

    public async Task Write(string key, string json)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("insert into result (key, value) values ($1, $2::jsonb) on conflict (key) do nothing");
        c.Parameters.AddWithValue(key);
        c.Parameters.AddWithValue(json);
        await c.ExecuteNonQueryAsync();
    }
}
