using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;

namespace Plenk.Work;

/// <summary>
/// A camera that is not the shot's: the shot camera steadied over some frames, moved and turned in its own frame, with another focal
/// length and more around the picture, or through an angle-true fisheye; or, with a spot, a full sphere around it.
/// </summary>
public sealed record OtherView
{
    /// <summary>Metres: to the right, up, back.</summary>
    public Vec3 Moved { get; init; }

    /// <summary>Degrees: raised, turned to the left, rolled.</summary>
    public Vec3 Turned { get; init; }

    /// <summary>Frames to either side that the camera's way is evened out over (standard deviation of a Gaussian); 0: as it is.</summary>
    public double SteadyFrames { get; init; }
    public double? FocalMm { get; init; }
    public double Overscan { get; init; } = 1;

    /// <summary>The middle of a sphere; null: it is a camera.</summary>
    public Vec3? Spot { get; init; }
    public int SphereWidth { get; init; } = 2048;

    /// <summary>From rim to rim of an angle-true fisheye's circle, degrees; null: it is a camera like the shot's.</summary>
    public double? FisheyeDegrees { get; init; }
    public int FisheyeWidth { get; init; } = 2048;

    /// <summary>Colours are carried on over what nothing covers; alpha still says where that was.</summary>
    public bool Filled { get; init; } = true;
}

/// <summary>The projected set from elsewhere, frame by frame.</summary>
public static class ElsewhereWork
{
    public static IViewRays Rays(ShotEngine engine, ShotDocument shot, OtherView view, int frame)
    {
        if (view.Spot is { } spot)
        {
            return new LatLongRays(view.SphereWidth, view.SphereWidth / 2, spot);
        }
        if (view.FisheyeDegrees is { } degrees)
        {
            return new FisheyeRays(view.FisheyeWidth, degrees, PoseOf(engine, shot, view, frame));
        }
        Pinhole pinhole = engine.Camera(shot, frame).Pinhole;
        if (view.FocalMm is { } mm && shot.Plate is { } plate)
        {
            pinhole = pinhole.Zoomed(mm * plate.Width / plate.SensorWidthMm / pinhole.Fx);
        }
        int width = (int)Math.Round(pinhole.Width * view.Overscan),
            height = (int)Math.Round(pinhole.Height * view.Overscan);
        return new RayGrid(
            pinhole with
            {
                Width = width,
                Height = height,
                Cx = pinhole.Cx + (width - pinhole.Width) / 2.0,
                Cy = pinhole.Cy + (height - pinhole.Height) / 2.0,
            },
            PoseOf(engine, shot, view, frame)
        );
    }

    /// <summary>Where the view's camera stands at a frame.</summary>
    public static Pose PoseOf(ShotEngine engine, ShotDocument shot, OtherView view, int frame)
    {
        Pose pose = view.SteadyFrames > 0 ? Steadied(engine, shot, frame, view.SteadyFrames) : engine.Camera(shot, frame).Pose;
        return new(pose.Rotation * Rotations.FromEulerYxzDegrees(view.Turned.X, view.Turned.Y, view.Turned.Z), pose.ToWorld(view.Moved));
    }

    /// <summary>
    /// The camera's way evened out: places by Gaussian weights, directions by the same as a mean rotation (quaternions summed, Markley et
    /// al. 2007 for near ones).
    /// </summary>
    private static Pose Steadied(ShotEngine engine, ShotDocument shot, int frame, double spread)
    {
        int reach = (int)Math.Ceiling(3 * spread);
        Vec3 place = default;
        var turn = new System.Numerics.Quaternion(0, 0, 0, 0);
        double weights = 0;
        Pose own = engine.Camera(shot, frame).Pose;
        var first = Rotations.ToQuaternion(own.Rotation);
        ShotCamera camera = ShotCamera.Of(shot)!;
        for (int f = frame - reach; f <= frame + reach; f++)
        {
            int end = Math.Clamp(f, shot.Range.First, shot.Range.Last),
                mirrored = Math.Clamp(2 * end - f, shot.Range.First, shot.Range.Last);
            if (!camera.TryAt(mirrored, out Pose p, out _))
            {
                continue;
            }
            // Beyond its ends the way goes on as it came, turned about the end, so that it is not drawn inwards there.
            if (end != f)
            {
                if (!camera.TryAt(end, out Pose e, out _))
                {
                    continue;
                }
                p = new(e.Rotation * p.Rotation.Transpose() * e.Rotation, 2 * e.Position - p.Position);
            }
            double w = Math.Exp(-0.5 * (f - frame) * (f - frame) / (spread * spread));
            var q = Rotations.ToQuaternion(p.Rotation);
            if (System.Numerics.Quaternion.Dot(q, first) < 0)
            {
                q = -q;
            }
            place += w * p.Position;
            turn += q * (float)w;
            weights += w;
        }
        turn = System.Numerics.Quaternion.Normalize(turn);
        return new(Rotations.FromQuaternion(turn.X, turn.Y, turn.Z, turn.W), place / weights);
    }

