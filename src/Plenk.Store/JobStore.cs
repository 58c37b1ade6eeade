using System.Text.Json.Serialization;
using Npgsql;
using NpgsqlTypes;

namespace Plenk.Store;

/// <summary>Who waits for whom: short work of hands never stands behind long work; frames of hand-overs are taken one by one.</summary>
public static class Lane
{
    public const string Hands = "hands",
        Long = "long",
        Frames = "frames";
}

/// <summary>A row of the tray. Seconds are per item (a frame); state is waiting, running, done, stopped or failed.</summary>
/// <param name="Waits">What a waiting one waits for, in words; null of all others.</param>
public sealed record JobRow(
    long Id,
    long ShotId,
    string Kind,
    string Title,
    string Parameters,
    string State,
    int Done,
    int Total,
    double? SecondsPerItem,
    string Message,
    string? Output,
    DateTime Created,
    DateTime? Ended,
    [property: JsonIgnore] bool StopAsked,
    string Lane,
    string Who
)
{
    public string? Waits { get; init; }
}

/// <summary>A job to be: its key names what it computes, and there is one live job of a key.</summary>
/// <param name="Frames">Of the lane of frames: which ones; the closing frame is planned with them.</param>
public sealed record NewJob(
    long Shot,
    string Kind,
    string Title,
    string Parameters,
    string Key,
    int Total,
    string Who,
    string Lane = Lane.Long,
    IReadOnlyList<int>? Frames = null
);

/// <summary>Somebody else has it by now, or it has ended.</summary>
public sealed class JobLostException() : Exception("the job is not ours any more");

/// <summary>
/// Jobs and their states. A job waits, runs and ends once: whatever comes late changes nothing. Whoever runs one holds it by a lease;
/// without beats it is taken again, and after <see cref="MostAttempts"/> workers were lost over it, it has failed.
/// </summary>
public sealed class JobStore(Database database)
{
    private const string Columns =
        "id, shot_id, kind, title, parameters::text, state, done, total, seconds_per_item, message, output::text, created, ended, stop_asked, lane, who";
    private const string Live = "state in ('waiting', 'running')";

    public static readonly TimeSpan Lease = TimeSpan.FromSeconds(8);
    public const int MostAttempts = 3;

    /// <summary>Raised with the lane when this process has added a job.</summary>
    public event Action<string>? Added;

    /// <summary>A new job with its frames, in one transaction, or the live one with the same key.</summary>
    public async Task<(JobRow Job, bool IsNew)> Add(NewJob job)
    {
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        while (true)
        {
            await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
            await using var insert = new NpgsqlCommand(
                $"""
                insert into job (shot_id, kind, title, parameters, key, total, who, lane) values ($1, $2, $3, $4::jsonb, $5, $6, $7, $8)
                on conflict (key) where {Live} do nothing returning {Columns}
                """,
                connection,
                transaction
            );
            foreach (object v in (object[])[job.Shot, job.Kind, job.Title, job.Parameters, job.Key, job.Total, job.Who, job.Lane])
            {
                insert.Parameters.AddWithValue(v);
            }
            if (await One(insert) is { } made)
            {
                if (job.Frames is { } frames)
                {
                    await using var plan = new NpgsqlCommand(
                        "insert into job_frame (job_id, frame) select $1, unnest($2::int[])",
                        connection,
                        transaction
                    );
                    plan.Parameters.AddWithValue(made.Id);
                    plan.Parameters.AddWithValue(frames.Append(FrameStore.Closing).ToArray());
                    await plan.ExecuteNonQueryAsync();
                }
                await transaction.CommitAsync();
                Added?.Invoke(made.Lane);
                return (made, true);
            }
            await using var live = new NpgsqlCommand($"select {Columns} from job where key = $1 and {Live}", connection, transaction);
            live.Parameters.AddWithValue(job.Key);
            if (await One(live) is { } there)
            {
                return (there, false);
            }
            // It ended between the two: once more.
        }
    }

    public async Task<JobRow?> Find(long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand($"select {Columns} from job where id = $1");
        c.Parameters.AddWithValue(id);
        return await One(c);
    }

