using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web;

/// <summary>A draft of a saved document, reduced to what the kind of picture shows.</summary>
/// <param name="Of">Whose it is: shots take turns.</param>
public sealed record Draft(long Of, ShotDocument Shot, int Frame, string Kind, int Width, double Gain, SeenThrough Seen)
{
    public string Key => PictureService.KeyOf(Shot, Frame, Kind, Width, "draft", Gain, Seen);
}

/// <summary>
/// Drafts that nobody has seen yet: each is made once for all who wait for it, and few at a time, so that the first ones are there soon and
/// what is known, dragged or saved meanwhile does not wait. While nobody waits, frames near the one that was looked at last are drawn
/// ahead: the next one looked at is likely one of them.
/// </summary>
/// <param name="make">On threads of ours.</param>
/// <param name="others">Whether pictures that come before those drawn ahead are being made.</param>
/// <param name="budget">
/// Bytes of all caches; plates of frames drawn ahead take at most a quarter of them. Null: <see cref="PictureMemory.Bytes"/>.
/// </param>
public sealed class Drafts(Cache<byte[]> known, Func<Draft, CancellationToken, byte[]> make, Func<bool> others, long? budget = null)
{
    private const int AtOnce = 2,
        MostNear = 6; // frames to either side
    private const long BytesAPixel = 18; // codes and linear light, which are kept of a plate
    private static readonly TimeSpan Rest = TimeSpan.FromMilliseconds(40);
    private readonly SharedWork<byte[]> _shared = new();
    private readonly FairLine _line = new(AtOnce),
        _aheadLine = new(1);
    private readonly LaneThreads _threads = new("drafts", AtOnce + Environment.ProcessorCount, LaneThreads.Drafts);
    private readonly LaneThreads _aheadThreads = new("drafts ahead", 1 + Environment.ProcessorCount, LaneThreads.Ahead);
    private readonly Dictionary<long, Looked> _looked = [];
    private bool _aheadRuns;

    /// <summary>What was looked at last of a shot, and how many of its neighbours were seen to.</summary>
    private sealed class Looked(Draft draft, int near)
    {
        public Draft Draft => draft;

        /// <summary>So many frames to either side are drawn.</summary>
        public int Near => near;
        public int Done { get; set; }
    }

    public async Task<byte[]> Get(Draft draft, CancellationToken stop)
    {
        string key = draft.Key;
        byte[] picture = known.TryGet(key, out byte[] there)
            ? there
            : await _shared.Get(
                key,
                async left =>
                {
                    using IDisposable turn = await _line.Enter(draft.Of, 0, left);
                    return await On(_threads, draft, left);
                },
                stop
            );
        LookedAt(draft);
        return picture;
    }

    /// <summary>One that is wanted while a hand rests: it is made when nobody waits for another.</summary>
    public async Task<byte[]> GetAhead(Draft draft, CancellationToken stop)
    {
        string key = draft.Key;
        if (known.TryGet(key, out byte[] there))
        {
            return there;
        }
        using IDisposable turn = await _aheadLine.Enter(draft.Of, 0, stop);
        while (!_line.IsIdle || others())
        {
            await Task.Delay(Rest, stop);
        }
        return await _shared.Get(key, left => On(_aheadThreads, draft, left), stop);
    }

    private async Task<byte[]> On(LaneThreads threads, Draft draft, CancellationToken stop)
    {
        byte[] made = await threads.Run(() => make(draft, stop));
        return known.Get(draft.Key, () => made);
    }

    private void LookedAt(Draft draft)
    {
        if (draft.Shot.Plate is not { Width: > 0, Height: > 0 } plate)
        {
            return;
        }
        int near = (int)Math.Min(MostNear, (budget ?? PictureMemory.Bytes) / 4 / (2 * BytesAPixel * plate.Width * plate.Height));
        lock (_looked)
        {
            _looked[draft.Of] = new(draft, near);
            if (_aheadRuns)
            {
                return;
            }
            _aheadRuns = true;
        }
        _ = Task.Run(DrawAhead);
    }

    private async Task DrawAhead()
    {
        while (true)
        {
            Draft? next;
            lock (_looked)
            {
                next = Next();
                if (next is null)
                {
                    _aheadRuns = false;
                    return;
                }
            }
            while (!_line.IsIdle || others())
            {
                await Task.Delay(Rest);
            }
            try
            {
                await _shared.Get(next.Key, stop => On(_aheadThreads, next, stop), CancellationToken.None);
            }
            catch (Exception)
            {
                // Whoever looks at that frame is told what is wrong with it; others near it are likely no better.
                lock (_looked)
                {
                    _looked.Remove(next.Of);
                }
            }
        }
    }

    /// <summary>Of the shot with the fewest drawn ahead, the nearest frame that is not known; null: there is none.</summary>
    private Draft? Next()
    {
        while (_looked.Values.MinBy(l => l.Done) is { } at)
        {
            if (at.Done >= 2 * at.Near)
            {
                _looked.Remove(at.Draft.Of);
                continue;
            }
            int away = at.Done / 2 + 1,
                frame = at.Draft.Frame + (at.Done % 2 == 0 ? away : -away);
            at.Done++;
            Draft near = at.Draft with { Frame = frame };
            if (near.Shot.Range.Contains(frame) && !known.TryGet(near.Key, out _))
            {
                return near;
            }
        }
        return null;
    }
}
