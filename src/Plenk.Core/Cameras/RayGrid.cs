using System.Numerics;
using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>
/// A camera's rays on its distorted grid: the inverse lens is taken at the pixels' corners and bent straight between them
/// (the error inside a pixel is below 1e-4 px for any lens that is usable at all).
/// </summary>
public sealed class RayGrid : IViewRays
{
    private readonly Vector2[] _corner;
    private readonly int _stride;
    private readonly Pose _pose;

    /// <summary>Where its camera stands.</summary>
    public Pose Pose => _pose;
    private readonly Vector3 _right,
        _up,
        _back;

    public Pinhole Pinhole { get; }
    public int Width => Pinhole.Width;
    public int Height => Pinhole.Height;
    public Vector3 Origin { get; }

    public RayGrid(Pinhole pinhole, Pose cameraToWorld)
    {
        (Pinhole, _pose) = (pinhole, cameraToWorld);
        Origin = cameraToWorld.Position.ToSingle();
        Matrix3 r = cameraToWorld.Rotation;
        (_right, _up, _back) = (r.Column(0).ToSingle(), r.Column(1).ToSingle(), r.Column(2).ToSingle());
        _stride = pinhole.Width + 1;
        _corner = new Vector2[_stride * (pinhole.Height + 1)];
        Parallel.For(0, pinhole.Height + 1, Cores.All, y =>
        {
            for (int x = 0; x <= pinhole.Width; x++)
            {
                _corner[y * _stride + x] = pinhole.TryDirection(x, y, out Vec3 d)
                    ? new Vector2((float)d.X, (float)d.Y)
                    : new Vector2(float.NaN);
            }
        });
    }

    private RayGrid(RayGrid other, Pose cameraToWorld)
    {
        (Pinhole, _pose, _corner, _stride) = (other.Pinhole, cameraToWorld, other._corner, other._stride);
        Origin = cameraToWorld.Position.ToSingle();
        Matrix3 r = cameraToWorld.Rotation;
        (_right, _up, _back) = (r.Column(0).ToSingle(), r.Column(1).ToSingle(), r.Column(2).ToSingle());
    }

    /// <summary>The same camera from elsewhere.</summary>
    public RayGrid From(Pose cameraToWorld) => new(this, cameraToWorld);

    /// <summary>Unit world direction through a spot of a pixel, (0, 0) its top-left corner. False outside the lens.</summary>
    public bool TryDirection(int x, int y, Vector2 spot, out Vector3 direction)
    {
        int i = y * _stride + x;
        Vector2 top = _corner[i] + (_corner[i + 1] - _corner[i]) * spot.X;
        Vector2 bottom = _corner[i + _stride] + (_corner[i + _stride + 1] - _corner[i + _stride]) * spot.X;
        Vector2 d = top + (bottom - top) * spot.Y;
        if (float.IsNaN(d.X))
        {
            direction = default;
            return false;
        }
        direction = Vector3.Normalize(_right * d.X + _up * d.Y - _back);
        return true;
    }

    public float PixelAngle(int x, int y) => (float)(1 / Pinhole.Fx);

    /// <summary>The exact ray through a pixel position, for data passes and picking.</summary>
    public bool TryExactDirection(double px, double py, out Vector3 direction)
    {
        bool inside = Pinhole.TryDirection(px, py, out Vec3 d);
        direction = inside ? (_pose.Rotation * d).Normalized().ToSingle() : default;
        return inside;
    }

    /// <summary>Distance along the camera's axis of a world point.</summary>
    public float DepthOf(Vector3 world) => (float)-_pose.ToLocal(Vec3.From(world)).Z;
}
