using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What was filmed on another plate, on a frame's grid: linear RGB premultiplied, without its screen, and how much of each pixel it has.</summary>
public sealed record FilmedLayer(FloatImage Rgb, float[] Coverage);

/// <summary>What was filmed on other plates, as layers of a shot.</summary>
public sealed class FilmedWork(ShotEngine engine)
{
    private readonly Cache<FilmedLayer> _layers = new(l => Sizes.Of(l.Rgb) + 4L * l.Coverage.Length);

    /// <exception cref="ShotFault">Its plate has a hole there, another shape, or its camera no frame.</exception>
    public FilmedLayer Layer(ShotDocument shot, Matte matte, int frame, int width, int height)
    {
        FilmedFootage footage = matte.Footage ?? throw new ShotFault($"{matte.Name} was filmed on no plate.");
        OtherCamera other = shot.OtherCameras.FirstOrDefault(c => c.Id == footage.Camera)
            ?? throw new ShotFault($"The plate of {matte.Name} is no longer in the shot. Bring it in again.");
        return _layers.Get(
            ResultKey.Of(
                "filmed",
                1,
                footage,
                other,
                shot.Rate,
                frame,
                width,
                height,
                footage.ThroughItsCamera ? engine.Camera(shot, frame) : null
            ),
            () => Make(shot, matte.Name, footage, other, frame, width, height)
        );
    }

    /// <summary>Where what is laid on has holes in a range: its name, and the shot's frames.</summary>
    public static IEnumerable<(string Name, IReadOnlyList<int> Frames)> Holes(ShotDocument shot, FrameRange range) =>
        shot
            .Mattes.Where(m => m.IsLaid && m.Frozen is null && m.Footage is not null)
            .Select(m => (Matte: m, Plate: shot.OtherCameras.FirstOrDefault(c => c.Id == m.Footage!.Camera)?.Plate))
            .Where(m => m.Plate is not null)
            .Select(m =>
                (
                    m.Matte.Name,
                    (IReadOnlyList<int>)
                        [
                            .. Enumerable
                                .Range(range.First, range.Count)
                                .Where(f => IsHole(m.Plate!, m.Plate!.FrameAt(f - m.Matte.Footage!.Later, shot.Rate))),
                        ]
                )
            )
            .Where(h => h.Item2.Count > 0);

    private static bool IsHole(PlateSource plate, int frame) =>
        plate.MediaAt(frame) is null && plate.Frames.Any(f => f.Frame < frame) && plate.Frames.Any(f => f.Frame > frame);

    /// <summary>From which distance on something filmed elsewhere hides, metres from the shot's camera.</summary>
    public double Beyond(ShotDocument shot, Matte matte, int frame) =>
        matte.Footage?.At is { } at ? (at - engine.Camera(shot, frame).Pose.Position).Length : matte.HidesBeyondMetres ?? 0;

    private FilmedLayer Make(ShotDocument shot, string name, FilmedFootage footage, OtherCamera other, int frame, int width, int height)
    {
        int own = other.Plate.FrameAt(frame - footage.Later, shot.Rate);
        if (other.Plate.MediaAt(own) is null)
        {
            return IsHole(other.Plate, own)
                ? throw new ShotFault(
                    $"{other.Name} has no frame {own}, which {name} shows at {frame}. Bring its plate in whole there, and take it anew."
                )
                : new(new(width, height, 3), new float[width * height]);
        }
        ShotDocument on = Of(other, footage);
        int ow = footage.ThroughItsCamera ? other.Plate.Width : Math.Min(width, other.Plate.Width),
            oh = PlateMedia.HeightFor(on, ow);
        if (!footage.ThroughItsCamera && Math.Abs((double)ow / oh - (double)width / height) > 0.01 * width / height)
        {
            throw new ShotFault(
                $"{other.Name} is {other.Plate.Width} × {other.Plate.Height}, another shape than the plate: {name} cannot lie on it pixel for pixel. "
                    + $"Let it be seen through its own camera."
            );
        }
        FloatImage rgb = engine.Plates.Plate(on, own, ow);
        float[] coverage = engine.Mattes.Coverage(on, footage.Matte, own, rgb.Width, rgb.Height);
        Matte comes = on.Mattes.First(m => m.Id == footage.Matte);
        FloatImage foreground = comes is { Kind: MatteKind.Screen, Screen: { } key, Frozen: null }
            ? MatteField.Foreground(rgb, coverage, key)
            : BackgroundWork.By(rgb, coverage);
        var layer = new FloatImage(rgb.Width, rgb.Height, 4);
        foreground = foreground.Times(other.Gain.ToSingle());
        for (int i = 0; i < coverage.Length; i++)
        {
            foreground.Data.AsSpan(3 * i, 3).CopyTo(layer.Data.AsSpan(4 * i));
            layer.Data[4 * i + 3] = coverage[i];
        }
        if (footage.ThroughItsCamera)
        {
            layer = Seen(shot, name, footage, other, own, frame, layer, width, height);
        }
        else if (layer.Width != width || layer.Height != height)
        {
            layer = layer.EnlargedTo(width, height);
        }
        var result = new FilmedLayer(new(width, height, 3), new float[width * height]);
        for (int i = 0; i < result.Coverage.Length; i++)
        {
            layer.Data.AsSpan(4 * i, 3).CopyTo(result.Rgb.Data.AsSpan(3 * i));
            result.Coverage[i] = layer.Data[4 * i + 3];
        }
        return result;
    }

