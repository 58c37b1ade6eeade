using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>Rays of a picture that is looked at: a camera's, or a full sphere's.</summary>
public interface IViewRays
{
    int Width { get; }
    int Height { get; }
    Vector3 Origin { get; }

    /// <summary>Unit world direction through a spot of a pixel, (0, 0) its top-left corner. False where there is none.</summary>
    bool TryDirection(int x, int y, Vector2 spot, out Vector3 direction);

    /// <summary>The angle a pixel is wide, radians.</summary>
    float PixelAngle(int x, int y);
}

/// <summary>A sphere around a spot as a lat-long picture: +Y at the top row, the middle looks along −Z, +X to its right.</summary>
public sealed class LatLongRays(int width, int height, Vec3 origin) : IViewRays
{
    public int Width => width;
    public int Height => height;
    public Vector3 Origin { get; } = origin.ToSingle();

    public bool TryDirection(int x, int y, Vector2 spot, out Vector3 direction)
    {
        direction = Direction((x + spot.X) / width, (y + spot.Y) / height);
        return true;
    }

    public float PixelAngle(int x, int y) => MathF.PI / height;

    /// <summary>The direction at u from the left and v from the top, 0..1.</summary>
    public static Vector3 Direction(float u, float v)
    {
        float azimuth = 2 * MathF.PI * (u - 0.5f),
            polar = MathF.PI * v,
            s = ElementaryF.Sin(polar);
        return new(s * ElementaryF.Sin(azimuth), ElementaryF.Cos(polar), -s * ElementaryF.Cos(azimuth));
    }
}
