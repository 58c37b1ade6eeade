using System.Collections.Concurrent;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Xunit;

namespace Plenk.Web.Tests;

public sealed class DraftTests
{
    private readonly ConcurrentQueue<int> _made = new();
    private readonly Cache<byte[]> _known = new(b => b.Length, new ByteBudget(1 << 20));
    private volatile bool _others;

    private static ShotDocument Shot(int first = 1001, int last = 1072, int width = 1280) =>
        new()
        {
            Production = "",
            Sequence = "",
            Code = "",
            Range = new(first, last),
            Plate = new() { Width = width, Height = 720 },
        };

    /// <param name="near">So many frames to either side of 1280 × 720 have room.</param>
    private Drafts Drafts(int? fails = null, int near = 6) =>
        new(
            _known,
            (d, _) =>
            {
                _made.Enqueue(d.Frame);
                return d.Frame == fails ? throw new ShotFault("nothing is there") : [1, 2, 3];
            },
            () => _others,
            4 * 36L * 1280 * 720 * near
        );

    private static Draft At(int frame, ShotDocument? shot = null) => new(1, shot ?? Shot(), frame, "comp", 480, 4, SeenThrough.Display);

    private int _seen;

    /// <summary>These are made next, and then no more.</summary>
    private async Task Made(params int[] frames)
    {
        for (int i = 0; i < 400 && _made.Count < _seen + frames.Length; i++)
        {
            await Task.Delay(25);
        }
        await Task.Delay(150);
        Assert.Equal(frames, _made.Skip(_seen));
        _seen += frames.Length;
    }

    [Fact]
    public async Task Frames_near_the_one_looked_at_are_drawn_ahead_the_nearest_first()
    {
        Drafts drafts = Drafts();
        await drafts.Get(At(1036), CancellationToken.None);
        await Made(1036, 1037, 1035, 1038, 1034, 1039, 1033, 1040, 1032, 1041, 1031, 1042, 1030);
        // What is known is not drawn again, and the shot ends where it does.
        await drafts.Get(At(1044), CancellationToken.None);
        await Made(1044, 1045, 1043, 1046, 1047, 1048, 1049, 1050);
        await drafts.Get(At(1072), CancellationToken.None);
        await Made(1072, 1071, 1070, 1069, 1068, 1067, 1066);
    }

    [Fact]
    public async Task A_page_that_fills_its_range_gives_way_and_leaves_when_it_is_left()
    {
        _others = true;
        Drafts drafts = Drafts(near: 0);
        using var left = new CancellationTokenSource();
        Task<byte[]> first = drafts.GetAhead(At(1040), CancellationToken.None),
            gone = drafts.GetAhead(At(1041), left.Token);
        await drafts.Get(At(1036), CancellationToken.None);
        await Made(1036);
        await left.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => gone);
        Assert.False(first.IsCompleted);
        _others = false;
        await first;
        await Made(1040);
        // What is known needs no turn.
        _others = true;
        Assert.Equal([1, 2, 3], await drafts.GetAhead(At(1040), CancellationToken.None));
    }

    [Fact]
    public async Task Nothing_is_drawn_ahead_while_others_wait_or_where_it_would_push_them_out()
    {
        _others = true;
        Drafts drafts = Drafts();
        await drafts.Get(At(1036), CancellationToken.None);
        await Made(1036);
        _others = false;
        await Made(1037, 1035, 1038, 1034, 1039, 1033, 1040, 1032, 1041, 1031, 1042, 1030);
        await drafts.Get(At(2001, Shot(2001, 2009, 200_000)), CancellationToken.None);
        await Made(2001);
    }

    [Fact]
    public async Task The_less_room_there_is_the_sooner_it_ends()
    {
        await Drafts(near: 2).Get(At(1036), CancellationToken.None);
        await Made(1036, 1037, 1035, 1038, 1034);
        await Drafts(near: 1000).Get(At(5000, Shot(4000, 6000)), CancellationToken.None);
        await Made([5000, .. Enumerable.Range(1, 6).SelectMany(i => (int[])[5000 + i, 5000 - i])]);
    }

    [Fact]
    public async Task A_frame_that_cannot_be_drawn_ends_it_and_is_told_to_whoever_asks()
    {
        Drafts drafts = Drafts(fails: 1035);
        await drafts.Get(At(1036), CancellationToken.None);
        await Made(1036, 1037, 1035);
        await Assert.ThrowsAsync<ShotFault>(() => drafts.Get(At(1035), CancellationToken.None));
    }
}
