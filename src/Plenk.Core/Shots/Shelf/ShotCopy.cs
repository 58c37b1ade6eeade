namespace Plenk.Core.Shots;

/// <summary>A shot made of another.</summary>
public static class ShotCopy
{
    /// <summary>
    /// All of it under another code; or, without the plate, what stands in the place, its light and its finish: what was told by the old
    /// picture (camera, tracks, mattes, footage on the set, clean plate) is left, and told.
    /// </summary>
    public static ShotDocument Of(ShotDocument shot, string code, bool withPlate, List<string> told)
    {
        if (withPlate)
        {
            return shot with { Code = code, SharesPlace = null, Notes = [] };
        }
        string[] places =
        [
            .. shot.Pieces.Where(p => p.Kind != PieceKind.Figure).Select(p => ShotCurves.PlaceOf("pieces", p.Id)),
            .. shot
                .Elements.Where(e => e is { Broke: null, DustOf: null } && e.Kind != ElementKind.Rendered)
                .Select(e => ShotCurves.PlaceOf("elements", e.Id)),
            .. shot.Lights.Select(l => ShotCurves.PlaceOf("lights", l.Id)),
            .. shot.Finish.Steps.Select(s => ShotCurves.PlaceOf("finish/steps", s.Id)),
            "look",
        ];
        int left = shot.Pieces.Count + shot.Elements.Count + shot.Lights.Count + shot.Finish.Steps.Count + 1 - places.Length;
        if (left > 0)
        {
            told.Add(
                $"{left} {(left == 1 ? "thing that was" : "things that were")} filmed, rendered or broken with the old plate stay behind."
            );
        }
        var blank = new ShotDocument
        {
            Production = shot.Production,
            Sequence = shot.Sequence,
            Code = code,
            Title = shot.Title,
            Range = shot.Range,
            Rate = shot.Rate,
            Contact = shot.Contact,
            Bounces = shot.Bounces,
            ShutterDegrees = shot.ShutterDegrees,
            Tolerances = shot.Tolerances,
            Seed = shot.Seed,
        };
        return ShotPart.Of(shot, places, shot.Range.First, told).In(blank, null, told).Shot;
    }
}
