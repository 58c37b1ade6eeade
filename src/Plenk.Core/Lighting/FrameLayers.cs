using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>
/// What a rendered frame consists of; all of one size, scene-linear. Comp, Shadow and Added are RGB, Element RGBA
/// premultiplied and not held out, the others as their names say. Depth is +infinity where nothing is hit. Ao is the share of
/// the sky that set and elements leave open, cosine-weighted; 1 where there is no sky light or no receiver. Without the data
/// passes Visibility and Ao are measured only where an element acts, and the last three stay empty.
/// </summary>
public sealed record FrameLayers(
    FloatImage Comp, FloatImage Element, FloatImage Holdout, FloatImage Shadow, FloatImage Added,
    FloatImage Visibility, FloatImage Ao, FloatImage Depth, FloatImage Position, FloatImage Normal)
{
    /// <summary>Short-reach occlusion of set and element by one another, 1 = open; null where that look is off. It is in the comp, never in Shadow.</summary>
    public FloatImage? Contact { get; init; }

    /// <summary>Per pixel: the comp differs from the plate here by element, shadow or added light.</summary>
    public required bool[] Touched { get; init; }

    public required RenderCounts Counts { get; init; }
}

public readonly record struct RenderCounts(long Rays, double Seconds);

/// <summary>Camera samples a pixel, and for each of them rays to every sun and every sky.</summary>
public sealed record RenderQuality(int CameraSamples, int SunRays, int SkyRays)
{
    /// <summary>What follows a drag.</summary>
    public static readonly RenderQuality Draft = new(1, 1, 2);
    public static readonly RenderQuality Middle = new(4, 1, 1);
    public static readonly RenderQuality Full = new(16, 1, 1);
}
