using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>A place that was filmed while something passed before it, wherever its frames come from.</summary>
/// <param name="Codes">A frame's own code values.</param>
/// <param name="Camera">Null: a frame has none, and gives nothing.</param>
/// <param name="Knows">Whether it is known what is taken out of a frame; one where it is not gives nothing.</param>
/// <param name="Gone">By pixel of the plate, what is taken out of a frame.</param>
/// <param name="Set">Empty: the place is told by marks that are followed.</param>
public sealed record PlaceFilmed(
    int First,
    int Last,
    int Width,
    int Height,
    ColorSpace Space,
    Func<int, CodeImage> Codes,
    Func<int, (Pose Pose, Pinhole Pinhole)?> Camera,
    Func<int, bool> Knows,
    Func<int, bool[]> Gone,
    SetScene Set
)
{
    /// <summary>Linear light of a frame.</summary>
    public Func<int, FloatImage> Linear { get; init; } = f => Codes(f).ToLinear(Space);

    private const int LeastPoints = 60;

    /// <summary>Where the place is behind what passes.</summary>
    /// <param name="told">What is odd, in the artist's terms.</param>
    public IPlaceBehind Behind(List<string> told, CancellationToken stop = default, Action<string, double>? progress = null) =>
        Set.Pieces.Count > 0 ? new SetBehind(Set) : Followed(told, stop, progress);

    /// <summary>Without a set: points of the place, followed outside what is taken out and located by the cameras.</summary>
    private PointsBehind Followed(List<string> told, CancellationToken stop, Action<string, double>? progress)
    {
        IReadOnlyList<Track> tracks = SolveWork
            .Follow(
                First,
                Last,
                f =>
                {
                    CodeImage p = Codes(f);
                    return GrayPyramid.Of(p.Width, p.Height, p.Channels, p.Bits, p.Codes);
                },
                f =>
                {
                    if (!Knows(f))
                    {
                        return null;
                    }
                    bool[] gone = Morphology.Dilated(Gone(f), Width, Height, 3);
                    return (x, y) => x >= 0 && y >= 0 && x < Width && y < Height && !gone[y * Width + x];
                },
                new TrackerSettings { Count = 2500, Distance = Math.Max(4, Width / 160.0) },
                stop,
                (what, part) => progress?.Invoke(what, part)
            )
            .Tracks;
        var points = new List<Vec3>();
        foreach (Track t in tracks.Where(t => t.Points.Count >= 4))
        {
            Sight[] sights =
            [
                .. t
                    .Points.Select(p => (P: p, Camera: Camera(p.Frame)))
                    .Where(p => p.Camera is not null)
                    .Select(p => new Sight(p.Camera!.Value.Pose, p.Camera.Value.Pinhole, p.P.X, p.P.Y)),
            ];
            if (sights.Length >= 4 && Triangulation.Locate(sights, out _) is { RmsPixels: < 1 } found)
            {
                points.Add(found.Point);
            }
        }
        if (points.Count < LeastPoints)
        {
            throw new ShotFault(
                $"Only {points.Count} marks of the place can be followed and located, and {LeastPoints} are wanted: "
                    + $"the camera hardly moves to the side, or little of the place is textured. Rebuild the place first, and clean through that set."
            );
        }
        told.Add($"Without a set the place is told by {points.Count} marks that were followed; edges of things between them are soft.");
        return new(points);
    }
}
