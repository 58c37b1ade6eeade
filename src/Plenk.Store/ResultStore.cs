using Npgsql;

namespace Plenk.Store;

/// <summary>Finished results by key; a late second result is discarded.</summary>
public sealed class ResultStore(Database database)
{
    public async Task<string?> Read(string key)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select value::text from result where key = $1");
        c.Parameters.AddWithValue(key);
        return (string?)await c.ExecuteScalarAsync();
    }

    public async Task Write(string key, string json)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("insert into result (key, value) values ($1, $2::jsonb) on conflict (key) do nothing");
        c.Parameters.AddWithValue(key);
        c.Parameters.AddWithValue(json);
        await c.ExecuteNonQueryAsync();
    }
}
