using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using Npgsql;
using Plenk.Core.Edits;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Work;
using Xunit;

namespace Plenk.Store.Tests;

/// <summary>A database of the test's own on the cluster that ./test starts.</summary>
public sealed class StoreTests : IAsyncLifetime
{
    private readonly string _name = $"test_{Guid.NewGuid():N}";
    private Database _database = null!;
    private ShotStore _shots = null!;
    private static string Server =>
        Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")
        ?? throw new InvalidOperationException("run ./test, which starts the database");

    public Task InitializeAsync()
    {
        _database = new Database($"{Server};Database={_name}");
        _database.Migrate();
        _shots = new ShotStore(_database);
        return Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        await _database.DisposeAsync();
        NpgsqlConnection.ClearAllPools();
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create($"{Server};Database=postgres");
        await using NpgsqlCommand drop = admin.CreateCommand($"drop database {_name} with (force)");
        await drop.ExecuteNonQueryAsync();
    }

    private static ShotDocument Shot(string title) =>
        new()
        {
            Production = "Test",
            Sequence = "T",
            Code = "T_0010",
            Title = title,
        };

    [Fact]
    public async Task Undo_and_redo_are_revisions_and_survive()
    {
        ShotRow row = await _shots.Create(Shot("a"), "one", "New");
        await _shots.Save(row.Id, 1, Shot("b"), "one", "B");
        await _shots.Save(row.Id, 2, Shot("c"), "two", "C");
        await _shots.Undo(row.Id, 3, "one");
        await _shots.Undo(row.Id, 4, "one");
        var again = new ShotStore(_database);
        Assert.Equal("a", (await again.Read(row.Id))!.Value.Document.Title);
        await Assert.ThrowsAsync<NothingToUndoException>(() => again.Undo(row.Id, 5, "one"));
        await again.Redo(row.Id, 5, "two");
        Assert.Equal("b", (await again.Read(row.Id))!.Value.Document.Title);
        await again.Redo(row.Id, 6, "two");
        Assert.Equal("c", (await again.Read(row.Id))!.Value.Document.Title);
        await Assert.ThrowsAsync<NothingToUndoException>(() => again.Redo(row.Id, 7, "two"));
        Assert.Equal(7, (await again.Ledger(row.Id)).Count);
        Assert.Contains("two", (await again.Ledger(row.Id)).Select(r => r.Who));
    }

    [Fact]
    public async Task What_was_changed_last_comes_first()
    {
        ShotRow[] rows =
        [
            await _shots.Create(Shot("a"), "one", "New"),
            await _shots.Create(Shot("b") with { Code = "T_0020" }, "one", "New"),
            await _shots.Create(Shot("c") with { Code = "T_0030" }, "one", "New"),
        ];
        await _shots.Save(rows[0].Id, 1, Shot("again"), "one", "Again");
        Assert.Equal([rows[0].Id, rows[2].Id], await _shots.LastChanged(2));
    }

    [Fact]
    public async Task The_second_to_save_is_told_and_nothing_is_overwritten()
    {
        ShotRow row = await _shots.Create(Shot("a"), "one", "New");
        await _shots.Save(row.Id, 1, Shot("first"), "one", "First");
        ConflictException told = await Assert.ThrowsAsync<ConflictException>(() => _shots.Save(row.Id, 1, Shot("second"), "two", "Second"));
        Assert.Contains("First", told.Message);
        Assert.Equal("first", (await _shots.Read(row.Id))!.Value.Document.Title);
        await _shots.Save(row.Id, told.Head.Number, Shot("second"), "two", "Second");
        Assert.Equal("second", (await _shots.Read(row.Id))!.Value.Document.Title);
    }

    [Fact]
    public async Task A_database_that_only_starts_is_waited_for()
    {
        var to = new NpgsqlConnectionStringBuilder($"{Server};Database={_name};Pooling=false;SSL Mode=Disable;GSS Encryption Mode=Disable");
        var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        (string host, int port, to.Host, to.Port) = (to.Host!, to.Port, "127.0.0.1", ((IPEndPoint)listener.LocalEndpoint).Port);
        listener.Stop();
        await using var late = new Database(to.ConnectionString);
        // Nobody listens: told after the patience, not at once and not never.
        Assert.Throws<NpgsqlException>(() => late.Migrate(TimeSpan.FromSeconds(0.4)));
        Task migrated = Task.Run(() => late.Migrate());
        await Task.Delay(600);
        listener = new TcpListener(IPAddress.Loopback, to.Port);
        listener.Start();
        using var over = new CancellationTokenSource();
        Task relay = Relay(listener, host, port, over.Token);
        await migrated.WaitAsync(TimeSpan.FromSeconds(30));
        await over.CancelAsync();
        listener.Stop();
        await relay;
    }

