using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>Which readings say something of a shot.</summary>
public static class ReadingsShown
{
    /// <summary>Of what the shot does not have, like a solve where the camera came in from elsewhere.</summary>
    public static bool IsIdle(string id, ShotDocument shot) =>
        id switch
        {
            "contact.level" or "contact.softness" => shot.RealShadow is null,
            "set.cloud" => shot.Clouds.Count == 0,
            "projection.stitch" => shot.OtherCameras.Count == 0,
            "projection.parallax" => !shot.Pieces.Any(p => p is { IsSeen: true, Duties.New: true }),
            "projection.colour" => !shot.Projections.Any(p => p.OwnColour),
            "light.sun" => shot.Sun is { FromShadow: null, FromDate: null, FromFit: null },
            "camera.live" => shot.Tracks is null,
            "camera.solve" or "camera.heldout" or "camera.slide" => shot.Solve is null,
            _ => false,
        };
}
