using System.Text.Json.Serialization;
using Npgsql;
using NpgsqlTypes;

namespace Plenk.Store;

/// <summary>A row of the tray. Seconds are per item (a frame); state is waiting, running, done, stopped or failed.</summary>
public sealed record JobRow(long Id, long ShotId, string Kind, string Title, string Parameters, string State, int Done, int Total,
    double? SecondsPerItem, string Message, string? Output, DateTime Created, DateTime? Ended, [property: JsonIgnore] bool StopAsked);

public sealed class JobStore(Database database)
{
    private const string Columns = "id, shot_id, kind, title, parameters::text, state, done, total, seconds_per_item, message, output::text, created, ended, stop_asked";

    /// <summary>A new job, or the live one with the same key.</summary>
    public async Task<(JobRow Job, bool IsNew)> Add(long shot, string kind, string title, string parameters, string key, int total, string who)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand($"""
            insert into job (shot_id, kind, title, parameters, key, total, who) values ($1, $2, $3, $4::jsonb, $5, $6, $7)
            on conflict (key) where state in ('waiting', 'running') do nothing returning {Columns}
            """);
        foreach (object v in (object[])[shot, kind, title, parameters, key, total, who]) { c.Parameters.AddWithValue(v); }
        await using (NpgsqlDataReader r = await c.ExecuteReaderAsync())
        {
            if (await r.ReadAsync()) { return (Row(r), true); }
        }
        await using NpgsqlCommand live = database.Source.CreateCommand($"select {Columns} from job where key = $1 and state in ('waiting', 'running')");
        live.Parameters.AddWithValue(key);
        await using NpgsqlDataReader l = await live.ExecuteReaderAsync();
        return await l.ReadAsync() ? (Row(l), false) : await Add(shot, kind, title, parameters, key, total, who);
    }

    public async Task<JobRow?> Find(long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand($"select {Columns} from job where id = $1");
        c.Parameters.AddWithValue(id);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? Row(r) : null;
    }

    public async Task<IReadOnlyList<JobRow>> OfShot(long shot, int most = 12)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand($"select {Columns} from job where shot_id = $1 order by id desc limit $2");
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(most);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<JobRow>();
        while (await r.ReadAsync()) { rows.Add(Row(r)); }
        return rows;
    }

    /// <summary>How many jobs of a kind a shot has had.</summary>
    public async Task<int> Count(long shot, string kind)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select count(*)::int from job where shot_id = $1 and kind = $2");
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(kind);
        return (int)(await c.ExecuteScalarAsync())!;
    }

    public Task Start(long id) => Run("update job set state = 'running', started = coalesce(started, now()) where id = $1 and state in ('waiting', 'running')", id);

    /// <summary>Progress; answers whether a stop was asked for.</summary>
    public async Task<bool> Progress(long id, int done, double? secondsPerItem, string message)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update job set done = $2, seconds_per_item = coalesce($3, seconds_per_item), message = $4 where id = $1 returning stop_asked");
        c.Parameters.AddWithValue(id);
        c.Parameters.AddWithValue(done);
        c.Parameters.Add(new() { Value = (object?)secondsPerItem ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Double });
        c.Parameters.AddWithValue(message);
        return (bool)(await c.ExecuteScalarAsync() ?? true);
    }

    public async Task End(long id, string state, string message, string? output)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update job set state = $2, message = $3, output = $4::jsonb, ended = now() where id = $1");
        c.Parameters.AddWithValue(id);
        c.Parameters.AddWithValue(state);
        c.Parameters.AddWithValue(message);
        c.Parameters.Add(new() { Value = (object?)output ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        await c.ExecuteNonQueryAsync();
    }

    public Task AskToStop(long id) => Run("""
        update job set stop_asked = true,
            state = case when state = 'waiting' then 'stopped' else state end,
            ended = case when state = 'waiting' then now() else ended end
        where id = $1 and state in ('waiting', 'running')
        """, id);

    private async Task Run(string sql, long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(sql);
        c.Parameters.AddWithValue(id);
        await c.ExecuteNonQueryAsync();
    }

    private static JobRow Row(NpgsqlDataReader r) => new(
        r.GetInt64(0), r.GetInt64(1), r.GetString(2), r.GetString(3), r.GetString(4), r.GetString(5), r.GetInt32(6), r.GetInt32(7),
        r.IsDBNull(8) ? null : r.GetDouble(8), r.GetString(9), r.IsDBNull(10) ? null : r.GetString(10), r.GetDateTime(11),
        r.IsDBNull(12) ? null : r.GetDateTime(12), r.GetBoolean(13));
}
