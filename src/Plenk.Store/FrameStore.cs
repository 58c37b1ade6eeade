using Npgsql;
using NpgsqlTypes;

namespace Plenk.Store;

/// <summary>A frame of a job that a worker has taken; frame <see cref="FrameStore.Closing"/> stands for what is done when all others are.</summary>
public sealed record LeasedFrame(long Job, int Frame, int Attempts);

public sealed record FrameRow(int Frame, string State, string? Worker, int Attempts, double? Seconds, string Message);

/// <summary>Frames of jobs under leases: taken one by one by whoever is free, and again by another when a worker is gone.</summary>
public sealed class FrameStore(Database database)
{
    public const int Closing = int.MaxValue;
    public static readonly TimeSpan Lease = TimeSpan.FromSeconds(12);

    /// <summary>So many workers may be lost over a frame before it counts as failed.</summary>
    public const int MostAttempts = 3;

    public async Task Plan(long job, IReadOnlyList<int> frames)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("insert into job_frame (job_id, frame) select $1, unnest($2::int[]) on conflict do nothing");
        c.Parameters.AddWithValue(job);
        c.Parameters.AddWithValue(frames.ToArray());
        await c.ExecuteNonQueryAsync();
    }

    /// <summary>The oldest job's next frame, for a worker; null where nothing waits.</summary>
    public async Task<LeasedFrame?> Take(string worker)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("""
            with next as (
                select f.job_id, f.frame from job_frame f join job j on j.id = f.job_id
                where j.state in ('waiting', 'running') and not j.stop_asked and f.attempts < $3
                  and (f.state = 'waiting' or (f.state = 'running' and f.lease_until < now()))
                order by f.job_id, f.frame limit 1 for update of f skip locked)
            update job_frame f set state = 'running', worker = $1, lease_until = now() + $2, attempts = f.attempts + 1
            from next where f.job_id = next.job_id and f.frame = next.frame returning f.job_id, f.frame, f.attempts
            """);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(Lease);
        c.Parameters.AddWithValue(MostAttempts);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? new(r.GetInt64(0), r.GetInt32(1), r.GetInt32(2)) : null;
    }

    /// <summary>Holds on to a frame. False: it was given to another, or the job is to stop.</summary>
    public async Task<bool> Hold(LeasedFrame frame, string worker)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update job_frame f set lease_until = now() + $4 from job j where f.job_id = $1 and f.frame = $2 and f.worker = $3 and f.state = 'running' and j.id = f.job_id and not j.stop_asked and j.state in ('waiting', 'running')");
        c.Parameters.AddWithValue(frame.Job);
        c.Parameters.AddWithValue(frame.Frame);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(Lease);
        return await c.ExecuteNonQueryAsync() == 1;
    }

    /// <summary>The end of a frame, by the worker that still has it: done, failed, or waiting again. A late one changes nothing.</summary>
    public async Task End(LeasedFrame frame, string worker, string state, double? seconds, string message)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update job_frame set state = $4, seconds = coalesce($5, seconds), message = $6, lease_until = null, attempts = case when $4 = 'waiting' then attempts - 1 else attempts end where job_id = $1 and frame = $2 and worker = $3 and state = 'running'");
        c.Parameters.AddWithValue(frame.Job);
        c.Parameters.AddWithValue(frame.Frame);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(state);
        c.Parameters.Add(new() { Value = (object?)seconds ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Double });
        c.Parameters.AddWithValue(message);
        await c.ExecuteNonQueryAsync();
    }

    /// <summary>
    /// Jobs that nobody works on and nobody will: all their frames are over, or they are to stop. Frames over which too many workers were lost count as
    /// failed, those that a lost worker held of a job that is to stop wait again.
    /// </summary>
    public async Task<IReadOnlyList<long>> Settled(string kind)
    {
        await using NpgsqlCommand lost = database.Source.CreateCommand("""
            update job_frame f set
                state = case when j.stop_asked then 'waiting' else 'failed' end,
                message = case when j.stop_asked then '' else 'the worker was lost over this frame, ' || f.attempts || ' times' end
            from job j where j.id = f.job_id and f.state = 'running' and f.lease_until < now() and (f.attempts >= $1 or j.stop_asked)
            """);
        lost.Parameters.AddWithValue(MostAttempts);
        await lost.ExecuteNonQueryAsync();
        await using NpgsqlCommand c = database.Source.CreateCommand("""
            select j.id from job j where j.kind = $1 and j.state in ('waiting', 'running')
              and exists (select from job_frame f where f.job_id = j.id)
              and not exists (select from job_frame f where f.job_id = j.id and (f.state = 'running' or (f.state = 'waiting' and not j.stop_asked)))
            """);
        c.Parameters.AddWithValue(kind);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var jobs = new List<long>();
        while (await r.ReadAsync()) { jobs.Add(r.GetInt64(0)); }
        return jobs;
    }

    public async Task<IReadOnlyList<FrameRow>> Of(long job)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select frame, state, worker, attempts, seconds, message from job_frame where job_id = $1 order by frame");
        c.Parameters.AddWithValue(job);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<FrameRow>();
        while (await r.ReadAsync()) { rows.Add(new(r.GetInt32(0), r.GetString(1), r.IsDBNull(2) ? null : r.GetString(2), r.GetInt32(3), r.IsDBNull(4) ? null : r.GetDouble(4), r.GetString(5))); }
        return rows;
    }

    /// <summary>Failed frames wait again, or one of them; and a job that had ended goes on.</summary>
    public async Task Again(long job, int? frame)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update job_frame set state = 'waiting', attempts = 0, message = '' where job_id = $1 and state = 'failed' and ($2::int is null or frame = $2)");
        c.Parameters.AddWithValue(job);
        c.Parameters.Add(new() { Value = (object?)frame ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer });
        await c.ExecuteNonQueryAsync();
        await using NpgsqlCommand on = database.Source.CreateCommand("update job set state = 'running', stop_asked = false, ended = null where id = $1 and state in ('failed', 'stopped')");
        on.Parameters.AddWithValue(job);
        await on.ExecuteNonQueryAsync();
    }
}
