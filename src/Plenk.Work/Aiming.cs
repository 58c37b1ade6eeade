using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Work;

/// <summary>Where things are aimed by a click.</summary>
public static class Aiming
{
    /// <summary>
    /// What is seen at a pixel of the plate, to be aimed at: a spot of an element or of a piece that moves goes along with it, any other is
    /// a place of the world.
    /// </summary>
    /// <exception cref="ShotFault">Nothing is there.</exception>
    public static Aim At(ShotEngine engine, ShotDocument shot, string what, int frame, double x, double y)
    {
        PickResult hit = engine.Pick(shot, frame, x, y);
        bool self = hit.ElementId is { } own && ShotCurves.PlaceOf("elements", own) == what;
        if ((self ? hit.OnSet : hit.Point) is not { } p)
        {
            throw new ShotFault("Nothing of set or elements is there. Click on a piece or a thing.");
        }
        var place = new Vec3(p[0], p[1], p[2]);
        string? on =
            self ? null
            : hit.ElementId is { } element ? ShotCurves.PlaceOf("elements", element)
            : hit.PieceId is { } id && shot.Pieces.FirstOrDefault(q => q.Id == id) is { } piece && Hanging.Moves(shot, piece)
                ? ShotCurves.PlaceOf("pieces", id)
            : null;
        return on is not null && new Carriers(shot).Of(on, frame) is { } there
            ? new() { On = on, Place = there.Inverse().Apply(place) }
            : new() { Place = place };
    }
}
