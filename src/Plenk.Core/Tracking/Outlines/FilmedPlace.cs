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

    /// <summary>Frames of which distances are kept.</summary>
    private const int MostKept = 32;

    /// <summary>Beyond any picture.</summary>
    private const double Nowhere = -1e6;

    /// <summary>From a frame to another, in pictures of a size; null: one of them has no camera.</summary>
    internal IPictureMotion? Between(int from, int to, int width, int height) =>
        View(from, width, height) is { } a && View(to, width, height) is { } b ? new Motion(a, b) : null;

    private SeenFrom? View(int frame, int width, int height) =>
        camera(frame) is var (pose, pinhole) ? new(scene, pose, pinhole.Resized(width, height)) : null;

    private readonly Dictionary<(int Frame, int Width), float[]> _far = [];

    /// <summary>How far what a frame's pixels show is from its camera, metres; NaN where that was not asked yet.</summary>
    private float[] Distances(int frame, int width, int height)
    {
        lock (_far)
        {
            if (!_far.TryGetValue((frame, width), out float[]? far))
            {
                if (_far.Count >= MostKept)
                {
                    _far.Clear();
                }
                _far[(frame, width)] = far = new float[width * height];
                Array.Fill(far, float.NaN);
            }
            return far;
        }
    }

    /// <summary>Where the whole pixels of a frame lie in another; beyond the picture where something stands before them there.</summary>
    /// <returns>Null: one of them has no camera.</returns>
    internal Func<int, int, (double X, double Y)>? Whole(int from, int to, int width, int height)
    {
        if (View(from, width, height) is not { } a || View(to, width, height) is not { } b)
        {
            return null;
        }
        float[] near = Distances(from, width, height),
            there = Distances(to, width, height);
        // Two that ask at once find the same.
        static float At(float[] far, SeenFrom view, int x, int y, int width)
        {
            ref float own = ref far[y * width + x];
            return float.IsNaN(own) ? own = (float)view.Distance(x, y) : own;
        }
        return (x, y) =>
        {
            var (px, py, far) = a.At(b, x, y, At(near, a, x, y, width));
            if (px < 0 || py < 0 || px > width - 1 || py > height - 1)
            {
                return (Nowhere, Nowhere);
            }
            int px0 = Math.Min((int)px, width - 2),
                py0 = Math.Min((int)py, height - 2);
            float most = Math.Max(
                Math.Max(At(there, b, px0, py0, width), At(there, b, px0 + 1, py0, width)),
                Math.Max(At(there, b, px0, py0 + 1, width), At(there, b, px0 + 1, py0 + 1, width))
            );
            return far > 1.01 * most + 0.02 ? (Nowhere, Nowhere) : (px, py);
        };
    }

    /// <summary>The place as a frame's camera sees it.</summary>
    private sealed record SeenFrom(TraceScene Scene, Pose Pose, Pinhole Pinhole)
    {
        /// <summary>How far what a pixel shows is, metres.</summary>
        public double Distance(double x, double y)
        {
            if (!Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
            {
                return Far;
            }
            Hit hit = Scene.Intersect(new Ray(Pose.Position.ToSingle(), (Pose.Rotation * way).Normalized().ToSingle()), RayKinds.CameraSet);
            return hit.IsHit ? hit.T : Far;
        }

        /// <summary>Where another sees what lies so far off in a pixel of this one, and how far from itself.</summary>
        public (double X, double Y, double Far) At(SeenFrom other, double x, double y, double distance)
        {
            if (!Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 way))
            {
                return (Nowhere, Nowhere, 0);
            }
            Vec3 at = Pose.Position + distance * (Pose.Rotation * way).Normalized();
            return other.Pinhole.TryProject(other.Pose, at, out double px, out double py)
                ? (px - 0.5, py - 0.5, (at - other.Pose.Position).Length)
                : (Nowhere, Nowhere, 0);
        }

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