    /// <summary>
    /// Says to the first two that the database starts up, as PostgreSQL does (protocol 3.0, ErrorResponse), and hands the others on.
    /// </summary>
    private static async Task Relay(TcpListener listener, string host, int port, CancellationToken over)
    {
        for (int n = 0; !over.IsCancellationRequested; n++)
        {
            TcpClient client;
            try
            {
                client = await listener.AcceptTcpClientAsync(over);
            }
            catch (OperationCanceledException)
            {
                return;
            }
            if (n >= 2)
            {
                var server = new TcpClient(host, port);
                _ = client.GetStream().CopyToAsync(server.GetStream(), over);
                _ = server.GetStream().CopyToAsync(client.GetStream(), over);
                continue;
            }
            await client.GetStream().ReadAtLeastAsync(new byte[1024], 1, cancellationToken: over);
            byte[] said = Encoding.ASCII.GetBytes("SFATAL\0VFATAL\0C57P03\0Mthe database system is starting up\0\0");
            byte[] length = BitConverter.GetBytes(System.Buffers.Binary.BinaryPrimitives.ReverseEndianness(said.Length + 4));
            await client.GetStream().WriteAsync((byte[])[(byte)'E', .. length, .. said], over);
            client.Dispose();
        }
    }

    [Fact]
    public async Task A_taken_code_is_refused()
    {
        await _shots.Create(Shot("a"), "one", "New");
        await Assert.ThrowsAsync<RefusedException>(() => _shots.Create(Shot("b"), "one", "New"));
    }

    [Fact]
    public async Task One_live_job_a_key_and_late_results_are_discarded()
    {
        ShotRow row = await _shots.Create(Shot("a"), "one", "New");
        var jobs = new JobStore(_database);
        var (first, isNew) = await jobs.Add(new(row.Id, "render", "r", "{}", "key", 3, "one"));
        var (second, alsoNew) = await jobs.Add(new(row.Id, "render", "r", "{}", "key", 3, "two"));
        Assert.True(isNew && !alsoNew && first.Id == second.Id);
        Assert.Equal(first.Id, (await jobs.Take(Lane.Long, "worker"))!.Id);
        Assert.False(await jobs.Progress(first.Id, "worker", 1, 2.5, "frame 1"));
        await jobs.AskToStop(first.Id);
        Assert.True(await jobs.Progress(first.Id, "worker", 1, 2.5, "frame 1"));
        Assert.True(await jobs.End(first.Id, "worker", "stopped", "stopped; what was there stays", null));
        // A late tick and a late end change nothing.
        await Assert.ThrowsAsync<JobLostException>(() => jobs.Progress(first.Id, "worker", 2, null, "late"));
        Assert.False(await jobs.End(first.Id, "worker", "done", "late", null));
        Assert.Equal(
            ("stopped", "stopped; what was there stays"),
            (await jobs.Find(first.Id)) is { } over ? (over.State, over.Message) : default
        );
        Assert.True((await jobs.Add(new(row.Id, "render", "r", "{}", "key", 3, "one"))).IsNew);
        var results = new ResultStore(_database);
        await results.Write("k", "1");
        await results.Write("k", "2");
        Assert.Equal("1", (await results.Read(["k", "other"]))[0]);
        // What was measured more thoroughly stands in its place.
        await results.Replace("k", "3");
        await results.Replace("other", "4");
        Assert.Equal(["3", "4"], await results.Read(["k", "other"]));
    }

