using Npgsql;
using NpgsqlTypes;

namespace Plenk.Store;

/// <summary>A thing of the shelf in one version.</summary>
/// <param name="Production">Whose it is; null: the house's.</param>
/// <param name="Version">The newest, where none was asked for.</param>
/// <param name="Preview">Hash of a picture of it.</param>
public sealed record ShelfRow(
    long Id,
    string? Production,
    string Kind,
    string Name,
    IReadOnlyList<string> Tags,
    int Version,
    string Who,
    DateTime At,
    string Words,
    string Author,
    string Licence,
    string Source,
    string Preview
);

/// <summary>What shots take from one another, in versions that are never rewritten.</summary>
public sealed class ShelfStore(Database database)
{
    private const string Columns =
        "t.id, t.production, t.kind, t.name, t.tags, v.number, v.who, v.at, v.words, v.author, v.licence, v.source, v.preview";

    private static ShelfRow Row(NpgsqlDataReader r) =>
        new(
            r.GetInt64(0),
            r.IsDBNull(1) ? null : r.GetString(1),
            r.GetString(2),
            r.GetString(3),
            r.GetFieldValue<string[]>(4),
            r.GetInt32(5),
            r.GetString(6),
            r.GetDateTime(7),
            r.GetString(8),
            r.GetString(9),
            r.GetString(10),
            r.GetString(11),
            r.GetString(12)
        );

    /// <summary>Puts a thing there: a new one, or, where its name is there, its next version.</summary>
    /// <param name="row">Its id, version and time are given here.</param>
    /// <param name="part">What it is, as JSON.</param>
    public async Task<ShelfRow> Add(ShelfRow row, string part)
    {
        await using NpgsqlConnection c = await database.Source.OpenConnectionAsync();
        await using NpgsqlTransaction t = await c.BeginTransactionAsync();
        // Two who put the same name there at once make two versions of it.
        await using (var one = new NpgsqlCommand("select pg_advisory_xact_lock(hashtext('shelf'))", c, t))
        {
            await one.ExecuteNonQueryAsync();
        }
        long id;
        await using (
            var find = new NpgsqlCommand(
                "select id, kind from shelf_thing where production is not distinct from $1 and name = $2 and not gone",
                c,
                t
            )
        )
        {
            find.Parameters.Add(new() { Value = (object?)row.Production ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
            find.Parameters.AddWithValue(row.Name);
            await using NpgsqlDataReader r = await find.ExecuteReaderAsync();
            id = await r.ReadAsync() ? r.GetInt64(0) : 0;
            if (id != 0 && r.GetString(1) != row.Kind)
            {
                throw new RefusedException(
                    $"There is a “{row.Name}” of another kind on the shelf ({r.GetString(1).ToLowerInvariant()}). Choose another name."
                );
            }
        }
        if (id == 0)
        {
            await using var add = new NpgsqlCommand(
                "insert into shelf_thing (production, kind, name, tags) values ($1, $2, $3, $4) returning id",
                c,
                t
            );
            add.Parameters.Add(new() { Value = (object?)row.Production ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
            add.Parameters.AddWithValue(row.Kind);
            add.Parameters.AddWithValue(row.Name);
            add.Parameters.AddWithValue(row.Tags.ToArray());
            id = (long)(await add.ExecuteScalarAsync())!;
        }
        else
        {
            await using var tag = new NpgsqlCommand("update shelf_thing set tags = $2 where id = $1", c, t);
            tag.Parameters.AddWithValue(id);
            tag.Parameters.AddWithValue(row.Tags.ToArray());
            await tag.ExecuteNonQueryAsync();
        }
        int number;
        await using (
            var version = new NpgsqlCommand(
                """
                insert into shelf_version (thing_id, number, who, words, author, licence, source, part, preview)
                select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5, $6, $7::jsonb, $8 from shelf_version where thing_id = $1
                returning number
                """,
                c,
                t
            )
        )
        {
            version.Parameters.AddWithValue(id);
            foreach (string text in (string[])[row.Who, row.Words, row.Author, row.Licence, row.Source, part, row.Preview])
            {
                version.Parameters.AddWithValue(text);
            }
            number = (int)(await version.ExecuteScalarAsync())!;
        }
        await t.CommitAsync();
        return (await Find(id, number))!.Value.Row;
    }

    /// <summary>Newest versions, by their names.</summary>
    /// <param name="words">Each of them stands in its name, its tags or its words; empty: all.</param>
    /// <param name="production">Of that one and of the house; null: of all.</param>
    /// <param name="kinds">None: of all.</param>
    public async Task<IReadOnlyList<ShelfRow>> List(string words, string? production, IReadOnlyList<string> kinds, int most = 200)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"""
            select {Columns} from shelf_thing t
            join lateral (select * from shelf_version where thing_id = t.id order by number desc limit 1) v on true
            where not t.gone and ($1::text is null or t.production is null or t.production = $1)
              and (cardinality($2) = 0 or t.kind = any($2))
              and not exists (
                select 1 from unnest($3) w
                where position(w in lower(t.name || ' ' || array_to_string(t.tags, ' ') || ' ' || v.words || ' ' || t.kind)) = 0)
            order by lower(t.name), t.id limit $4
            """
        );
        c.Parameters.Add(new() { Value = (object?)production ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text });
        c.Parameters.AddWithValue(kinds.ToArray());
        c.Parameters.AddWithValue(
            words.ToLowerInvariant().Split(' ', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
        );
        c.Parameters.AddWithValue(most);
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        var rows = new List<ShelfRow>();
        while (await r.ReadAsync())
        {
            rows.Add(Row(r));
        }
        return rows;
    }

    /// <summary>A thing and what it is, as JSON; null: there is no such version, also of what was taken off the shelf.</summary>
    /// <param name="version">Null: the newest.</param>
    public async Task<(ShelfRow Row, string Part)?> Find(long id, int? version = null)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand(
            $"""
            select {Columns}, v.part::text from shelf_thing t
            join lateral (select * from shelf_version where thing_id = t.id and number = coalesce($2, number) order by number desc limit 1) v on true
            where t.id = $1
            """
        );
        c.Parameters.AddWithValue(id);
        c.Parameters.Add(new() { Value = (object?)version ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer });
        await using NpgsqlDataReader r = await c.ExecuteReaderAsync();
        return await r.ReadAsync() ? (Row(r), r.GetString(13)) : null;
    }

    /// <summary>A thing by its name, of a production or of the house; null: there is none.</summary>
    public async Task<ShelfRow?> Named(string name, string? production) =>
        (await List("", production, [], int.MaxValue)).Where(r => r.Name == name).OrderBy(r => r.Production is null).FirstOrDefault();

    /// <summary>Taken off: it is found no more; shots keep what they took.</summary>
    public async Task Remove(long id)
    {
        await using NpgsqlCommand c = database.Source.CreateCommand("update shelf_thing set gone = true where id = $1");
        c.Parameters.AddWithValue(id);
        await c.ExecuteNonQueryAsync();
    }
}
