using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

public sealed record Duties : Extensible
{
    public bool Receives { get; init; } = true;
    public bool Hides { get; init; } = true;
    public bool WearsFootage { get; init; } = true;
    public bool BlocksLight { get; init; } = true;

    /// <summary>
    /// How much larger than it is it hides elements (smaller: negative), millimetres and pixels of the plate; nothing else knows of it.
    /// </summary>
    public double HoldoutMillimetres { get; init; }
    public double HoldoutPixels { get; init; }

    /// <summary>The comp shows it, wearing its footage; else it stands for what the plate shows.</summary>
    public bool Seen { get; init; }

    /// <summary>Of a seen piece.</summary>
    public PieceLit Lit { get; init; }

    /// <summary>
    /// It was not there when the plate was shot: what it keeps of the light is kept from what was filmed as well, and it leaves as a layer
    /// of its own.
    /// </summary>
    public bool New { get; init; }

    /// <summary>Of a seen piece: from its outline inwards it comes up over so many pixels of the plate; 0: it has its own edge.</summary>
    public double FadePixels { get; init; }

    /// <summary>Of a seen piece: id of the matte within which alone it is seen; null: everywhere.</summary>
    public string? SeenWithin { get; init; }

    /// <summary>Camera rays pass through; what it does beyond light is then void.</summary>
    public bool OnlyBlocksLight { get; init; }

    /// <summary>It sends the footage that it wears to elements as light, unseen.</summary>
    public bool LightsElements { get; init; }

    /// <summary>A card: the albedo by which it bounces light onto elements; null: it does not.</summary>
    public Vec3? Bounces { get; init; }
}
