using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Cameras;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;

namespace Plenk.Work;

/// <summary>How a folder of frames and a camera file are to be read; what is null is found or taken as usual.</summary>
public sealed record FilmedSetOptions(FrameRate Rate, LensValues? Lens = null, int? CameraFirst = null, ColorSpace? Space = null);

/// <summary>
/// A folder of frames, the camera that filmed them, and the rebuilt place: what the commands of the set and of projection work on.
/// </summary>
public sealed class FilmedSet
{
    private readonly string _plate;
    private readonly PlateCheckResult _check;
    private readonly ShotCamera _camera;
    private readonly ColorSpace _space;

    private FilmedSet(
        string plate,
        PlateCheckResult check,
        ShotCamera camera,
        ColorSpace space,
        SetScene set,
        IReadOnlyList<string> warnings
    ) => (_plate, _check, _camera, _space, Set, Warnings) = (plate, check, camera, space, set, warnings);

    public SetScene Set { get; }
    public ColorSpace Space => _space;
    public IReadOnlyList<string> Warnings { get; }
    public int Width => _check.Frames[0].Width;
    public int Height => _check.Frames[0].Height;
    public int First => _check.Frames[0].Frame;
    public int Last => _check.Frames[^1].Frame;

    /// <param name="setFile">OBJ or GLB in metres; null: there is no set.</param>
    public static FilmedSet Open(
        string plate,
        string cameraFile,
        string? setFile,
        FilmedSetOptions options,
        CancellationToken stop = default
    )
    {
        PlateCheckResult check = SolveWork.Frames(plate, stop);
        var (width, height, first, last) = (check.Frames[0].Width, check.Frames[0].Height, check.Frames[0].Frame, check.Frames[^1].Frame);
        int cameraFirst = options.CameraFirst ?? first;
        CameraSource source = CameraFiles.Read(
            File.ReadAllBytes(cameraFile),
            Path.GetFileName(cameraFile),
            new CameraImport(width, height, 36, cameraFirst, options.Rate, options.Lens)
        );
        if (options.Lens is { } lens)
        {
            source = source with { Lens = lens };
        }
        // What the files say of themselves wins over the flag: an EXR is light, whatever is thought of it.
        ColorSpace space = check.Encoding ?? options.Space ?? check.Says ?? ColorSpace.Srgb;
        ShotCamera camera = Filmed(source, new(cameraFirst, first), new(first, last), width, height, options.Rate);
        var warnings = new List<string>();
        List<Piece> pieces = [];
        var meshes = new Dictionary<string, TriangleMesh>();
        if (setFile is not null)
        {
            ImportedMesh mesh = ImportedMesh.Read(File.ReadAllBytes(setFile), Path.GetFileName(setFile));
            warnings.AddRange(mesh.Warnings);
            foreach (ImportedObject o in mesh.Objects)
            {
                string name = o.Name.Length > 0 ? o.Name : "set";
                for (int k = 2; meshes.ContainsKey(name); k++)
                {
                    name = $"{o.Name}_{k}";
                }
                meshes[name] = o.Mesh;
                pieces.Add(
                    new Piece
                    {
                        Id = name,
                        Name = name,
                        Kind = PieceKind.Mesh,
                        Media = name,
                    }
                );
            }
        }
        return new(plate, check, camera, space, new SetScene(pieces, (media, _) => meshes[media]), warnings);
    }

    public (Pose Pose, Pinhole Pinhole) Camera(int frame) =>
        _camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            ? (pose, pinhole)
            : throw new ShotFault($"The camera has no sample for frame {frame}. Check --camera-first and --rate.");

    public IViewRays Rays(int frame)
    {
        var (pose, pinhole) = Camera(frame);
        return new RayGrid(pinhole, pose);
    }

