using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>
/// The steps that close a match, in the order that light, lens and film give them: what reaches the air (grade, levels), the air
/// (haze), the lens and the shutter (defocus, motion, edge width, vignette and lateral colour), the element's shadow on the plate, the
/// merge, what the lens makes of the whole picture (wrap, glow, flare, beam, ripple), the film (grain), and what is done to the finished picture.
/// </summary>
[JsonConverter(typeof(JsonStringEnumConverter<FinishKind>))]
public enum FinishKind
{
    Grade,
    Saturation,
    Levels,
    Haze,
    Defocus,
    Motion,
    EdgeWidth,
    Lens,
    Shadow,
    ShadowMerge,
    DrawnShadow,
    Wrap,
    Glow,
    Flare,
    Beam,
    Ripple,
    Grain,
    Whole,
    Reframe,
}
