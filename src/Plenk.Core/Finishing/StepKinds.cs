using Plenk.Core.Finishing.Steps;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>All kinds of steps, in the order in which they are laid on.</summary>
public static class StepKinds
{
    public static IReadOnlyList<StepKind> All { get; } =
    [
        new GradeKind(),
        new SaturationKind(),
        new LevelsKind(),
        new HazeKind(),
        new DefocusKind(),
        new MotionKind(),
        new EdgeWidthKind(),
        new LensKind(),
        new ShadowKind(),
        new ShadowMergeKind(),
        new DrawnShadowKind(),
        new WrapKind(),
        new GlowKind(),
        new FlareKind(),
        new BeamKind(),
        new RippleKind(),
        new GrainKind(),
        new WholeKind(),
        new ReframeKind(),
    ];

    private static readonly Dictionary<FinishKind, StepKind> ByKind = All.ToDictionary(k => k.Kind);

    public static StepKind Of(FinishKind kind) => ByKind[kind];

    public static StepKind Of(FinishStep step) => ByKind[step.Kind];

    public static StepNeeds Needs(IEnumerable<FinishStep> steps) =>
        steps.Aggregate(StepNeeds.None, (needs, s) =>
            needs | Of(s).Needs(s) | (s.Sphere is null && s.Band is null ? StepNeeds.None : StepNeeds.Depth)
        );

    /// <summary>What a step is wrongly set to, in the artist's terms; null: it can be done.</summary>
    public static string? Fault(ShotDocument d, FinishStep s)
    {
        StepKind kind = Of(s);
        if (s.Strength is not (>= 0 and <= 1))
        {
            return "its strength lies between 0 and 1.";
        }
        if (s.Matte is { } matte && d.Mattes.All(m => m.Id != matte))
        {
            return "its matte is no longer in the shot. Take the matte off the step.";
        }
        if (s.Objects.Count + s.Materials.Count + s.RenderedIds.Count + s.Except.Count + (s.Named?.Length ?? 0) > 0 && !kind.ByObjects)
        {
            return "it cannot be kept to single objects; use a matte.";
        }
        if (SphereFault(d, s) is { } sphere)
        {
            return sphere;
        }
        if (BandFault(s.Band) is { } band)
        {
            return band;
        }
        if (s.RenderedIds.FirstOrDefault(r => d.Elements.All(e => e.Id != r.Element || e.Kind != ElementKind.Rendered)) is { } strange)
        {
            return $"it is kept to “{strange.Name}” of {strange.Element}, which is no rendered element of the shot. Take it off the step.";
        }
        return s.Pixels is not (>= 0 and <= 1000) ? "its size lies between 0 and 1,000 px." : kind.Fault(d, s);
    }

    private static string? BandFault(FinishBand? band) =>
        band switch
        {
            null => null,
            { SoftMetres: not (>= 0 and <= 1e5) } => "the edges of its distances and heights are 0 to 100,000 m wide.",
            { FromMetres: not (null or (>= 0 and <= 1e6)) } or { ToMetres: not (null or (>= 0 and <= 1e6)) } =>
                "its distances lie between 0 and 1,000,000 m.",
            { FromHeight: not (null or (>= -1e6 and <= 1e6)) } or { ToHeight: not (null or (>= -1e6 and <= 1e6)) } =>
                "its heights lie within 1,000,000 m of the floor.",
            { FromMetres: { } a, ToMetres: { } b } when a >= b =>
                $"the first of its distances, {a} m, is the nearer one; the other is {b} m.",
            { FromHeight: { } a, ToHeight: { } b } when a >= b => $"the first of its heights, {a} m, is the lower one; the other is {b} m.",
            _ => null,
        };

    private static string? SphereFault(ShotDocument d, FinishStep s) =>
        s.Sphere switch
        {
            null => null,
            { On: { } on } when d.Lights.All(l => l.Id != on) && d.Elements.All(e => e.Id != on) =>
                "what its sphere hangs on is no longer in the shot. Hang it on something else, or take the sphere off.",
            { RadiusMetres: not (>= 0 and <= 1e5) }
            or { MetresPerSecond: not (>= -1e5 and <= 1e5) }
            or { FadesOverSeconds: not (>= 0 and <= 1e5) } => "its sphere is 0 to 100,000 m large, and grows and fades within that.",
            { SoftMetres: not (>= 0 and <= 1e5) } => "the edge of its sphere is 0 to 100,000 m wide.",
            { Place.IsFinite: false } => "the place of its sphere is not a number.",
            _ => null,
        };
}
