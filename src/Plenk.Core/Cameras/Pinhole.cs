using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Cameras;

/// <summary>
/// A camera's inner geometry: image size in pixels, focal lengths and principal point in pixels, lens.
/// Looks along −Z with +X right and +Y up; pixel (0, 0) is the outer corner of the top-left pixel, y down.
/// </summary>
public sealed record Pinhole(int Width, int Height, double Fx, double Fy, double Cx, double Cy, Lens Lens)
{
    /// <summary>fx = focal × image width ÷ sensor width; fy = fx × pixel aspect. Hartley &amp; Zisserman 6.1.</summary>
    public static Pinhole FromFilm(int width, int height, double focalMm, double sensorWidthMm, Lens lens, double pixelAspect = 1)
    {
        double fx = focalMm * width / sensorWidthMm;
        return new(width, height, fx, fx * pixelAspect, width / 2.0, height / 2.0, lens);
    }

    public double HorizontalFovRadians => 2 * Elementary.Atan(Width / (2 * Fx));

    /// <summary>The same camera on an image of another size; the centre of the frame stays the centre.</summary>
    public Pinhole Resized(int width, int height)
    {
        double sx = (double)width / Width,
            sy = (double)height / Height;
        return new(width, height, Fx * sx, Fy * sy, Cx * sx, Cy * sy, Lens);
    }

    /// <summary>The same camera on an image that goes on by so many pixels on every side.</summary>
    public Pinhole Wider(int margin) =>
        margin == 0 ? this : new(Width + 2 * margin, Height + 2 * margin, Fx, Fy, Cx + margin, Cy + margin, Lens);

    /// <summary>The same camera with its focal length multiplied.</summary>
    public Pinhole Zoomed(double by) => by == 1 ? this : this with { Fx = Fx * by, Fy = Fy * by };

    /// <summary>Camera-space point to pixel. False behind the camera and outside the lens.</summary>
    public bool TryProject(Vec3 inCamera, out double px, out double py)
    {
        px = py = double.NaN;
        if (!(inCamera.Z < -1e-9))
        {
            return false;
        }
        if (!Lens.TryDistort(inCamera.X / -inCamera.Z, -inCamera.Y / -inCamera.Z, out double xd, out double yd))
        {
            return false;
        }
        px = Cx + Fx * xd;
        py = Cy + Fy * yd;
        return true;
    }

    /// <summary>World point to pixel through a placed camera.</summary>
    public bool TryProject(Pose cameraToWorld, Vec3 world, out double px, out double py) =>
        TryProject(cameraToWorld.ToLocal(world), out px, out py);

    /// <summary>Pixel to camera-space direction with z = −1 (not of unit length). False outside the lens.</summary>
    public bool TryDirection(double px, double py, out Vec3 direction)
    {
        bool inside = Lens.TryUndistort((px - Cx) / Fx, (py - Cy) / Fy, out double x, out double y);
        direction = new Vec3(x, -y, -1);
        return inside;
    }

    /// <summary>
    /// Where the ray of a pixel meets y = 0, and how far away along the camera's axis that is. False above the horizon and outside the
    /// lens.
    /// </summary>
    public bool TryFloor(Pose cameraToWorld, double px, double py, out Vec3 place, out double depth)
    {
        (place, depth) = (default, double.NaN);
        if (!TryDirection(px, py, out Vec3 d))
        {
            return false;
        }
        Vec3 ray = cameraToWorld.Rotation * d;
        double t = -cameraToWorld.Position.Y / ray.Y;
        if (!(t > 0) || !double.IsFinite(t))
        {
            return false;
        }
        (place, depth) = (cameraToWorld.Position + t * ray, t * -d.Z);
        return true;
    }

    public bool Contains(double px, double py) => px >= 0 && py >= 0 && px < Width && py < Height;
}
