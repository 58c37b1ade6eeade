using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

/// <summary>All kinds of lights, in the order in which they are offered.</summary>
public static class LightForms
{
    public static IReadOnlyList<LightForm> All { get; } =
    [new SunForm(), new SkyForm(), new FillForm(), new PointForm(), new SpotForm(), new RectangleForm(), new PanoramaForm()];

    private static readonly Dictionary<LightKind, LightForm> ByKind = All.ToDictionary(f => f.Kind);

    public static LightForm Of(Light light) => ByKind[light.Kind];
}