    private FloatImage Seen(
        ShotDocument shot,
        string name,
        FilmedFootage footage,
        OtherCamera other,
        int own,
        int frame,
        FloatImage layer,
        int width,
        int height
    )
    {
        // Where its camera was when that picture was taken, which need not be a whole frame of the shot's.
        double taken = other.Plate.Mapping.ToShot(own, other.Plate.Rate, shot.Rate);
        if (
            ShotCamera.Of(ProjectionWork.Through(shot, other.Id)) is not { } camera
            || !(camera.TryAt(taken, out Pose pose, out Pinhole pinhole) || camera.TryAt(frame - footage.Later, out pose, out pinhole))
        )
        {
            throw new ShotFault($"The camera of {other.Name} has no frame {frame}: {name} cannot be seen through it there.");
        }
        return UprightLayer.Seen(
            layer,
            pinhole.Resized(layer.Width, layer.Height),
            pose,
            footage.At ?? throw new ShotFault($"{name} stands nowhere yet: say where its foot is."),
            engine.Grid(shot, frame, width, height)
        );
    }

    /// <summary>The other plate as a shot of its own, counted by its own frames.</summary>
    private static ShotDocument Of(OtherCamera other, FilmedFootage footage) =>
        new()
        {
            Production = "",
            Sequence = "",
            Code = other.Name,
            Rate = other.Plate.Rate,
            Range = new(other.Plate.Frames.Min(f => f.Frame), other.Plate.Frames.Max(f => f.Frame)),
            Plate = other.Plate with { Mapping = new(0, 0) },
            Mattes = footage.Mattes,
        };

    /// <summary>Where its foot meets the set at a frame, by its own camera, or by the shot's where it lies on it pixel for pixel.</summary>
    /// <exception cref="ShotFault">Nothing of it is seen there, or it meets nothing.</exception>
    public Vec3 Foot(ShotDocument shot, Matte matte, int frame)
    {
        FilmedFootage footage = matte.Footage ?? throw new ShotFault($"{matte.Name} was filmed on no plate.");
        bool through = footage.ThroughItsCamera;
        ShotDocument seen = through ? ProjectionWork.Through(shot, footage.Camera) : shot;
        var (pose, pinhole) = engine.Camera(seen, through ? frame - footage.Later : frame);
        var flat = matte with { Footage = footage with { ThroughItsCamera = false } };
        FilmedLayer layer = Layer(shot, flat, frame, pinhole.Width, pinhole.Height);
        int last = Array.FindLastIndex(layer.Coverage, c => c > 0.5f);
        if (last < 0)
        {
            throw new ShotFault($"Nothing of {matte.Name} is seen at {frame}. Go to a frame where its foot is seen.");
        }
        int row = last / pinhole.Width;
        if (row >= pinhole.Height - 1)
        {
            throw new ShotFault(
                $"The foot of {matte.Name} is not seen at {frame}: it goes on below the picture. Go to a frame where it is seen whole, or type its place."
            );
        }
        double[] across =
        [
            .. Enumerable.Range(0, pinhole.Width).Where(x => layer.Coverage[row * pinhole.Width + x] > 0.5f).Select(x => x + 0.5),
        ];
        if (!pinhole.TryDirection(across.Average(), row + 1, out Vec3 d))
        {
            throw new ShotFault($"The foot of {matte.Name} lies at the picture's border at {frame}. Go to a frame where it is seen whole.");
        }
        var ray = new Core.Tracing.Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
        Core.Tracing.Hit hit = engine.Place.Set(Hanging.At(shot, frame)).Scene.Intersect(ray, Core.Tracing.RayKinds.CameraSet);
        return hit.IsHit
            ? Vec3.From(ray.At(hit.T))
            : throw new ShotFault(
                $"{matte.Name} stands on nothing at {frame}: no piece of the set lies where its foot is. Build the floor there, or type its place."
            );
    }

