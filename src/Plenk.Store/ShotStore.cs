using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using Plenk.Core.Edits;
using Plenk.Core.Shots;

namespace Plenk.Store;

public sealed record ShotRow(long Id, string Production, string Sequence, string Code, string Title, int Head);

public sealed record RevisionRow(int Number, string Who, DateTime At, string What, int Content, int? Parent, int[] Redo);

/// <summary>A line of a shot's ledger.</summary>
/// <param name="Changes">Places, names and values before and after; empty where it was not made by named edits.</param>
public sealed record LedgerLine(int Number, string Who, DateTime At, string What, IReadOnlyList<Change> Changes);

/// <summary>Somebody saved first; carries who and what, so that the second can be told.</summary>
public sealed class ConflictException(RevisionRow head)
    : Exception(
        $"{head.Who} saved “{head.What}” (revision {head.Number}) while you were working. Your change is not lost: put it on top of theirs, or leave it."
    )
{
    public RevisionRow Head { get; } = head;
}

public sealed class NothingToUndoException(string message) : Exception(message);

/// <summary>Shots and their ledgers. Every write is one transaction.</summary>
public sealed class ShotStore(Database database)
{
    public async Task<int> Count()
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("select count(*)::int from shot");
        return (int)(await c.ExecuteScalarAsync())!;
    }

    /// <summary>In the order of productions, sequences and codes: all, or so many from a place on.</summary>
    public async Task<IReadOnlyList<ShotRow>> List(int from = 0, int count = int.MaxValue)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select id, production, sequence, code, title, head from shot order by production, sequence, code offset $1 limit $2"
        );
        c.Parameters.AddWithValue(from);
        c.Parameters.AddWithValue(count);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<ShotRow>();
        while (await r.ReadAsync())
        {
            rows.Add(Row(r));
        }
        return rows;
    }

    /// <summary>Ids of the shots that were changed last, the newest first.</summary>
    public async Task<IReadOnlyList<long>> LastChanged(int count)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select s.id from shot s join revision r on r.shot_id = s.id and r.number = s.head order by r.at desc, s.id limit $1"
        );
        c.Parameters.AddWithValue(count);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var ids = new List<long>();
        while (await r.ReadAsync())
        {
            ids.Add(r.GetInt64(0));
        }
        return ids;
    }

    /// <summary>
    /// A page of shots in their order, each with its newest revision, in one query; those revisions that are known are not read again.
    /// </summary>
    public async Task<IReadOnlyList<(ShotRow Row, ShotDocument Document)>> Heads(int from, int count)
    {
        IReadOnlyList<ShotRow> rows = await List(from, count);
        var found = new Dictionary<long, ShotDocument>();
        foreach (ShotRow row in rows)
        {
            if (_revisions.TryGet($"{row.Id}/{row.Head}", out Known known))
            {
                found[row.Id] = known.Document;
            }
        }
        ShotRow[] missing = [.. rows.Where(r => !found.ContainsKey(r.Id))];
        if (missing.Length > 0)
        {
            await using NpgsqlCommand c = database.Source.CreateCommand(
                """
                select r.shot_id, r.document::text, r.number, r.who, r.at, r.what, r.content, r.parent, r.redo
                from revision r join unnest($1::bigint[], $2::int[]) w (shot, number) on r.shot_id = w.shot and r.number = w.number
                """
            );
            c.Parameters.AddWithValue(missing.Select(m => m.Id).ToArray());
            c.Parameters.AddWithValue(missing.Select(m => m.Head).ToArray());
            await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
            while (await r.ReadAsync())
            {
                RevisionRow row = Revision(r, 2);
                string json = r.GetString(1);
                found[r.GetInt64(0)] = _revisions
                    .Get($"{r.GetInt64(0)}/{row.Number}", () => new(ShotJson.Read(json), row, 8L * json.Length))
                    .Document;
            }
        }
        return [.. rows.Where(r => found.ContainsKey(r.Id)).Select(r => (r, found[r.Id]))];
    }

    public async Task<ShotRow?> Find(long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select id, production, sequence, code, title, head from shot where id = $1"
        );
        c.Parameters.AddWithValue(id);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? Row(r) : null;
    }

    /// <summary>
    /// By its code, or by production and code with a / between; null where there is none. Throws <see cref="RefusedException"/> where
    /// several productions have that code.
    /// </summary>
    public async Task<ShotRow?> FindByCode(string code)
    {
        int slash = code.LastIndexOf('/');
        string? production = slash < 0 ? null : code[..slash];
        ShotRow[] all = [.. (await List()).Where(s => s.Code == code[(slash + 1)..] && (production is null || s.Production == production))];
        return all.Length > 1
            ? throw new RefusedException(
                $"There is a shot {code} in {string.Join(" and in ", all.Select(s => s.Production))}. Write the production before it, "
                    + $"like “{all[0].Production}/{code}”."
            )
            : all.FirstOrDefault();
    }

    private static ShotRow Row(NpgsqlDataReader r) =>
        new(r.GetInt64(0), r.GetString(1), r.GetString(2), r.GetString(3), r.GetString(4), r.GetInt32(5));

    /// <summary>A new shot with its first revision. Throws <see cref="RefusedException"/> when the code is taken.</summary>
    public async Task<ShotRow> Create(ShotDocument document, string who, string what)
    {
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
        try
        {
            await using var c = new NpgsqlCommand(
                "insert into shot (production, sequence, code, title, head) values ($1, $2, $3, $4, 1) returning id",
                connection,
                transaction
            );
            c.Parameters.AddWithValue(document.Production);
            c.Parameters.AddWithValue(document.Sequence);
            c.Parameters.AddWithValue(document.Code);
            c.Parameters.AddWithValue(document.Title);
            long id = (long)(await c.ExecuteScalarAsync())!;
            await Insert(connection, transaction, id, new(1, who, default, what, 1, null, []), Written(document));
            await transaction.CommitAsync();
            return new(id, document.Production, document.Sequence, document.Code, document.Title, 1);
        }
        catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.UniqueViolation)
        {
            throw new RefusedException($"There is a shot {document.Code} in {document.Production} already. Choose another code.");
        }
    }

    /// <summary>The newest revision's number and whose it is; null: there is no such shot.</summary>
    public async Task<(int Number, string Who)?> Head(long shot)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select r.number, r.who from revision r join shot s on s.id = r.shot_id and r.number = s.head where s.id = $1"
        );
        c.Parameters.AddWithValue(shot);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? (r.GetInt32(0), r.GetString(1)) : null;
    }

    /// <summary>A document takes about four times as much as its text.</summary>
    private sealed record Known(ShotDocument Document, RevisionRow Revision, long Bytes);

    private readonly Cache<Known> _revisions = new(k => k.Bytes);

    /// <summary>A revision, or the newest. A revision never changes, so one that is asked for by number is read once.</summary>
    public async Task<(ShotDocument Document, RevisionRow Revision)?> Read(long shot, int? number = null)
    {
        if (number is not null && _revisions.TryGet($"{shot}/{number}", out Known known))
        {
            return (known.Document, known.Revision);
        }
        await using NpgsqlCommand c = database.Source.CreateCommand(
            """
            select r.document::text, r.number, r.who, r.at, r.what, r.content, r.parent, r.redo
            from revision r join shot s on s.id = r.shot_id
            where s.id = $1 and r.number = coalesce($2, s.head)
            """
        );
        c.Parameters.AddWithValue(shot);
        c.Parameters.Add(new() { Value = (object?)number ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer });
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        if (!await r.ReadAsync())
        {
            return null;
        }
        RevisionRow row = Revision(r, 1);
        string json = r.GetString(0);
        known = _revisions.Get($"{shot}/{row.Number}", () => new(ShotJson.Read(json), row, 8L * json.Length));
        return (known.Document, row);
    }

    private static RevisionRow Revision(NpgsqlDataReader r, int at) =>
        new(
            r.GetInt32(at),
            r.GetString(at + 1),
            r.GetDateTime(at + 2),
            r.GetString(at + 3),
            r.GetInt32(at + 4),
            r.IsDBNull(at + 5) ? null : r.GetInt32(at + 5),
            r.GetFieldValue<int[]>(at + 6)
        );

    public async Task<IReadOnlyList<LedgerLine>> Ledger(long shot, int most = 200)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            "select number, who, at, what, changes::text from revision where shot_id = $1 order by number desc limit $2"
        );
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(most);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var lines = new List<LedgerLine>();
        while (await r.ReadAsync())
        {
            lines.Add(
                new(
                    r.GetInt32(0),
                    r.GetString(1),
                    r.GetDateTime(2),
                    r.GetString(3),
                    r.IsDBNull(4) ? [] : JsonSerializer.Deserialize<Change[]>(r.GetString(4))!
                )
            );
        }
        return lines;
    }

    /// <summary>
    /// Keeps a change made on <paramref name="baseRevision"/>. Throws <see cref="ConflictException"/> when that is no longer the head.
    /// </summary>
    public Task<RevisionRow> Save(long shot, int baseRevision, ShotDocument document, string who, string what) =>
        Append(
            shot,
            baseRevision,
            (head, _) =>
                Task.FromResult(
                    (
                        new RevisionRow(head.Number + 1, who, default, what, head.Number + 1, head.Content, []),
                        Written(document),
                        (string?)null
                    )
                ),
            document
        );

    /// <summary>
    /// Lays edits on the newest document and keeps what they come to; nobody else saves between. <paramref name="edit"/> gets the newest
    /// document and throws to refuse.
    /// </summary>
    public Task<RevisionRow> Edit(long shot, string who, Func<ShotDocument, EditedShot> edit) => Append(shot, null, async (head, read) =>
        {
            EditedShot made = edit(ShotJson.Read((await read(head.Number)).Item2));
            return (
                new(head.Number + 1, who, default, made.What, head.Number + 1, head.Content, []),
                Written(made.Document),
                JsonSerializer.Serialize(made.Changes)
            );
        });

    /// <summary>A NUL is the one character that neither text nor jsonb can hold.</summary>
    private static string Written(ShotDocument document)
    {
        string json = ShotJson.Write(document);
        return json.Contains("\\u0000", StringComparison.Ordinal)
            ? throw new RefusedException("A text in it holds a NUL, which is no character. Take it out.")
            : json;
    }

    public Task<RevisionRow> Undo(long shot, int baseRevision, string who) => Append(shot, baseRevision, async (head, read) =>
        {
            (RevisionRow shown, _) = await read(head.Content);
            if (shown.Parent is not { } target)
            {
                throw new NothingToUndoException("There is nothing before this to go back to.");
            }
            (RevisionRow before, string json) = await read(target);
            return (
                new(head.Number + 1, who, default, $"Undo: {shown.What}", before.Content, null, [.. head.Redo, head.Content]),
                json,
                null
            );
        });

    public Task<RevisionRow> Redo(long shot, int baseRevision, string who) => Append(shot, baseRevision, async (head, read) =>
        {
            if (head.Redo.Length == 0)
            {
                throw new NothingToUndoException("There is nothing to redo.");
            }
            (RevisionRow again, string json) = await read(head.Redo[^1]);
            return (new(head.Number + 1, who, default, $"Redo: {again.What}", again.Content, null, head.Redo[..^1]), json, null);
        });

    /// <summary>Goes back to any earlier state, as a change of its own.</summary>
    public Task<RevisionRow> Restore(long shot, int baseRevision, int number, string who) =>
        Append(shot, baseRevision, async (head, read) =>
        {
            (RevisionRow old, string json) = await read(number);
            return (
                new(head.Number + 1, who, default, $"Back to revision {number}: {old.What}", head.Number + 1, head.Content, []),
                json,
                null
            );
        });

    private async Task<RevisionRow> Append(
        long shot,
        int? baseRevision,
        Func<RevisionRow, Func<int, Task<(RevisionRow, string)>>, Task<(RevisionRow, string, string?)>> make,
        ShotDocument? own = null
    )
    {
        await using NpgsqlConnection connection = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction transaction = await connection.BeginTransactionAsync();
        // Shots of one place change together: they wait for each other before any of their rows is locked.
        await using (
            var together = new NpgsqlCommand(
                """
                select pg_advisory_xact_lock(hashtextextended(s.production || '/' || (r.document ->> 'sharesPlace'), 0))
                from shot s join revision r on r.shot_id = s.id and r.number = s.head
                where s.id = $1 and r.document ->> 'sharesPlace' is not null
                """,
                connection,
                transaction
            )
        )
        {
            together.Parameters.AddWithValue(shot);
            await together.ExecuteNonQueryAsync();
        }
        await using (
            var locking = new NpgsqlCommand(
                "select id, production, sequence, code, title, head from shot where id = $1 for update",
                connection,
                transaction
            )
        )
        {
            locking.Parameters.AddWithValue(shot);
            ShotRow? row0 = null;
            await using (NpgsqlDataReader found = await locking.ExecuteReaderAsync())
            {
                if (await found.ReadAsync())
                {
                    row0 = Row(found);
                }
            }
            ShotRow of = row0 ?? throw new NotThereException("There is no such shot.");
            if (own is not null && (own.Production, own.Sequence, own.Code) != (of.Production, of.Sequence, of.Code))
            {
                throw new RefusedException(
                    $"That is a document of {own.Production} / {own.Sequence} / {own.Code}; this shot is {of.Production} / {of.Sequence} / "
                        + $"{of.Code}. Nothing was changed."
                );
            }
            int head = of.Head;
            (RevisionRow headRow, string before) = await ReadRow(head);
            if (baseRevision is not null && head != baseRevision)
            {
                throw new ConflictException(headRow);
            }
            (RevisionRow row, string json, string? changes) = await make(headRow, ReadRow);
            RevisionRow kept = await Insert(connection, transaction, shot, row, json, changes);
            await Share(connection, transaction, of, before, json, row);
            await transaction.CommitAsync();
            return kept;
        }

        async Task<(RevisionRow, string)> ReadRow(int number)
        {
            await using var c = new NpgsqlCommand(
                "select number, who, at, what, content, parent, redo, document::text from revision where shot_id = $1 and number = $2",
                connection,
                transaction
            );
            c.Parameters.AddWithValue(shot);
            c.Parameters.AddWithValue(number);
            await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
            return await r.ReadAsync() ? (Revision(r, 0), r.GetString(7)) : throw new NotThereException($"There is no revision {number}.");
        }
    }

    /// <summary>What a shot changed of a place that it shares, in the other shots of that place: a revision of each, of the same hand.</summary>
    private static async Task Share(
        NpgsqlConnection connection,
        NpgsqlTransaction transaction,
        ShotRow of,
        string before,
        string after,
        RevisionRow made
    )
    {
        // Most shots share none: nothing is read for them.
        if (!before.Contains("\"sharesPlace\"", StringComparison.Ordinal) || !after.Contains("\"sharesPlace\"", StringComparison.Ordinal))
        {
            return;
        }
        ShotDocument was = ShotJson.Read(before),
            now = ShotJson.Read(after);
        if (was.SharesPlace is not { } place || now.SharesPlace != place)
        {
            return;
        }
        var others = new List<(long Id, int Head, int Content, string Json)>();
        await using (
            var find = new NpgsqlCommand(
                """
                select s.id, s.head, r.content, r.document::text from shot s join revision r on r.shot_id = s.id and r.number = s.head
                where r.document ->> 'sharesPlace' = $1 and s.production = $2 and s.id <> $3 order by s.id for update of s
                """,
                connection,
                transaction
            )
        )
        {
            find.Parameters.AddWithValue(place);
            find.Parameters.AddWithValue(of.Production);
            find.Parameters.AddWithValue(of.Id);
            await using NpgsqlDataReader r = await find.ExecuteReaderAsync();
            while (await r.ReadAsync())
            {
                others.Add((r.GetInt64(0), r.GetInt32(1), r.GetInt32(2), r.GetString(3)));
            }
        }
        foreach (var (id, head, content, json) in others)
        {
            if (SharedPlace.Follow(was, now, ShotJson.Read(json)) is not { } followed)
            {
                continue;
            }
            string written = Written(followed);
            await Insert(
                connection,
                transaction,
                id,
                new(head + 1, made.Who, default, $"{of.Code}: {made.What}", head + 1, content, []),
                written
            );
        }
    }

    /// <summary>A revision, which is the shot's newest from then on.</summary>
    private static async Task<RevisionRow> Insert(
        NpgsqlConnection connection,
        NpgsqlTransaction transaction,
        long shot,
        RevisionRow row,
        string json,
        string? changes = null
    )
    {
        await using var c = new NpgsqlCommand(
            """
            insert into revision (shot_id, number, who, what, document, content, parent, redo, changes)
            values ($1, $2, $3, $4, $5::jsonb, $6, $7, $8, $9::jsonb) returning at
            """,
            connection,
            transaction
        );
        c.Parameters.AddWithValue(shot);
        c.Parameters.AddWithValue(row.Number);
        c.Parameters.AddWithValue(row.Who);
        c.Parameters.AddWithValue(row.What);
        c.Parameters.AddWithValue(json);
        c.Parameters.AddWithValue(row.Content);
        c.Parameters.Add(new() { Value = (object?)row.Parent ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer });
        c.Parameters.AddWithValue(row.Redo);
        c.Parameters.Add(new() { Value = (object?)changes ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        RevisionRow kept = row with { At = (DateTime)(await c.ExecuteScalarAsync())! };
        await using var update = new NpgsqlCommand(
            "update shot set head = $2, title = coalesce($3::jsonb ->> 'title', title) where id = $1",
            connection,
            transaction
        );
        update.Parameters.AddWithValue(shot);
        update.Parameters.AddWithValue(row.Number);
        update.Parameters.AddWithValue(json);
        await update.ExecuteNonQueryAsync();
        return kept;
    }
}