    [Fact]
    public async Task Shots_of_one_place_change_together_undo_included()
    {
        string production = Guid.NewGuid().ToString("N");
        ShotDocument Of(string code, string? place) =>
            new()
            {
                Production = production,
                Sequence = "S",
                Code = code,
                SharesPlace = place,
                Range = new(1001, 1002),
                Pieces = [new() { Id = "floor", Name = "floor" }],
            };
        ShotRow one = await _shots.Create(Of("A", "A"), "ann", "new"),
            two = await _shots.Create(Of("B", "A"), "ann", "new"),
            apart = await _shots.Create(Of("C", null), "ann", "new");
        await _shots.Edit(one.Id, "bob", d => Edits.Apply(d, [Edit.Set("pieces/floor/size", new Core.Geometry.Vec3(4, 1, 4))]));
        async Task<(double, string, int)> Now(ShotRow shot)
        {
            var (document, revision) = (await _shots.Read(shot.Id))!.Value;
            return (document.Pieces[0].Size.X, revision.What, revision.Number);
        }
        Assert.Equal((4, "A: Floor: size 1, 1, 1 m → 4, 1, 4 m", 2), await Now(two));
        Assert.Equal("bob", (await _shots.Read(two.Id))!.Value.Revision.Who);
        Assert.Equal((1, "new", 1), await Now(apart));
        await _shots.Undo(one.Id, 2, "bob");
        Assert.Equal(1, (await Now(two)).Item1);
        // Both at once: neither waits for the other for ever, and both have both.
        await Task.WhenAll(
            Enumerable
                .Range(0, 12)
                .Select(i =>
                    _shots.Edit(i % 2 == 0 ? one.Id : two.Id, "ann", d =>
                        Edits.Apply(d, [Edit.Add("pieces", new Piece { Id = $"p{i}", Name = $"p{i}" })])
                    )
                )
        );
        string[] Ids(ShotDocument d) => [.. d.Pieces.Select(p => p.Id).Order(StringComparer.Ordinal)];
        Assert.Equal(13, (await _shots.Read(one.Id))!.Value.Document.Pieces.Count);
        Assert.Equal(Ids((await _shots.Read(one.Id))!.Value.Document), Ids((await _shots.Read(two.Id))!.Value.Document));
        // No longer shared: each by itself.
        await _shots.Edit(two.Id, "ann", d => Edits.Apply(d, [Edit.Set("sharesPlace", null)]));
        await _shots.Edit(one.Id, "ann", d => Edits.Apply(d, [Edit.Remove("pieces/p3")]));
        Assert.Contains((await _shots.Read(two.Id))!.Value.Document.Pieces, p => p.Id == "p3");
    }

    [Fact]
    public void Unknown_fields_survive_and_old_schemas_are_raised()
    {
        const string old =
            """{"production":"P","sequence":"S","code":"C","futureThing":{"a":1},"lights":[{"id":"sky","kind":"Sky","radiance":[1,2,3]}]}""";
        ShotDocument read = ShotJson.Read(old);
        Assert.Equal(2, read.Lights[0].Color.Y);
        Assert.Equal(ShotDocument.CurrentSchema, read.SchemaVersion);
        // Of the first schema: what was added, and a grade of everything without glow and grain.
        ShotDocument first = ShotJson.Read(
            """{"schemaVersion":1,"production":"P","sequence":"S","code":"C","elements":[{"id":"a","kind":"Card","added":true},{"id":"b","kind":"Card","added":false},{"id":"c"}],"finish":{"steps":[{"id":"w","kind":"Whole"}]}}"""
        );
        Assert.Equal([ElementBlend.Added, ElementBlend.Over, ElementBlend.Over], first.Elements.Select(e => e.Blend));
        Assert.Equal(new WholeSettings(), first.Finish.Steps[0].Whole);
        Assert.DoesNotContain("\"added\"", ShotJson.Write(first));
        Assert.Contains("\"futureThing\":{\"a\":1}", ShotJson.Write(read));
        // Before version 3 a rendered picture was lit again beside the comp; it is rendered frames of the comp now, off at first.
        read = ShotJson.Read(
            """{"schemaVersion":2,"production":"P","sequence":"S","code":"C","elements":[{"id":"rendered_1","kind":"Card"}],"rendered":[{"id":"rendered_1","name":"bell","frame":1036,"media":["aa","bb"],"names":["bell.1036.exr","bell_P.1036.exr"],"lamps":["lamp"],"look":{"specular":0.5},"alone":true},{"id":"rendered_2","name":"none"}]}"""
        );
        Assert.Null(read.Unknown);
        Element lit = Assert.Single(read.Elements, e => e.Kind == ElementKind.Rendered);
        Assert.Equal(("rendered_2", "bell", true), (lit.Id, lit.Name, lit.Off));
        Assert.Equal(new PlateFrame(1036, "bell.1036.exr", "aa"), lit.Frames!.At(1036, new(24, 1)));
        Assert.Null(lit.Frames.At(1037, new(24, 1)));
        PassFrames pass = Assert.Single(lit.PassFrames);
        Assert.Equal(("P", "bb"), (pass.Name, pass.Frames[0].Media));
        Assert.Equal((0.5f, true, "lamp"), (lit.Relit!.Look.Specular, lit.Relit.Alone, Assert.Single(lit.Relit.Lamps)));
        Assert.Throws<JsonException>(() => ShotJson.Read("""{"schemaVersion":99,"production":"P","sequence":"S","code":"C"}"""));
    }