    /// <summary>The newest of a shot, and all that wait or run with what they wait for.</summary>
    public async Task<IReadOnlyList<JobRow>> OfShot(long shot, int most = 12)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"select {Columns} from job where shot_id = $1 and ({Live} or id in (select id from job where shot_id = $1 order by id "
                + "desc limit $2)) order by id desc"
        );
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(most);
        var rows = new List<JobRow>();
        await using (NpgsqlDataReader r = await c.ExecuteReaderAsync())
        {
            while (await r.ReadAsync())
            {
                rows.Add(Row(r));
            }
        }
        if (rows.All(j => j.State != "waiting"))
        {
            return rows;
        }
        var line = await Line();
        return [.. rows.Select(j => j.State == "waiting" ? j with { Waits = Waiting(j, line) } : j)];
    }

    private sealed record InLine(long Id, string Lane, string Title, string Code, bool Running, int Place);

    private async Task<IReadOnlyList<InLine>> Line()
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select j.id, j.lane, j.title, s.code, j.state = 'running', coalesce(l.place, 0) from job j join shot s on s.id = "
                + $"j.shot_id left join job_line l on l.id = j.id where j.{Live}"
        );
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<InLine>();
        while (await r.ReadAsync())
        {
            rows.Add(new(r.GetInt64(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetBoolean(4), r.GetInt32(5)));
        }
        return rows;
    }

    private static string Waiting(JobRow job, IReadOnlyList<InLine> line)
    {
        int place = line.FirstOrDefault(l => l.Id == job.Id)?.Place ?? 1;
        InLine? before = line.Where(l => l.Lane == job.Lane && !l.Running && l.Place == place - 1).FirstOrDefault()
            ?? line.FirstOrDefault(l => l.Lane == job.Lane && l.Running);
        string at = place switch
        {
            1 => "next in line",
            2 => "second in line",
            3 => "third in line",
            _ => $"{place}th in line",
        };
        return before is null ? $"{at}, begins in a moment" : $"{at}, behind “{before.Title}” of {before.Code}";
    }

    /// <summary>How many jobs of a kind a shot has had.</summary>
    public async Task<int> Count(long shot, string kind)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select count(*)::int from job where shot_id = $1 and kind = $2");
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(kind);
        return (int)(await c.ExecuteScalarAsync())!;
    }

    /// <summary>
    /// The first in the line of a lane, under a lease; null where nobody waits. Those whose worker is gone stand in the line again, or have
    /// ended.
    /// </summary>
    public async Task<JobRow?> Take(string lane, string worker)
    {
        await using (
            NpgsqlCommand lost = database.Source.CreateCommand(
                """
                update job set
                    state = case when stop_asked then 'stopped' when attempts >= $2 then 'failed' else 'waiting' end,
                    message = case when stop_asked then 'stopped; what was there stays' when attempts >= $2 then 'the server was lost over it, ' || attempts || ' times; it is not tried again' else message end,
                    ended = case when stop_asked or attempts >= $2 then now() end, worker = null, lease_until = null
                where lane = $1 and state = 'running' and lease_until < now()
                """
            )
        )
        {
            lost.Parameters.AddWithValue(lane);
            lost.Parameters.AddWithValue(MostAttempts);
            await lost.ExecuteNonQueryAsync();
        }
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"""
            update job set state = 'running', worker = $2, lease_until = now() + $3, attempts = attempts + 1, started = coalesce(started, now())
            where state = 'waiting' and id = (
                select j.id from job j join job_line l on l.id = j.id where j.lane = $1 and j.state = 'waiting' order by l.place limit 1 for update of j skip locked)
            returning {Columns}
            """
        );
        c.Parameters.AddWithValue(lane);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(Lease);
        return await One(c);
    }

    /// <summary>
    /// Progress, and the lease is held on to. Answers whether a stop was asked for; throws <see cref="JobLostException"/> where it is not
    /// this worker's any more.
    /// </summary>
    public async Task<bool> Progress(long id, string worker, int done, double? secondsPerItem, string message)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "update job set done = $3, seconds_per_item = coalesce($4, seconds_per_item), message = $5, lease_until = now() + $6 "
                + "where id = $1 and worker = $2 and state = 'running' returning stop_asked"
        );
        c.Parameters.AddWithValue(id);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(done);
        c.Parameters.Add(new() { Value = (object?)secondsPerItem ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Double });
        c.Parameters.AddWithValue(message);
        c.Parameters.AddWithValue(Lease);
        return (bool)(await c.ExecuteScalarAsync() ?? throw new JobLostException());
    }

    /// <summary>The end, by the worker that has it. A late one changes nothing: false.</summary>
    public async Task<bool> End(long id, string worker, string state, string message, string? output)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "update job set state = $3, message = $4, output = $5::jsonb, done = case when $3 = 'done' then total else done end, "
                + "ended = now(), lease_until = null where id = $1 and worker = $2 and state = 'running'"
        );
        c.Parameters.AddWithValue(id);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(state);
        c.Parameters.AddWithValue(message);
        c.Parameters.Add(new() { Value = (object?)output ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        return await c.ExecuteNonQueryAsync() == 1;
    }

    /// <summary>Back into the line: this process ends, another takes it.</summary>
    public async Task GiveBack(long id, string worker)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "update job set state = 'waiting', worker = null, lease_until = null, attempts = attempts - 1 where id = $1 and worker = $2 and state = 'running'"
        );
        c.Parameters.AddWithValue(id);
        c.Parameters.AddWithValue(worker);
        await c.ExecuteNonQueryAsync();
    }

    /// <summary>One that waits has stopped at once; one that runs is stopped by whoever has it.</summary>
    public async Task AskToStop(long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"""
            update job set stop_asked = true,
                message = case when state = 'waiting' then 'stopped before it began' else message end,
                state = case when state = 'waiting' then 'stopped' else state end,
                ended = case when state = 'waiting' then now() else ended end
            where id = $1 and {Live}
            """
        );
        c.Parameters.AddWithValue(id);
        await c.ExecuteNonQueryAsync();
    }

    private static async Task<JobRow?> One(NpgsqlCommand c)
    {
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? Row(r) : null;
    }

    private static JobRow Row(NpgsqlDataReader r) =>
        new(
            r.GetInt64(0),
            r.GetInt64(1),
            r.GetString(2),
            r.GetString(3),
            r.GetString(4),
            r.GetString(5),
            r.GetInt32(6),
            r.GetInt32(7),
            r.IsDBNull(8) ? null : r.GetDouble(8),
            r.GetString(9),
            r.IsDBNull(10) ? null : r.GetString(10),
            r.GetDateTime(11),
            r.IsDBNull(12) ? null : r.GetDateTime(12),
            r.GetBoolean(13),
            r.GetString(14),
            r.GetString(15)
        );
}
