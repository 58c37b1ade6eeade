using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>
/// An angle-true fisheye (equidistant projection, r = f θ; Kannala and Brandt 2006, equation 3) as a circle in a square picture: its rim
/// lies half of its angle off the axis, −z of its pose; outside it is nothing.
/// </summary>
/// <param name="width">Of the square, pixels.</param>
/// <param name="angleDegrees">From rim to rim, up to 360.</param>
public sealed class FisheyeRays(int width, double angleDegrees, Pose cameraToWorld) : IViewRays
{
    private readonly float _perHalf = (float)Rotations.Radians(angleDegrees / 2);

    public int Width => width;
    public int Height => width;
    public Vector3 Origin { get; } = cameraToWorld.Position.ToSingle();

    public bool TryDirection(int x, int y, Vector2 spot, out Vector3 direction)
    {
        float u = 2 * (x + spot.X) / width - 1,
            v = 1 - 2 * (y + spot.Y) / width,
            r = MathF.Sqrt(u * u + v * v),
            theta = r * _perHalf,
            s = r > 1e-6f ? ElementaryF.Sin(theta) / r : _perHalf;
        direction = default;
        if (r > 1)
        {
            return false;
        }
        direction = (cameraToWorld.Rotation * new Vec3(s * u, s * v, -ElementaryF.Cos(theta))).Normalized().ToSingle();
        return true;
    }

    public float PixelAngle(int x, int y) => 2 * _perHalf / width;
}
