using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>Where places of a picture go in another, and where they come from; array coordinates, pixel centres at whole numbers.</summary>
internal interface IPictureMotion
{
    /// <summary>How far a place of the first picture goes, pixels.</summary>
    (double U, double V) At(double x, double y);

    /// <summary>The place of the first picture that has gone to this one of the second.</summary>
    (double X, double Y) From(double x, double y);
}

/// <summary>The rebuilt place and the camera that filmed it: what stands still goes where these two say.</summary>
/// <param name="scene">Metres, the camera's world.</param>
/// <param name="camera">By frame; null: it has none there.</param>
public sealed class FilmedPlace(TraceScene scene, Func<int, (Pose Pose, Pinhole Pinhole)?> camera)
{
    /// <summary>What no piece stands before lies as far as that, metres.</summary>
    private const double Far = 1e5;

    /// <summary>Beyond any picture.</summary>
    private const double Nowhere = -1e6;

    /// <summary>From a frame to another, in pictures of a size; null: one of them has no camera.</summary>
    internal IPictureMotion? Between(int from, int to, int width, int height) =>
        View(from, width, height) is { } a && View(to, width, height) is { } b ? new Motion(a, b) : null;

    private SeenFrom? View(int frame, int width, int height) =>
        camera(frame) is var (pose, pinhole) ? new(scene, pose, pinhole.Resized(width, height)) : null;

    /// <summary>The place as a frame's camera sees it.</summary>
    private sealed record SeenFrom(TraceScene Scene, Pose Pose, Pinhole Pinhole)
    {
        public (double X, double Y) In(SeenFrom other, double x, double y)
        {
            if (!Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
            {
                return (Nowhere, Nowhere);
            }
            Vec3 d = (Pose.Rotation * way).Normalized();
            Hit hit = Scene.Intersect(new Ray(Pose.Position.ToSingle(), d.ToSingle()), RayKinds.CameraSet);
            return other.Pinhole.TryProject(other.Pose, Pose.Position + (hit.IsHit ? hit.T : Far) * d, out double px, out double py)
                ? (px - 0.5, py - 0.5)
                : (Nowhere, Nowhere);
        }
    }

    private sealed class Motion(SeenFrom from, SeenFrom to) : IPictureMotion
    {
        public (double U, double V) At(double x, double y) => from.In(to, x, y) is var (px, py) ? (px - x, py - y) : default;

        public (double X, double Y) From(double x, double y) => to.In(from, x, y);
    }
}