    /// <summary>
    /// A shot with what was filmed in another one's plate laid over its own, through one of that one's mattes: its frames are counted first
    /// on first.
    /// </summary>
    /// <param name="matte">Id in the other shot; null: its first key of a screen, else its first that hides, else its first.</param>
    /// <exception cref="ShotFault">The other one has no plate, or no matte around what comes.</exception>
    public static ShotDocument Bring(ShotDocument shot, ShotDocument other, string? matte)
    {
        PlateSource plate = other.Plate ?? throw new ShotFault($"{other.Code} has no plate yet. Bring one in there first.");
        Matte[] own = [.. other.Mattes.Where(m => m.Frozen is not null || m.Kind is not (MatteKind.Element or MatteKind.Filmed))];
        // Joined to what does not come, or by way of others to itself.
        bool IsWhole(Matte m, IReadOnlyList<string> within) =>
            !within.Contains(m.Id)
            && m.Parts.All(p => own.FirstOrDefault(o => o.Id == p.Matte) is { } part && IsWhole(part, [.. within, m.Id]));
        own = [.. own.Where(m => IsWhole(m, []))];
        Matte? comes = matte is not null
            ? own.FirstOrDefault(m => m.Id == matte)
            : own.FirstOrDefault(m => m is { Off: false, Kind: MatteKind.Screen })
                ?? own.FirstOrDefault(m => m is { Off: false, HidesBeyondMetres: not null })
                ?? own.FirstOrDefault(m => !m.Off);
        if (comes is null)
        {
            throw new ShotFault(
                other.Mattes.FirstOrDefault(m => matte is null || m.Id == matte) is { } not
                    ? $"{not.Name} of {other.Code} is not of its plate alone. Freeze it there first."
                    : $"{other.Code} has no matte around what comes. Key its screen, or draw around it, in that shot first."
            );
        }
        OtherCamera lent = Lent(shot, other, plate);
        string id = FreeId.Of(shot.Mattes.Select(m => m.Id), "matte");
        return shot with
        {
            OtherCameras = [.. shot.OtherCameras, lent],
            Mattes =
            [
                .. shot.Mattes,
                new Matte
                {
                    Id = id,
                    Name = $"{comes.Name} of {other.Code}",
                    Kind = MatteKind.Filmed,
                    Footage = new()
                    {
                        Camera = lent.Id,
                        Mattes = [.. own.Select(m => OnPlate(m, other))],
                        Matte = comes.Id,
                    },
                    KeepsTracksOff = false,
                    HidesBeyondMetres = 0,
                    TakesLight = true,
                },
            ],
        };
    }

    /// <summary>Another shot's plate, and its camera where it has one, in the world that both are oriented to; first on first.</summary>
    /// <exception cref="ShotFault">Its camera has no frame within its range.</exception>
    public static OtherCamera Lent(ShotDocument shot, ShotDocument other, PlateSource plate)
    {
        CameraSource? lent = null;
        if (ShotCamera.Of(other) is { } camera)
        {
            var samples = new List<CameraSample>();
            for (int f = other.Range.First; f <= other.Range.Last; f++)
            {
                if (camera.TryAt(f, out Pose pose, out Pinhole p))
                {
                    samples.Add(new(f, pose.ToRowMajor16(), p.Fx, p.Cx, p.Cy));
                }
            }
            lent =
                samples.Count == 0
                    ? throw new ShotFault($"The camera of {other.Code} has no frame within its range.")
                    : other.Camera! with
                    {
                        Rate = other.Rate,
                        Mapping = new(other.Range.First, shot.Range.First),
                        Width = plate.Width,
                        Height = plate.Height,
                        Samples = samples,
                    };
        }
        return new()
        {
            Id = shot.OtherCameras.Any(c => c.Id == other.Code) ? FreeId.Of(shot.OtherCameras.Select(c => c.Id), other.Code) : other.Code,
            Name = other.Code,
            Plate = plate with { Mapping = new(plate.Mapping.ToSource(other.Range.First, plate.Rate, other.Rate), shot.Range.First) },
            Camera = lent,
        };
    }

    /// <summary>A matte of a shot, counted by its plate's own frames.</summary>
    private static Matte OnPlate(Matte m, ShotDocument shot)
    {
        PlateSource plate = shot.Plate!;
        int Own(int frame) => plate.FrameAt(frame, shot.Rate);
        FrameSource? Pictures(FrameSource? f)
        {
            if (f is null)
            {
                return null;
            }
            int first = Own(shot.Range.First);
            return f with { Mapping = new(f.Mapping.ToSource(shot.Range.First, f.Rate, shot.Rate), first) };
        }
        return m with
        {
            Keys = [.. m.Keys.Select(k => k with { Frame = Own(k.Frame) }).DistinctBy(k => k.Frame)],
            Followed = [],
            Motion = m.Motion is { } motion
                ? motion with
                {
                    Reference = Own(motion.Reference),
                    Steps = [.. motion.Steps.Select(s => s with { Frame = Own(s.Frame) }).DistinctBy(s => s.Frame)],
                }
                : null,
            Frames = Pictures(m.Frames),
            Frozen = Pictures(m.Frozen),
            HidesBeyondMetres = null,
            Off = false,
        };
    }
}
