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

    /// <summary>Camera rays pass through; what it does beyond light is then void.</summary>
    public bool OnlyBlocksLight { get; init; }

    /// <summary>It sends the footage that it wears to elements as light, unseen.</summary>
    public bool LightsElements { get; init; }

    /// <summary>A card: the albedo by which it bounces light onto elements; null: it does not.</summary>
    public Vec3? Bounces { get; init; }
}
