using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;

namespace Plenk.Core.Projection;

/// <summary>
/// How far a piece that was not filmed parts from what was, while the camera moves: from each near track's first place the piece is followed
/// to the track's last frame by the camera, and held against where the track went.
/// </summary>
/// <param name="Pixels">Of the plate; the middle of the tracks.</param>
/// <param name="Metres">How far the piece is, in the tracks' first frames.</param>
/// <param name="TrackMetres">How far they are; both in the middle.</param>
/// <param name="Worst">The track that parts most, at its last frame.</param>
public sealed record PaintedParallax(double Pixels, double Metres, double TrackMetres, int Tracks, TrackPoint Worst)
{
    /// <summary>So many tracks, those that are nearest to the piece in depth.</summary>
    private const int Nearest = 12;

    /// <summary>One that is hardly seen by a moving camera says nothing.</summary>
    private const int LeastFrames = 5;

    /// <summary>Null: no track that could be located lies on the piece, in the picture.</summary>
    /// <param name="camera">Null: a frame has none.</param>
    /// <param name="piece">The piece alone, in the world.</param>
    public static PaintedParallax? Of(IEnumerable<Track> tracks, Func<int, (Pose Pose, Pinhole Pinhole)?> camera, TraceScene piece)
    {
        var near = new List<(double Apart, double Metres, double TrackMetres, TrackPoint At)>();
        foreach (Track track in tracks.Where(t => t.Points.Count >= LeastFrames))
        {
            TrackPoint first = track.Points[0],
                last = track.Points[^1];
            if (
                camera(first.Frame) is not var (pose, pinhole)
                || camera(last.Frame) is not var (then, thenPinhole)
                || !pinhole.TryDirection(first.X, first.Y, out Vec3 d)
            )
            {
                continue;
            }
            var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
            Hit hit = piece.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit || !thenPinhole.TryProject(then, Vec3.From(ray.At(hit.T)), out double x, out double y))
            {
                continue;
            }
            Sight[] sights =
            [
                .. track
                    .Points.Select(p => (P: p, Camera: camera(p.Frame)))
                    .Where(p => p.Camera is not null)
                    .Select(p => new Sight(p.Camera!.Value.Pose, p.Camera.Value.Pinhole, p.P.X, p.P.Y)),
            ];
            // What is too far to be located is as far as can be.
            double away = Triangulation.Locate(sights, out _) is { ParallaxDegrees: >= Triangulation.LeastParallaxDegrees } found
                ? (found.Point - pose.Position).Length
                : double.PositiveInfinity;
            near.Add((Math.Sqrt((x - last.X) * (x - last.X) + (y - last.Y) * (y - last.Y)), hit.T, away, last));
        }
        if (near.Count == 0)
        {
            return null;
        }
        // By inverse distance, which is what parallax goes by.
        var chosen = near.OrderBy(n => Math.Abs(1 / n.TrackMetres - 1 / n.Metres)).Take(Nearest).ToArray();
        return new(
            Middle(chosen.Select(c => c.Apart)),
            Middle(chosen.Select(c => c.Metres)),
            Middle(chosen.Select(c => c.TrackMetres)),
            chosen.Length,
            chosen.MaxBy(c => c.Apart).At
        );
    }

    private static double Middle(IEnumerable<double> values) => values.Order().ToArray() is var v ? v[v.Length / 2] : double.NaN;
}
