using System.Text.Json.Serialization;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>Pictures by their own frame numbers; one picture stands for all frames.</summary>
public sealed record FrameSource : Extensible
{
    public IReadOnlyList<PlateFrame> Frames { get; init; } = [];
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public ColorEncoding Encoding { get; init; } = ColorEncoding.Srgb;

    /// <summary>As of a plate.</summary>
    public string? Primaries { get; init; }

    [JsonIgnore]
    public ColorSpace Space => ColorSpace.Of(Encoding, Primaries);

    /// <summary>Its colour is premultiplied by its alpha already.</summary>
    public bool Premultiplied { get; init; }

    /// <summary>
    /// Of frames rendered elsewhere: they were rendered through a straight pinhole of the shot's focal length, and are bent here as the
    /// lens bends.
    /// </summary>
    public bool WithoutLens { get; init; }

    /// <summary>
    /// Of frames rendered elsewhere: by how much their display window is wider than the plate, middle on middle; 1: as wide.
    /// </summary>
    public double Overscan { get; init; } = 1;

    /// <summary>It begins anew after its last frame; else its last one stands.</summary>
    public bool Repeats { get; init; }

    /// <summary>What is seen before its first frame and after its last; null: nothing before, and after as it repeats.</summary>
    public FrameOutside? Before { get; init; }
    public FrameOutside? After { get; init; }

    /// <summary>Its last frame is its first.</summary>
    public bool Reversed { get; init; }

    /// <summary>A single frame that is seen at its own number alone; else it is a still that is seen at all.</summary>
    public bool AtItsFrame { get; init; }

    /// <summary>The picture that a shot frame shows; null where it has none: before its first frame, and in a hole.</summary>
    public PlateFrame? At(int shotFrame, FrameRate shot)
    {
        if (Frames.Count == 0 || (Frames.Count == 1 && !AtItsFrame))
        {
            return Frames.FirstOrDefault();
        }
        int first = Frames[0].Frame,
            count = Frames[^1].Frame - first + 1;
        if (Inside(Mapping.FrameAt(shotFrame, Rate, shot) - first, count) is not { } at)
        {
            return null;
        }
        int frame = first + (Reversed ? count - 1 - at : at);
        return Frames.FirstOrDefault(f => f.Frame == frame);
    }

    /// <summary>
    /// The two of its frames that a moment of the shot lies between, and how far it is on its way to the second, 0..1; null: it is not there.
    /// At its ends, and where one follows that is not the next in order, it is the first alone.
    /// </summary>
    /// <param name="moment">Shot frames.</param>
    public (PlateFrame A, PlateFrame B, double Share)? Between(double moment, FrameRate shot)
    {
        if (Frames.Count == 0)
        {
            return null;
        }
        int first = Frames[0].Frame,
            count = Frames[^1].Frame - first + 1;
        double place = Mapping.ToSource(moment, Rate, shot) - first;
        int at = (int)Math.Floor(place + 1e-9);
        PlateFrame? Of(int k) =>
            Frames.Count == 1 && !AtItsFrame ? Frames[0]
            : Inside(k, count) is { } i ? Frames.FirstOrDefault(f => f.Frame == first + (Reversed ? count - 1 - i : i))
            : null;
        if (Of(at) is not { } a)
        {
            return null;
        }
        double share = Math.Max(0, place - at);
        return share > 0 && Of(at + 1) is { } b && Math.Abs(b.Frame - a.Frame) == 1 ? (a, b, share) : (a, a, 0);
    }

    /// <summary>Which of so many frames stands for a place before, within or after them; null: none does.</summary>
    private int? Inside(int at, int count)
    {
        if (at >= 0 && at < count)
        {
            return at;
        }
        FrameOutside usual =
            Repeats ? FrameOutside.Looped
            : at < 0 || AtItsFrame ? FrameOutside.Off
            : FrameOutside.Held;
        switch ((at < 0 ? Before : After) ?? usual)
        {
            case FrameOutside.Held:
                return Math.Clamp(at, 0, count - 1);
            case FrameOutside.Looped:
                return (at % count + count) % count;
            case FrameOutside.BackAndForth:
            {
                // Both ends are seen once on the way: 0 1 2 1 0 1 …
                int period = Math.Max(1, 2 * count - 2),
                    k = (at % period + period) % period;
                return k < count ? k : period - k;
            }
            default:
                return null;
        }
    }
}