    public (Pose Pose, Pinhole Pinhole)? TryCamera(int frame) =>
        _camera.TryAt(frame, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null;

    public CodeImage Codes(int frame)
    {
        CheckedFrame f = _check.Frames.FirstOrDefault(f => f.Frame == frame)
            ?? throw new ShotFault($"The plate has no frame {frame}; it has {First} to {Last}.");
        return RasterFile.Read(FrameIntake.Take(File.ReadAllBytes(Path.Combine(_plate, f.File)), f.File).Bytes, f.File);
    }

    public FloatImage Linear(int frame) => Codes(frame).ToLinear(_space);

    /// <summary>Held frames as sources; told what keeps one from showing anything.</summary>
    public IReadOnlyList<Projector> Sources(IReadOnlyList<int> frames, List<string> told)
    {
        var sources = new List<Projector>();
        int seen = 0,
            rays = 0;
        foreach (int frame in frames)
        {
            var (pose, pinhole) = Camera(frame);
            var grid = new RayGrid(pinhole.Resized(32, 18), pose);
            int hits = 0,
                inside = 0;
            for (int y = 0; y < 18; y++)
            {
                for (int x = 0; x < 32; x++)
                {
                    if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                    {
                        continue;
                    }
                    rays++;
                    Hit hit = Set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                    if (!hit.IsHit)
                    {
                        continue;
                    }
                    hits++;
                    if (Vector3.Dot(Set.Instances[hit.Instance].FaceNormal(hit), d) > 0)
                    {
                        inside++;
                    }
                }
            }
            seen += hits;
            if (hits == 0)
            {
                told.Add($"Frame {frame} sees nothing of the set.");
            }
            else if (inside > 0.97 * hits && hits > 500)
            {
                told.Add(
                    $"Frame {frame}: every face that is seen is turned away from its camera. Either the camera stands inside a piece, or "
                        + "the set's normals are flipped; the footage is laid on their backs."
                );
            }
            sources.Add(new Projector(Linear(frame), new SourceSight(pinhole, pose, Set)));
        }
        if (seen < 0.002 * rays)
        {
            Vec3 middle = 0.5 * (Vec3.From(Set.Min) + Vec3.From(Set.Max));
            double size = Vector3.Distance(Set.Min, Set.Max),
                far = (Camera(frames[0]).Pose.Position - middle).Length;
            throw new ShotFault(
                $"The sources see nothing of the set: it is {size:0.###} m across and its middle is {far:0.###} m from the "
                    + $"camera.{(size < 0.05 * far ? " Is it at a thousandth of its scale, millimetres read as metres?" : size > 200 * far ? " Is it a thousand times too large?" : " Are set and camera in one space?")}"
            );
        }
        return sources;
    }

    /// <summary>A camera on the grid of a plate that is no shot of the database.</summary>
    private static ShotCamera Filmed(CameraSource source, FrameMapping mapping, FrameRange range, int width, int height, FrameRate rate) =>
        ShotCamera.Of(
            new ShotDocument
            {
                Production = "",
                Sequence = "",
                Code = "",
                Range = range,
                Rate = rate,
                Plate = new PlateSource
                {
                    Width = width,
                    Height = height,
                    Rate = rate,
                },
                Camera = source with { Mapping = mapping },
            }
        )!;

    /// <summary>A camera of a file at a frame, for pictures of a size.</summary>
    public static (Pose Pose, Pinhole Pinhole) CameraOf(string cameraFile, int frame, int width, int height, FrameRate rate)
    {
        CameraSource camera = CameraFiles.Read(
            File.ReadAllBytes(cameraFile),
            Path.GetFileName(cameraFile),
            new CameraImport(width, height, 36, frame, rate)
        );
        int first = (int)Math.Round(camera.Samples.Min(s => s.Frame));
        return Filmed(camera, new(first, first), new(first, Math.Max(first, frame)), width, height, rate)
            .TryAt(frame, out Pose pose, out Pinhole pinhole)
            ? (pose, pinhole)
            : throw new ShotFault($"{Path.GetFileName(cameraFile)} has no sample for frame {frame}.");
    }

    /// <summary>Another camera at a frame, from a file, as wide as the plate times an overscan.</summary>
    public IViewRays From(string cameraFile, int frame, double overscan, FrameRate rate)
    {
        CameraSource other = CameraFiles.Read(
            File.ReadAllBytes(cameraFile),
            Path.GetFileName(cameraFile),
            new CameraImport(Width, Height, 36, First, rate)
        );
        if (!Filmed(other, new(First, First), new(First, Last), Width, Height, rate).TryAt(frame, out Pose pose, out Pinhole pinhole))
        {
            throw new ShotFault($"{Path.GetFileName(cameraFile)} has no sample for frame {frame}.");
        }
        int width = (int)Math.Round(Width * overscan),
            height = (int)Math.Round(Height * overscan);
        return new RayGrid(
            pinhole with
            {
                Width = width,
                Height = height,
                Cx = pinhole.Cx + (width - Width) / 2.0,
                Cy = pinhole.Cy + (height - Height) / 2.0,
            },
            pose
        );
    }
}
