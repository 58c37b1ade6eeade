using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>The world of a shot laid anew while things stood in it.</summary>
public static class WorldMoved
{
    /// <summary>So far back it is looked for how the world lay when what is built was last changed.</summary>
    private const int MostRevisions = 60;

    /// <summary>
    /// The revision that tells how the world lay when what is built was last changed, and what takes that world to the one now; null: they
    /// are one.
    /// </summary>
    public static async Task<(int Since, ShotDocument Then, Similarity Map)?> Since(
        ShotStore shots,
        long shot,
        ShotDocument now,
        int revision
    )
    {
        if (!IsBuilt(now))
        {
            return null;
        }
        string built = Built(now),
            camera = Camera(now);
        (int, ShotDocument)? first = null;
        for (int n = revision; n > Math.Max(0, revision - MostRevisions); n--)
        {
            if (await shots.Read(shot, n) is not { } read || Built(read.Document) != built || Camera(read.Document) != camera)
            {
                break;
            }
            first = (n, read.Document);
        }
        if (first is not var (since, then) || since == revision)
        {
            return null;
        }
        Similarity map = Orienting.Of(now).SourceToWorld.After(Orienting.Of(then).SourceToWorld.Inverse());
        return IsStill(map) ? null : (since, then, map);
    }

    private static bool IsBuilt(ShotDocument shot) =>
        shot.Pieces.Count
            + shot.Elements.Count
            + shot.Lights.Count
            + shot.MovingObjects.Count
            + shot.StandIns.Count
            + shot.OtherCameras.Count
        > 0;

    private static string Camera(ShotDocument shot) => ResultKey.Of("camera", 1, [shot.Camera]);

    private static string Built(ShotDocument shot) =>
        ResultKey.Of("built", 1, shot.Pieces, shot.Elements, shot.Lights, shot.MovingObjects, shot.StandIns, shot.OtherCameras);

    private static bool IsStill(Similarity map) =>
        Math.Abs(map.Scale - 1) < 1e-9 && map.Translation.Length < 1e-9 && Rotations.DegreesBetween(map.Rotation, Matrix3.Identity) < 1e-7;
}
