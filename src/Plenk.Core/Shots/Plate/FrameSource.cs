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

    /// <summary>A single frame that is seen at its own number alone; else it is a still that is seen at all.</summary>
    public bool AtItsFrame { get; init; }

    /// <summary>The picture that a shot frame shows; null where it has none: before its first frame, and in a hole.</summary>
    public PlateFrame? At(int shotFrame, FrameRate shot)
    {
        if (Frames.Count == 0 || (Frames.Count == 1 && !AtItsFrame))
        {
            return Frames.FirstOrDefault();
        }
        int frame = Mapping.FrameAt(shotFrame, Rate, shot),
            first = Frames[0].Frame,
            last = Frames[^1].Frame;
        if (Repeats)
        {
            int n = last - first + 1;
            frame = first + ((frame - first) % n + n) % n;
        }
        else if (frame > last && !AtItsFrame)
        {
            return Frames[^1];
        }
        return Frames.FirstOrDefault(f => f.Frame == frame);
    }
}
