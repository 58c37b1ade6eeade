using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>
/// What lies in it, by shot frame; one list for every step. A drawn shape has an outline by keys (straight between them, held before the
/// first and after the last; pixels of the plate) and, apart from it, a motion that carries the outline along.
/// </summary>
public sealed record Matte : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public MatteKind Kind { get; init; }
    public IReadOnlyList<MatteKey> Keys { get; init; } = [];

    /// <summary>Of a drawn one: a line of a width, not what it encloses.</summary>
    public bool Open { get; init; }

    /// <summary>Of an open one, pixels of the plate.</summary>
    public double WidthPixels { get; init; } = 4;

    /// <summary>It is blurred as far as it moves while the shutter is open.</summary>
    public bool BlursByShutter { get; init; }

    /// <summary>By frame, how it was followed there; none: it was not.</summary>
    public IReadOnlyList<FollowedFrame> Followed { get; init; } = [];

    /// <summary>Where the outline goes by itself; keys then correct what is carried along. Null: it stands.</summary>
    public MatteMotion? Motion { get; init; }

    /// <summary>Width of its edge, pixels of the plate.</summary>
    public double FeatherPixels { get; init; } = 1;

    /// <summary>Grown by so many pixels; shrunk: negative.</summary>
    public double GrowPixels { get; init; }
    public bool Inverted { get; init; }
    public IReadOnlyList<MattePart> Parts { get; init; } = [];
    public ScreenKey? Screen { get; init; }
    public FrameSource? Frames { get; init; }

    /// <summary>Of pictures with ID mattes: the layer, and whose coverage counts; null: the picture itself is the matte.</summary>
    public IdChoice? Ids { get; init; }

    /// <summary>Of an element's coverage: its id.</summary>
    public string? Element { get; init; }

    /// <summary>Of one by a range of something that is known of each pixel.</summary>
    public MatteRange? Range { get; init; }

    /// <summary>Of what was filmed on another plate: which, and what of it comes.</summary>
    public FilmedFootage? Footage { get; init; }

    /// <summary>Tracks keep off what lies in it.</summary>
    public bool KeepsTracksOff { get; init; } = true;

    /// <summary>
    /// What lies in it hides elements that are further away than this, metres from the camera; null: it hides none; 0: it hides all.
    /// </summary>
    public double? HidesBeyondMetres { get; init; }

    /// <summary>
    /// Of one that hides: shadow, reflection and light of elements that fall on the set behind it fall on it as well; else it hides these too.
    /// </summary>
    public bool TakesLight { get; init; }

    /// <summary>Frozen: kept as pictures, so that nothing that it hangs on changes it any more.</summary>
    public FrameSource? Frozen { get; init; }
    public bool Off { get; init; }

    /// <summary>What was filmed on another plate is laid over this one's.</summary>
    [JsonIgnore]
    public bool IsLaid => this is { Off: false, Kind: MatteKind.Filmed, HidesBeyondMetres: not null };
}