    /// <summary>What keeps a view from being one.</summary>
    public static string? Fault(OtherView v) =>
        !(v.Moved.IsFinite && v.Turned.IsFinite && v.Spot is not { IsFinite: false }) ? "The view's place is not a number."
        : v.Overscan is not (>= 1 and <= 4) ? "The overscan is between 1 and 4."
        : v.FocalMm is not (null or (>= 1 and <= 5000)) ? "The focal length is between 1 and 5,000 mm."
        : v.SteadyFrames is not (>= 0 and <= 200) ? "It is steadied over 0 to 200 frames."
        : v.FisheyeDegrees is not (null or (>= 10 and <= 360)) ? "A fisheye sees 10° to 360°."
        : v.FisheyeWidth is not (>= 64 and <= 8192) ? "A fisheye's picture is 64 to 8,192 pixels wide."
        : v.SphereWidth is not (>= 64 and <= 16384) || v.SphereWidth % 2 != 0 ? "A sphere is 64 to 16,384 pixels wide, an even number."
        : null;

    /// <summary>
    /// Why a view would show nothing but the inside of a wall; null: it stands in the open. What the shot's own camera stands within as well
    /// is a room.
    /// </summary>
    public static string? Inside(ShotEngine engine, ShotDocument shot, OtherView view, int frame)
    {
        ShotDocument at = Hanging.At(shot, frame);
        SetScene set = engine.Place.Set(at);
        Vec3 eye = view.Spot ?? PoseOf(engine, shot, view, frame).Position;
        Vec3? own = ShotCamera.Of(shot)?.TryAt(frame, out Pose pose, out _) == true ? pose.Position : null;
        return
            at.Pieces.FirstOrDefault(p =>
                !p.Off
                && p.Kind is not (PieceKind.Plane or PieceKind.Figure)
                && engine.Place.Only(set, [p.Id]) is var alone
                && alone.Encloses(eye.ToSingle(), RayKinds.CameraSet)
                && !(own is { } o && alone.Encloses(o.ToSingle(), RayKinds.CameraSet))
            )
                is { } wall
            ? $"At {frame} the view stands inside {(wall.Name.Length > 0 ? wall.Name : wall.Id)}: nothing but its inside would be seen. Move it out of there."
            : null;
    }

    /// <summary>
    /// RGBA: premultiplied with what is covered as alpha; or, filled, the colours carried on over what nothing covers, so that RGB is
    /// whole and alpha still says what was covered.
    /// </summary>
    public static FloatImage Frame(
        ShotEngine engine,
        ShotDocument shot,
        OtherView view,
        int frame,
        CancellationToken stop,
        Action<double>? progress = null
    )
    {
        FloatImage seen = engine.Projection.Projected(shot, Rays(engine, shot, view, frame), frame, 16, stop, progress);
        return view.Filled ? Filled(seen, view.Spot is not null) : seen;
    }

    /// <param name="around">The picture's left and right edge meet.</param>
    public static FloatImage Filled(FloatImage seen, bool around)
    {
        int w = seen.Width,
            h = seen.Height,
            pad = around ? w / 4 : 0,
            wide = w + 2 * pad;
        var colour = new FloatImage(wide, h, 3);
        var kept = new float[wide * h];
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < wide; x++)
            {
                int from = y * w + ((x - pad) % w + w) % w,
                    to = y * wide + x;
                float a = kept[to] = seen.Data[4 * from + 3];
                for (int c = 0; c < 3; c++)
                {
                    colour.Data[3 * to + c] = a > 1e-4f ? seen.Data[4 * from + c] / a : 0;
                }
            }
        }
        FloatImage whole = PictureEdge.Extended(colour, kept);
        var result = new FloatImage(w, h, 4);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                int to = y * w + x,
                    from = y * wide + x + pad;
                for (int c = 0; c < 3; c++)
                {
                    result.Data[4 * to + c] = whole.Data[3 * from + c];
                }
                result.Data[4 * to + 3] = seen.Data[4 * to + 3];
            }
        }
        return result;
    }

    public static string Write(FloatImage picture, string folder, string stem, int frame)
    {
        Directory.CreateDirectory(folder);
        string name = string.Create(CultureInfo.InvariantCulture, $"{stem}.{frame:0000}.exr");
        ExrFile.Write(Path.Combine(folder, name), picture.Width, picture.Height, [.. ExrChannel.Of(picture, "RGBA", half: true)]);
        return name;
    }
}
