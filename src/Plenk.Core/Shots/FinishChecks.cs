using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>What a step of the finish must be set to, in the artist's terms.</summary>
public static class FinishChecks
{
    public static string NameOf(FinishKind kind) => kind switch
    {
        FinishKind.Levels => "black and white level",
        FinishKind.Motion => "motion blur by vectors",
        FinishKind.EdgeWidth => "edge width",
        FinishKind.Lens => "vignette and lateral colour",
        FinishKind.ShadowMerge => "shadows joined",
        FinishKind.Wrap => "light wrap",
        FinishKind.Ripple => "heat ripple",
        FinishKind.Reframe => "shake and framing",
        _ => kind.ToString().ToLowerInvariant(),
    };

    /// <summary>Null: it can be done.</summary>
    public static string? Fault(ShotDocument d, FinishStep s)
    {
        bool Positive(Vec3 v) => v is { IsFinite: true, X: > 0, Y: > 0, Z: > 0 };
        bool NotNegative(Vec3 v) => v is { IsFinite: true, X: >= 0, Y: >= 0, Z: >= 0 };
        if (s.Strength is not (>= 0 and <= 1)) { return "its strength lies between 0 and 1."; }
        if (s.Matte is { } matte && d.Mattes.All(m => m.Id != matte)) { return "its matte is no longer in the shot. Take the matte off the step."; }
        if (s.Objects.Count + s.Materials.Count + s.RenderedIds.Count + s.Except.Count > 0 && s.Kind is not (FinishKind.Grade or FinishKind.Levels or FinishKind.Haze or FinishKind.Defocus)) { return "it cannot be kept to single objects; use a matte."; }
        if (s.RenderedIds.FirstOrDefault(r => d.Elements.All(e => e.Id != r.Element || e.Kind != ElementKind.Rendered)) is { } strange) { return $"it is kept to “{strange.Name}” of {strange.Element}, which is no rendered element of the shot. Take it off the step."; }
        if (s.Pixels is not (>= 0 and <= 1000)) { return "its size lies between 0 and 1,000 px."; }
        return s.Kind switch
        {
            FinishKind.Grade when s.Grade is null => "it has no values.",
            FinishKind.Grade when !Positive(s.Grade.Gamma) => "gamma is greater than 0.",
            FinishKind.Grade when !(NotNegative(s.Grade.White) && NotNegative(s.Grade.Gain) && s.Grade.Lift.IsFinite && double.IsFinite(s.Grade.Stops) && Math.Abs(s.Grade.Stops) <= 20 && s.Grade.Saturation is >= 0 and <= 10) => "gains and saturation are not negative, and exposure changes by up to 20 stops.",
            FinishKind.Grade when s.Grade.Curve is { } curve && (curve.Count < 2 || curve.Select(p => p.In).Distinct().Count() < curve.Count) => "a curve needs two points and more, no two over the same value.",
            FinishKind.Levels when s.Levels is null || !NotNegative(s.Levels.Gain) || !s.Levels.Lift.IsFinite => "black and white are given as a lift and a gain that is not negative.",
            FinishKind.Haze when s.Haze is null || !NotNegative(s.Haze.Airlight) || !NotNegative(s.Haze.PerMetre) => "airlight and extinction are not negative.",
            FinishKind.Haze when s.Haze.ThinsOverMetres is not (null or (> 0 and < 1e9)) => "haze thins over more than 0 m of height; leave it empty where it is as thick everywhere.",
            FinishKind.Defocus when s.Defocus is null || !(s.Defocus.FNumber > 0) => "an f-number is greater than 0: the opening is the focal length divided by it.",
            FinishKind.Defocus when !(s.Defocus.FocusMetres > 0) => $"the lens cannot be focused at {s.Defocus.FocusMetres:0.###} m: that is behind it.",
            FinishKind.Defocus when s.Defocus.Blades is not (0 or (>= 3 and <= 20)) => "an opening is a disc (0) or has 3 to 20 blades.",
            FinishKind.Motion when s.Degrees is not (>= 0 and <= 360) => "a shutter is open between 0° and 360°.",
            FinishKind.Lens when s.Lens is null || !(Math.Abs(s.Lens.RedPermille) < 50 && Math.Abs(s.Lens.BluePermille) < 50) => "red and blue are enlarged by less than 50 in a thousand.",
            FinishKind.Shadow when s.Shadow is null || !NotNegative(s.Shadow.Density) || !(s.Shadow.Contact >= 0) => "density is not negative.",
            FinishKind.ShadowMerge when s.ShadowJoin?.Matte is { } lies && d.Mattes.All(m => m.Id != lies) => "the matte of the plate's own shadow is no longer in the shot.",
            FinishKind.ShadowMerge when s.ShadowJoin?.Level is { } level && !(Positive(level) && level is { X: <= 1, Y: <= 1, Z: <= 1 }) => "a shadow leaves a share between 0 and 1 of the light.",
            FinishKind.Flare when s.Flare is null || d.Lights.All(l => l.Id != s.Flare.Light) => "its lamp is no longer in the shot.",
            FinishKind.Flare when s.Flare.Streaks is not (>= 0 and <= 64) => "a lamp has up to 64 streaks.",
            FinishKind.Ripple when s.Ripple is null || !(s.Ripple.SizePixels > 0) => "its pattern has a size.",
            FinishKind.Reframe when s.Reframe is null || s.Reframe.Keys.Any(k => k.Scale is <= 0) || !(s.Reframe.ShakePixels >= 0) => "a picture is enlarged by more than 0, and shaken by no less than 0 px.",
            _ => null,
        };
    }
}
