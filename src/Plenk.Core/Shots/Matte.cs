using System.Text.Json.Serialization;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

[JsonConverter(typeof(JsonStringEnumConverter<MatteKind>))]
public enum MatteKind
{
    /// <summary>A drawn shape.</summary>
    Drawn,
    /// <summary>What stands before a coloured screen.</summary>
    Screen,
    /// <summary>Pictures of it, white inside.</summary>
    Frames,
    /// <summary>An element's own coverage.</summary>
    Element,
}

/// <summary>How a matte is joined to those that it names.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<MatteJoin>))]
public enum MatteJoin
{
    Add,
    Subtract,
    /// <summary>Only what lies in both.</summary>
    Within,
}

/// <summary>Another matte that is joined to one.</summary>
public sealed record MattePart(string Matte, MatteJoin Join = MatteJoin.Add);

/// <summary>
/// What lies in it, by shot frame; one list for every step. A drawn shape has an outline by keys (straight between them, held before the first and after the last; pixels of the plate) and, apart from it,
/// a motion that carries the outline along.
/// </summary>
public sealed record Matte : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public MatteKind Kind { get; init; }
    public IReadOnlyList<MatteKey> Keys { get; init; } = [];

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

    /// <summary>Tracks keep off what lies in it.</summary>
    public bool KeepsTracksOff { get; init; } = true;

    /// <summary>What lies in it hides elements that are further away than this, metres from the camera; null: it hides none; 0: it hides all.</summary>
    public double? HidesBeyondMetres { get; init; }

    /// <summary>Frozen: kept as pictures, so that nothing that it hangs on changes it any more.</summary>
    public FrameSource? Frozen { get; init; }
    public bool Off { get; init; }
}

/// <summary>A layer of ID mattes, and the names in it that count together.</summary>
public sealed record IdChoice(string Layer, IReadOnlyList<string> Names);

/// <summary>Corners x0 y0 x1 y1 …; every key of a matte has as many. With a motion they are where they are at the key's own frame.</summary>
public sealed record MatteKey(int Frame, double[] Corners);

/// <summary>
/// By shot frame, what takes the reference frame's pixels to that frame's: a homography, row-major, 9 numbers. How it came to be stands
/// beside it.
/// </summary>
public sealed record MatteMotion(int Reference, IReadOnlyList<MatteStep> Steps, string MadeBy = "");

public sealed record MatteStep(int Frame, double[] Homography);

/// <summary>
/// A key of a coloured screen: its colour (linear), and the band of difference over which it goes from screen to foreground.
/// </summary>
public sealed record ScreenKey(Vec3 Color, double Low = 0.1, double High = 0.5, bool TakesSpillOff = true);
