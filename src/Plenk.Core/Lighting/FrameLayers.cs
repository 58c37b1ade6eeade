using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;

namespace Plenk.Core.Lighting;

/// <summary>
/// What a rendered frame consists of; all of one size, scene-linear. Comp, Shadow and Added are RGB, Element RGBA
/// premultiplied and not held out, the others as their names say. Depth is +infinity where nothing is hit. Ao is the share of
/// the sky that set and elements leave open, cosine-weighted; 1 where there is no sky light or no receiver. Without the data
/// passes Visibility and Ao are measured only where an element acts, and the last three stay empty.
/// </summary>
public sealed record FrameLayers(
    FloatImage Comp,
    FloatImage Element,
    FloatImage Holdout,
    FloatImage Shadow,
    FloatImage Added,
    FloatImage Visibility,
    FloatImage Ao,
    FloatImage Depth,
    FloatImage Position,
    FloatImage Normal
)
{
    /// <summary>
    /// Short-reach occlusion of set and element by one another, 1 = open; null where that look is off. It is in the comp, never in Shadow.
    /// </summary>
    public FloatImage? Contact { get; init; }

    /// <summary>What elements seen in mirroring pieces change of the plate, RGB, signed; null where no piece mirrors.</summary>
    public FloatImage? Mirror { get; init; }

    /// <summary>Shadows that were drawn, each by itself, under the id of its matte; they are in Shadow.</summary>
    public IReadOnlyList<(string Matte, FloatImage Rgb)> Drawn { get; init; } = [];

    /// <summary>The element's parts; null where they were not asked for.</summary>
    public ElementParts? Parts { get; init; }

    /// <summary>Per pixel: the comp differs from the plate here by element, shadow or added light.</summary>
    public required bool[] Touched { get; init; }

    /// <summary>The element held out, RGBA premultiplied: what the comp lays over the plate.</summary>
    public required FloatImage Held { get; init; }

    /// <summary>What is laid under all that is added; null: the plate as it is.</summary>
    public Background? Background { get; init; }

    /// <summary>What hid elements, and what was rendered elsewhere.</summary>
    public IReadOnlyList<HidingMatte> Mattes { get; init; } = [];
    public IReadOnlyList<RenderedLayer> Rendered { get; init; } = [];

    /// <summary>What the contact look leaves of the set's light, by pixel; null where that look is off.</summary>
    public float[]? Near { get; init; }

    /// <summary>By pixel, how far away elements are along the ray, the mean over their samples; +infinity where none is.</summary>
    public required float[] Distance { get; init; }

    /// <summary>What the comp shows, by element and piece; null where it was not asked for.</summary>
    public IdMatte? Objects { get; init; }

    /// <summary>What it shows of elements, by material.</summary>
    public IdMatte? Materials { get; init; }

    public required RenderCounts Counts { get; init; }

    /// <summary>The inner part, without so many pixels on every side.</summary>
    public FrameLayers Within(int margin)
    {
        if (margin == 0)
        {
            return this;
        }
        int w = Comp.Width,
            h = Comp.Height;
        return new(
            Comp.Within(margin),
            Element.Within(margin),
            Holdout.Within(margin),
            Shadow.Within(margin),
            Added.Within(margin),
            Visibility.Within(margin),
            Ao.Within(margin),
            Depth.Within(margin),
            Position.Within(margin),
            Normal.Within(margin)
        )
        {
            Contact = Contact?.Within(margin),
            Mirror = Mirror?.Within(margin),
            Drawn = [.. Drawn.Select(d => (d.Matte, d.Rgb.Within(margin)))],
            Parts = Parts is null
                ? null
                : new(
                    Parts.Albedo.Within(margin),
                    Parts.Diffuse.Within(margin),
                    Parts.Specular.Within(margin),
                    Parts.Reflection.Within(margin),
                    Parts.Emission.Within(margin),
                    [.. Parts.Groups.Select(g => (g.Light, g.Rgb.Within(margin)))],
                    Parts.Uv.Within(margin),
                    Parts.Motion.Within(margin)
                ),
            Touched = FloatImage.Within(Touched, w, h, 1, margin),
            Held = Held.Within(margin),
            Mattes =
            [
                .. Mattes.Select(m =>
                    m with
                    {
                        Coverage = FloatImage.Within(m.Coverage, w, h, 1, margin),
                        Foreground = m.Foreground?.Within(margin),
                    }
                ),
            ],
            Rendered =
            [
                .. Rendered.Select(r => new RenderedLayer(
                    r.Rgba.Within(margin),
                    FloatImage.Within(r.Distance, w, h, 1, margin),
                    r.Id,
                    r.Shadow?.Within(margin),
                    r.Motion?.Within(margin)
                )
                {
                    Ids = r.Ids.ToDictionary(p => p.Key, p => FloatImage.Within(p.Value, w, h, 1, margin)),
                }),
            ],
            Background = Background?.Within(margin),
            Near = Near is null ? null : FloatImage.Within(Near, w, h, 1, margin),
            Distance = FloatImage.Within(Distance, w, h, 1, margin),
            Objects = Objects?.Within(w, h, margin),
            Materials = Materials?.Within(w, h, margin),
            Counts = Counts,
        };
    }
}

