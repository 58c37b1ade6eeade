using Npgsql;
using NpgsqlTypes;

namespace Plenk.Store;

/// <summary>
/// A frame of a job that a worker has taken; frame <see cref="FrameStore.Closing"/> stands for what is done when all others are.
/// </summary>
public sealed record LeasedFrame(long Job, int Frame, int Attempts);

public sealed record FrameRow(int Frame, string State, string? Worker, int Attempts, double? Seconds, string Message);

/// <summary>
/// Frames of jobs under leases: taken one by one by whoever is free, and again by another when a worker is gone. What becomes of the job is
/// settled in the same transaction as what becomes of the frame, so that a job never waits for somebody to notice.
/// </summary>
public sealed class FrameStore(Database database, JobStore jobs)
{
    public const int Closing = int.MaxValue;
    public static readonly TimeSpan Lease = TimeSpan.FromSeconds(8);

    /// <summary>So many workers may be lost over a frame before it counts as failed.</summary>
    public const int MostAttempts = 3;

    /// <summary>
    /// A frame for a worker; null where nothing waits. Of the jobs that of whom the fewest frames are under way comes first, then that
    /// which has had the least done: a short one beside a long one is soon through.
    /// </summary>
    public async Task<LeasedFrame?> Take(string worker)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            """
            with open as (
                select id, sum(taken) over (partition by shot_id) as of_shot, sum(taken) over (partition by who) as of_who, had from (
                    select j.id, j.shot_id, j.who,
                        count(*) filter (where f.state = 'running' and f.lease_until >= now()) as taken,
                        count(*) filter (where f.state in ('running', 'done')) as had
                    from job j join job_frame f on f.job_id = j.id
                    where j.state in ('waiting', 'running') and not j.stop_asked group by j.id) t),
            next as (
                select f.job_id, f.frame from job_frame f join open o on o.id = f.job_id
                where f.attempts < $3 and (f.state = 'waiting' or (f.state = 'running' and f.lease_until < now()))
                  and (f.frame <> $4 or not exists (select from job_frame g where g.job_id = f.job_id and g.frame <> $4 and g.state <> 'done'))
                order by greatest(o.of_shot, o.of_who), o.had, f.job_id, f.frame limit 1 for update of f skip locked),
            begun as (update job j set state = 'running', started = coalesce(started, now()) from next where j.id = next.job_id and j.state = 'waiting')
            update job_frame f set state = 'running', worker = $1, lease_until = now() + $2, attempts = f.attempts + 1
            from next where f.job_id = next.job_id and f.frame = next.frame returning f.job_id, f.frame, f.attempts
            """
        );
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(Lease);
        c.Parameters.AddWithValue(MostAttempts);
        c.Parameters.AddWithValue(Closing);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? new(r.GetInt64(0), r.GetInt32(1), r.GetInt32(2)) : null;
    }

    /// <summary>Holds on to a frame. False: it was given to another, or the job is to stop.</summary>
    public async Task<bool> Hold(LeasedFrame frame, string worker)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "update job_frame f set lease_until = now() + $4 from job j where f.job_id = $1 and f.frame = $2 and f.worker = $3 and "
                + "f.state = 'running' and j.id = f.job_id and not j.stop_asked and j.state in ('waiting', 'running')"
        );
        c.Parameters.AddWithValue(frame.Job);
        c.Parameters.AddWithValue(frame.Frame);
        c.Parameters.AddWithValue(worker);
        c.Parameters.AddWithValue(Lease);
        return await c.ExecuteNonQueryAsync() == 1;
    }

    /// <summary>
    /// The end of a frame, by the worker that still has it: done, failed, or waiting again; and what that makes of the job. A late one
    /// changes nothing.
    /// </summary>
    /// <param name="output">Of the closing frame: what the job gives.</param>
    public async Task End(LeasedFrame frame, string worker, string state, double? seconds, string message, string? output = null)
    {
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
        await Lock(connection, transaction, frame.Job);
        await using (
            var c = new NpgsqlCommand(
                "update job_frame set state = $4, seconds = coalesce($5, seconds), message = $6, lease_until = null, attempts = case "
                    + "when $4 = 'waiting' then attempts - 1 else attempts end where job_id = $1 and frame = $2 and worker = $3 and state = "
                    + "'running'",
                connection,
                transaction
            )
        )
        {
            c.Parameters.AddWithValue(frame.Job);
            c.Parameters.AddWithValue(frame.Frame);
            c.Parameters.AddWithValue(worker);
            c.Parameters.AddWithValue(state);
            c.Parameters.Add(new() { Value = (object?)seconds ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Double });
            c.Parameters.AddWithValue(message);
            if (await c.ExecuteNonQueryAsync() == 0)
            {
                output = null;
            }
        }
        await Settle(connection, transaction, frame.Job, message, output);
        await transaction.CommitAsync();
    }

    /// <summary>
    /// What nobody is there to tell: frames over which too many workers were lost count as failed, those that a lost worker held of a job
    /// that is to stop wait again, and jobs that this leaves nothing of have ended.
    /// </summary>
    public async Task Sweep()
    {
        await using NpgsqlCommand open = database.Source.CreateCommand(
            """
            select distinct j.id from job j join job_frame f on f.job_id = j.id
            where j.state in ('waiting', 'running') and (j.stop_asked or (f.state = 'running' and f.lease_until < now() and f.attempts >= $1)
              or (f.state = 'failed' and not exists (select from job_frame g where g.job_id = j.id and g.frame <> $2 and g.state in ('waiting', 'running'))))
            """
        );
        open.Parameters.AddWithValue(MostAttempts);
        open.Parameters.AddWithValue(Closing);
        var ids = new List<long>();
        await using (NpgsqlDataReader r = await open.ExecuteReaderAsync())
        {
            while (await r.ReadAsync())
            {
                ids.Add(r.GetInt64(0));
            }
        }
        foreach (long id in ids)
        {
            await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
            await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
            await Lock(connection, transaction, id);
            await using (
                var lost = new NpgsqlCommand(
                    """
                    update job_frame f set
                        state = case when j.stop_asked then 'waiting' else 'failed' end,
                        message = case when j.stop_asked then '' else 'the worker was lost over this frame, ' || f.attempts || ' times' end
                    from job j where j.id = f.job_id and f.job_id = $1 and f.state = 'running' and f.lease_until < now() and (f.attempts >= $2 or j.stop_asked)
                    """,
                    connection,
                    transaction
                )
            )
            {
                lost.Parameters.AddWithValue(id);
                lost.Parameters.AddWithValue(MostAttempts);
                await lost.ExecuteNonQueryAsync();
            }
            await Settle(connection, transaction, id, "", null);
            await transaction.CommitAsync();
        }
    }

    /// <summary>The job is to stop: at once where nobody works on it.</summary>
    public async Task AskToStop(long job)
    {
        await jobs.AskToStop(job);
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
        await Lock(connection, transaction, job);
        await Settle(connection, transaction, job, "", null);
        await transaction.CommitAsync();
    }

    private static async Task Lock(NpgsqlConnection connection, NpgsqlTransaction transaction, long job)
    {
        await using var c = new NpgsqlCommand("select from job where id = $1 for update", connection, transaction);
        c.Parameters.AddWithValue(job);
        await c.ExecuteNonQueryAsync();
    }

    /// <summary>How far the job is; and its end where nothing is left. The job's row is locked.</summary>
    private static async Task Settle(NpgsqlConnection connection, NpgsqlTransaction transaction, long job, string message, string? output)
    {
        bool stop;
        await using (
            var asked = new NpgsqlCommand(
                "select stop_asked from job where id = $1 and lane = 'frames' and state in ('waiting', 'running')",
                connection,
                transaction
            )
        )
        {
            asked.Parameters.AddWithValue(job);
            if (await asked.ExecuteScalarAsync() is not bool s)
            {
                return;
            }
            stop = s;
        }
        IReadOnlyList<FrameRow> all;
        await using (var rows = new NpgsqlCommand(Frames, connection, transaction))
        {
            rows.Parameters.AddWithValue(job);
            all = await Rows(rows);
        }
        FrameRow[] own = [.. all.Where(f => f.Frame != Closing)],
            failed = [.. all.Where(f => f.State == "failed")],
            running = [.. all.Where(f => f.State == "running")];
        int done = own.Count(f => f.State == "done");
        double[] times = [.. own.Where(f => f.Seconds is not null).Select(f => f.Seconds!.Value)];
        static string Name(FrameRow f) => f.Frame == Closing ? "closing" : $"frame {f.Frame}";
        static string Names(IEnumerable<FrameRow> rows) => string.Join(", ", rows.Select(Name).Take(4));
        (string? end, string says) =
            output is not null ? ("done", message)
            : stop && running.Length == 0 ? ("stopped", $"stopped after {done} of {own.Length} frames; those are kept")
            : failed.Length > 0 && running.Length == 0 && own.All(f => f.State != "waiting")
                ? ("failed", $"{Name(failed[0])}: {failed[0].Message}{(failed.Length > 1 ? $" ({failed.Length} frames failed)" : "")}")
            : ((string?)null, $"{Names(running)}{(failed.Length > 0 ? $"; {Names(failed)} failed" : "")}");
        await using var c = new NpgsqlCommand(
            "update job set done = $2, seconds_per_item = coalesce($3, seconds_per_item), message = $4, state = coalesce($5, "
                + "state), output = $6::jsonb, ended = case when $5::text is null then null else now() end where id = $1",
            connection,
            transaction
        );
        c.Parameters.AddWithValue(job);
        c.Parameters.AddWithValue(done);
        c.Parameters.Add(new() { Value = times.Length > 0 ? times.Average() : DBNull.Value, NpgsqlDbType = NpgsqlDbType.Double });
        c.Parameters.AddWithValue(says);
        c.Parameters.Add(new() { Value = (object?)end ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        c.Parameters.Add(new() { Value = (object?)output ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        await c.ExecuteNonQueryAsync();
    }

    private const string Frames = "select frame, state, worker, attempts, seconds, message from job_frame where job_id = $1 order by frame";

    public async Task<IReadOnlyList<FrameRow>> Of(long job)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(Frames);
        c.Parameters.AddWithValue(job);
        return await Rows(c);
    }

    private static async Task<IReadOnlyList<FrameRow>> Rows(NpgsqlCommand c)
    {
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<FrameRow>();
        while (await r.ReadAsync())
        {
            rows.Add(
                new(
                    r.GetInt32(0),
                    r.GetString(1),
                    r.IsDBNull(2) ? null : r.GetString(2),
                    r.GetInt32(3),
                    r.IsDBNull(4) ? null : r.GetDouble(4),
                    r.GetString(5)
                )
            );
        }
        return rows;
    }

    /// <summary>
    /// Failed frames wait again, or one of them; a job that had ended or was to stop goes on. Throws <see cref="RefusedException"/> where
    /// the same is under way already.
    /// </summary>
    public async Task Again(long job, int? frame)
    {
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
        await Lock(connection, transaction, job);
        try
        {
            await using var c = new NpgsqlCommand(
                "update job_frame f set state = 'waiting', attempts = 0, message = '' from job j where j.id = f.job_id and j.state <> "
                    + "'done' and f.job_id = $1 and f.state = 'failed' and ($2::int is null or f.frame = $2)",
                connection,
                transaction
            );
            c.Parameters.AddWithValue(job);
            c.Parameters.Add(new() { Value = (object?)frame ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer });
            await c.ExecuteNonQueryAsync();
            await using var on = new NpgsqlCommand(
                "update job set state = case when state = 'running' then state else 'waiting' end, stop_asked = false, ended = null, "
                    + "message = '' where id = $1 and state <> 'done'",
                connection,
                transaction
            );
            on.Parameters.AddWithValue(job);
            await on.ExecuteNonQueryAsync();
            await transaction.CommitAsync();
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.UniqueViolation)
        {
            throw new RefusedException("The same hand-over is under way already, begun anew. Wait for that one.");
        }
    }
}
