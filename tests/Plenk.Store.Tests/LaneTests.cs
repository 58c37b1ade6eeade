using Npgsql;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Store.Tests;

/// <summary>Who waits for whom, and that every job comes to one end.</summary>
public sealed class LaneTests : IAsyncLifetime
{
    private readonly string _name = $"lanes_{Guid.NewGuid():N}";
    private Database _database = null!;
    private JobStore _jobs = null!;
    private FrameStore _frames = null!;

    public async Task InitializeAsync()
    {
        _database = new($"{Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")};Database={_name}");
        _database.Migrate();
        (_jobs, _frames) = (new(_database), new(_database, new(_database)));
        await Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        await _database.DisposeAsync();
        NpgsqlConnection.ClearAllPools();
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create(
            $"{Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")};Database=postgres"
        );
        await using NpgsqlCommand drop = admin.CreateCommand($"drop database if exists {_name} with (force)");
        await drop.ExecuteNonQueryAsync();
    }

    private async Task<long> Shot(string code) =>
        (
            await new ShotStore(_database).Create(
                new ShotDocument
                {
                    Production = "P",
                    Sequence = "S",
                    Code = code,
                },
                "one",
                "New"
            )
        ).Id;

    private async Task<JobRow> Job(long shot, string title, string who, string lane = Lane.Long, int[]? frames = null) =>
        (
            await _jobs.Add(
                new(
                    shot,
                    frames is null ? "work" : "handover",
                    title,
                    "{}",
                    Guid.NewGuid().ToString(),
                    frames?.Length ?? 10,
                    who,
                    lane,
                    frames
                )
            )
        ).Job;

    private async Task Run(string sql)
    {
        await using NpgsqlCommand c = _database.Source.CreateCommand(sql);
        await c.ExecuteNonQueryAsync();
    }

    [Fact]
    public async Task Shots_and_people_take_turns_and_hands_stand_in_no_line_but_their_own()
    {
        long a = await Shot("A"),
            b = await Shot("B");
        foreach (int i in (int[])[1, 2, 3])
        {
            await Job(a, $"a{i}", "ann");
        }
        await Job(b, "b1", "ann");
        await Job(b, "b2", "ben");
        await Job(a, "quick", "ann", Lane.Hands);
        Assert.Equal("quick", (await _jobs.Take(Lane.Hands, "w"))!.Title);
        var order = new List<string>();
        while (await _jobs.Take(Lane.Long, "w") is { } taken)
        {
            order.Add(taken.Title);
            // One at a time: the next is asked for when this one is over.
            Assert.True(await _jobs.End(taken.Id, "w", "done", "", null));
        }
        Assert.Equal("a1", order[0]);
        // Ben's only one and the other shot's first do not stand behind all that Ann began before.
        Assert.True(order.IndexOf("b2") < order.IndexOf("a3"), string.Join(' ', order));
        Assert.Equal(5, order.Count);
    }

    [Fact]
    public async Task Who_waits_is_told_its_place_and_behind_whom()
    {
        long a = await Shot("A"),
            b = await Shot("B");
        await Job(a, "Depth", "ann");
        await _jobs.Take(Lane.Long, "w");
        await Job(a, "Solving", "ann");
        await Job(b, "Baking", "ben");
        await Job(a, "Tracking", "ann");
        Assert.Equal("next in line, behind “Depth” of A", (await _jobs.OfShot(b)).Single().Waits);
        IReadOnlyList<JobRow> own = await _jobs.OfShot(a);
        Assert.Equal("second in line, behind “Baking” of B", own.Single(j => j.Title == "Solving").Waits);
        Assert.Equal("third in line, behind “Solving” of A", own.Single(j => j.Title == "Tracking").Waits);
        Assert.Null(own.Single(j => j.Title == "Depth").Waits);
    }

    [Fact]
    public async Task A_lost_workers_job_is_taken_again_and_at_last_told()
    {
        long a = await Shot("A");
        JobRow job = await Job(a, "Depth", "ann");
        for (int attempt = 1; attempt <= JobStore.MostAttempts; attempt++)
        {
            Assert.Equal(job.Id, (await _jobs.Take(Lane.Long, $"w{attempt}"))!.Id);
            Assert.Null(await _jobs.Take(Lane.Long, "other"));
            await Run("update job set lease_until = now() - interval '1 s'");
            // Whoever looks next finds it without its worker: it is taken anew, or after the last attempt has failed.
            JobRow? peeked = await _jobs.Take(Lane.Long, "peek");
            Assert.Equal(attempt < JobStore.MostAttempts ? job.Id : null, peeked?.Id);
            await _jobs.GiveBack(job.Id, "peek");
            // Neither the ticks nor the end of the lost one count.
            await Assert.ThrowsAsync<JobLostException>(() => _jobs.Progress(job.Id, $"w{attempt}", 5, null, "late"));
            Assert.False(await _jobs.End(job.Id, $"w{attempt}", "done", "late", null));
        }
        JobRow told = (await _jobs.Find(job.Id))!;
        Assert.Equal(("failed", "the server was lost over it, 3 times; it is not tried again"), (told.State, told.Message));
    }

    // Stop, again, stop: however they meet, the job ends and can be taken up.
    [Fact]
    public async Task Stop_and_again_meet_in_any_order()
    {
        long a = await Shot("A");
        JobRow job = await Job(a, "Handing over", "ann", Lane.Frames, [1, 2]);
        LeasedFrame one = (await _frames.Take("w"))!;
        await _frames.AskToStop(job.Id);
        Assert.Equal("running", (await _jobs.Find(job.Id))!.State);
        await _frames.Again(job.Id, null);
        Assert.True(await _frames.Hold(one, "w"));
        await _frames.AskToStop(job.Id);
        Assert.False(await _frames.Hold(one, "w"));
        await _frames.End(one, "w", "waiting", null, "");
        Assert.Equal(
            ("stopped", "stopped after 0 of 2 frames; those are kept"),
            await _jobs.Find(job.Id) is { } s ? (s.State, s.Message) : default
        );
        await _frames.Again(job.Id, null);
        foreach (int f in (int[])[1, 2, FrameStore.Closing])
        {
            LeasedFrame taken = (await _frames.Take("w"))!;
            Assert.Equal(f, taken.Frame);
            await _frames.End(taken, "w", "done", 1, f == FrameStore.Closing ? "2 frames" : "", f == FrameStore.Closing ? "[]" : null);
        }
        Assert.Equal(("done", "2 frames", 2), await _jobs.Find(job.Id) is { } d ? (d.State, d.Message, d.Done) : default);
        // What has ended stays so.
        await _frames.AskToStop(job.Id);
        await _frames.Again(job.Id, null);
        Assert.Equal("done", (await _jobs.Find(job.Id))!.State);
    }

    [Fact]
    public async Task A_lost_closing_frame_is_taken_by_whoever_comes()
    {
        long a = await Shot("A");
        JobRow job = await Job(a, "Handing over", "ann", Lane.Frames, [1]);
        await _frames.End((await _frames.Take("w"))!, "w", "done", 1, "");
        Assert.Equal(FrameStore.Closing, (await _frames.Take("w"))!.Frame);
        Assert.Null(await _frames.Take("v"));
        await Run("update job_frame set lease_until = now() - interval '1 s'");
        LeasedFrame again = (await _frames.Take("v"))!;
        Assert.Equal((FrameStore.Closing, 2), (again.Frame, again.Attempts));
        await _frames.End(again, "v", "failed", null, "no room");
        Assert.Equal(("failed", "closing: no room"), await _jobs.Find(job.Id) is { } f ? (f.State, f.Message) : default);
    }

    // A short hand-over beside a long one: frames are shared out between shots, whoever began first.
    [Fact]
    public async Task A_short_hand_over_does_not_wait_for_a_long_one()
    {
        long a = await Shot("A"),
            b = await Shot("B");
        await Job(a, "Long", "ann", Lane.Frames, [.. Enumerable.Range(1, 50)]);
        JobRow brief = await Job(b, "Short", "ben", Lane.Frames, [1]);
        for (int i = 0; i < 4; i++)
        {
            LeasedFrame f = (await _frames.Take("w"))!;
            await _frames.End(f, "w", "done", 1, "", f.Frame == FrameStore.Closing ? "[]" : null);
        }
        Assert.Equal("done", (await _jobs.Find(brief.Id))!.State);
    }

    [Fact]
    public async Task A_code_of_two_productions_is_asked_for_with_its_production()
    {
        var shots = new ShotStore(_database);
        foreach (string p in (string[])["One", "Two"])
        {
            await shots.Create(
                new ShotDocument
                {
                    Production = p,
                    Sequence = "S",
                    Code = "X_1",
                },
                "a",
                "New"
            );
        }
        Assert.Contains("One/X_1", (await Assert.ThrowsAsync<RefusedException>(() => shots.FindByCode("X_1"))).Message);
        Assert.Equal("Two", (await shots.FindByCode("Two/X_1"))!.Production);
        Assert.Null(await shots.FindByCode("Three/X_1"));
    }
}