/// <summary>
/// The element's light apart, premultiplied RGB, not held out: their sum is Element. Groups are the lights' own parts (diffuse and
/// specular), by id. Uv is the nearest surface's texture place, Motion pixels from this frame to the next, both at the pixel's centre.
/// </summary>
public sealed record ElementParts(
    FloatImage Albedo,
    FloatImage Diffuse,
    FloatImage Specular,
    FloatImage Reflection,
    FloatImage Emission,
    IReadOnlyList<(string Light, FloatImage Rgb)> Groups,
    FloatImage Uv,
    FloatImage Motion
);

/// <summary>
/// Rays and seconds; and the noise that is left, estimated from two halves of the samples: root mean square over the pixels that an element
/// shadows, and over those that it covers.
/// </summary>
public readonly record struct RenderCounts(long Rays, double Seconds, double ShadowError = 0, double ElementError = 0);

/// <summary>
/// Camera samples a pixel, and for each of them rays to every sun and every sky, and mirror-like ones off elements; and how often the light
/// of a pixel is asked again, by as many samples, where an element comes between. Elements ask for light so many times as often as the set:
/// few pixels are theirs, and nothing hides their noise. Light may be smoothed after it was sampled.
/// </summary>
public sealed record RenderQuality(
    int CameraSamples,
    int SunRays,
    int SkyRays,
    int MirrorRays = 1,
    int ShadowRounds = 0,
    int ElementRays = 1,
    bool Smooth = false
)
{
    /// <summary>What follows a drag.</summary>
    public static readonly RenderQuality Draft = new(1, 1, 1, Smooth: true);

    /// <summary>What is looked at while one works.</summary>
    public static readonly RenderQuality Middle = new(4, 1, 1, 4, 0, 4, true);

    /// <summary>What is measured: as it was sampled.</summary>
    public static readonly RenderQuality Measured = Middle with { Smooth = false };

    /// <summary>What is handed over: as it was sampled.</summary>
    public static readonly RenderQuality Full = new(16, 1, 2, 8, 6, 8);
}

/// <summary>What else a frame is asked for, and how light goes about in it.</summary>
public sealed record RenderOptions
{
    public bool DataPasses { get; init; } = true;

    /// <summary>With the data passes: visibility and ao are measured in every pixel, not only where an element acts.</summary>
    public bool VisibilityEverywhere { get; init; } = true;

    /// <summary>The element's parts are kept apart.</summary>
    public bool Parts { get; init; }

    /// <summary>ID mattes are made.</summary>
    public bool Ids { get; init; }

    /// <summary>Elements throw light back onto the set, once.</summary>
    public bool Bounce { get; init; }

    /// <summary>Nothing but lights: no light from the place onto elements, none back.</summary>
    public bool DirectOnly { get; init; }
    public Shots.ContactLook? Contact { get; init; }
    public SetSurfaces? Surfaces { get; init; }
    public IReadOnlyList<HidingMatte> Mattes { get; init; } = [];

    /// <summary>Stands for the plate; null: the plate itself.</summary>
    public Background? Background { get; init; }
    public IReadOnlyList<RenderedLayer> Rendered { get; init; } = [];

    /// <summary>Where all is in the next frame; null: nothing moves.</summary>
    public NextFrame? Next { get; init; }
}

/// <summary>
/// The next frame's camera, elements in their order as they stand and are bent then, and by piece of the set what takes it there (null: it
/// stays).
/// </summary>
/// <param name="Back">It is the frame before, for want of a next one: all is taken to go on as it came.</param>
public sealed record NextFrame(
    Pose CameraToWorld,
    Pinhole Pinhole,
    IReadOnlyList<Contact.PlacedElement> Elements,
    IReadOnlyList<Similarity?>? Pieces,
    bool Back = false
);

/// <summary>
/// A picture rendered elsewhere on the frame's grid: RGBA premultiplied, and by pixel how far away it is along the ray (+∞: behind all).
/// </summary>
/// <param name="Shadow">The shadow that came with it, RGB, 1 = untouched; null: none did.</param>
/// <param name="Motion">
/// The motion that came with it, two values a pixel, pixels of the frame's grid to the next frame; null: none did.
/// </param>
public sealed record RenderedLayer(FloatImage Rgba, float[] Distance, string Id = "", FloatImage? Shadow = null, FloatImage? Motion = null)
{
    /// <summary>Coverage of the names that steps ask for in its own ID mattes, a value a pixel.</summary>
    public IReadOnlyDictionary<Shots.RenderedId, float[]> Ids { get; init; } = new Dictionary<Shots.RenderedId, float[]>();
}

/// <summary>Set, elements and camera as they stand at one moment.</summary>
public sealed record RenderMoment(SetPass Pass, IReadOnlyList<Contact.PlacedElement> Elements, Pose CameraToWorld);