    /// <summary>A whole small shot in a folder: the comp's codes are the plate's outside what the element touches.</summary>
    [Fact]
    public void Rendered_from_a_folder_the_comp_keeps_the_plates_codes()
    {
        string directory = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}");
        try
        {
            var store = new MediaStore(Path.Combine(directory, "store"));
            var codes = new ushort[96 * 54 * 3];
            for (int i = 0; i < codes.Length; i++)
            {
                codes[i] = (ushort)(i * 31 % 256);
            }
            var picture = new CodeImage(96, 54, 3, 8, codes);
            var shot = Shot("folder") with
            {
                Range = new(1001, 1001),
                Plate = new()
                {
                    Width = 96,
                    Height = 54,
                    Frames = [new(1001, "p.1001.png", store.Write(RasterFile.ToPng(picture)))],
                },
                Camera = new()
                {
                    Width = 96,
                    Height = 54,
                    Samples = [new(1001, [1, 0, 0, 0, 0, 1, 0, 1.5, 0, 0, 1, 6, 0, 0, 0, 1], 90, 48, 27)],
                },
                Pieces =
                [
                    new()
                    {
                        Id = "floor",
                        Kind = PieceKind.Plane,
                        Size = new(30, 1, 30),
                    },
                ],
                Lights =
                [
                    new()
                    {
                        Id = "sun",
                        Kind = LightKind.Sun,
                        Direction = new(1, 1, 0.2),
                        Strength = 3,
                    },
                    new()
                    {
                        Id = "fill",
                        Kind = LightKind.Fill,
                        Strength = 0.2,
                    },
                ],
                Elements =
                [
                    new() { Id = "box", Media = store.Write(GltfFile.WriteMesh("box", Core.Sets.PieceMeshes.Box(new(1, 1, 1)), [])) },
                ],
            };
            string folder = Path.Combine(directory, "shot");
            ShotFolder.Write(folder, shot, store);
            ShotDocument read = new ShotFolder(folder).ReadDocument();
            var engine = new ShotEngine(new ShotFolder(folder));
            FrameLayers layers = engine.Renderer.Render(read, 1001, 96, RenderQuality.Full);
            FrameFiles.Write(engine, read, 1001, layers, Path.Combine(directory, "out"));
            CodeImage comp = RasterFile.Read(File.ReadAllBytes(Path.Combine(directory, "out", FrameFiles.PngName(read, 1001))), "comp");
            int touched = 0;
            for (int i = 0; i < 96 * 54; i++)
            {
                bool same = comp.Codes.AsSpan(3 * i, 3).SequenceEqual(codes.AsSpan(3 * i, 3));
                if (layers.Touched[i])
                {
                    touched++;
                }
                else
                {
                    Assert.True(same);
                }
            }
            Assert.InRange(touched, 100, 96 * 54 / 2);
            FrameLayers again = new ShotEngine(store).Renderer.Render(shot, 1001, 96, RenderQuality.Full);
            Assert.Equal(layers.Comp.Data, again.Comp.Data);
            var readings = ReadingKind.All.Select(k => k.Take(engine, read)).ToList();
            Assert.Equal(Core.Readings.Verdict.Within, readings.Single(r => r.Id == "plate.complete").Verdict);
            Assert.Equal(0, readings.Single(r => r.Id == "contact.gap").Value!.Value, 2);
        }
        finally
        {
            Directory.Delete(directory, recursive: true);
        }
    }

    [Fact]
    public void Media_are_whole_or_absent()
    {
        string directory = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}");
        try
        {
            var store = new MediaStore(directory);
            string hash = store.Write("hello"u8);
            Assert.Equal("2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824", hash); // SHA-256 of "hello", published widely
            Assert.Equal("hello"u8.ToArray(), store.Read(hash));
            Assert.Throws<MissingMediaException>(() => store.Read(new string('0', 64)));
            Assert.Empty(Directory.GetFiles(directory, "*.tmp", SearchOption.AllDirectories));
        }
        finally
        {
            Directory.Delete(directory, recursive: true);
        }
    }
}
