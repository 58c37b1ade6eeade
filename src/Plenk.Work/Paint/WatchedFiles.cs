using Plenk.Core.Shots;
using Plenk.Formats.Layers;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work.Paint;

/// <summary>
/// A painted, modelled or rendered file as it is saved by another program, taken into a shot as a new version of what came of it before;
/// what was set on that stays.
/// </summary>
public sealed class WatchedFiles(ShotEngine engine, MediaStore media)
{
    /// <summary>Written behind the name of who watches: pages show such a change by themselves.</summary>
    public const string Mark = " (watch)";

    private static readonly string[] Meshes = [".glb", ".gltf", ".obj", ".ply", ".usda"],
        Pictures = [".png", ".jpg", ".jpeg", ".tif", ".tiff", ".dpx", ".exr"];

    private readonly LayeredPaint _layers = new(engine, media);
    private readonly PaintWork _flat = new(engine, media);

    public static bool Takes(string name) =>
        Path.GetExtension(name).ToLowerInvariant() is var e && (e == ".ora" || Meshes.Contains(e) || Pictures.Contains(e));

    /// <summary>The shot with it, and what the ledger says; null: it is nothing that a shot takes from a folder.</summary>
    /// <param name="beside">Bytes of a file next to it, by name; null: there is none.</param>
    /// <param name="otherwise">Where it was painted and how it is placed, where it does not say so itself.</param>
    public (ShotDocument Shot, string What)? Take(
        ShotDocument shot,
        string name,
        byte[] bytes,
        Func<string, byte[]?> beside,
        PaintTaking otherwise,
        List<string> told
    )
    {
        string ending = Path.GetExtension(name).ToLowerInvariant();
        if (Meshes.Contains(ending))
        {
            return Mesh(shot, name, bytes, beside, told);
        }
        if (shot.Elements.FirstOrDefault(e => e.Frames is { } f && f.Frames.Any(x => x.File == name)) is { } shown)
        {
            return Frame(shot, shown, name, bytes);
        }
        if (LayeredFile.Is(bytes, name))
        {
            return (
                _layers.Take(shot, [(name, bytes)], otherwise with { Frame = PaintWork.FrameOf(name) ?? otherwise.Frame }, told),
                $"Layers of {name} in"
            );
        }
        return Pictures.Contains(ending) ? Flat(shot, name, bytes, otherwise, told) : null;
    }

    private (ShotDocument, string) Mesh(ShotDocument shot, string name, byte[] bytes, Func<string, byte[]?> beside, List<string> told)
    {
        var used = new Dictionary<string, string>();
        ImportedMesh mesh = ImportedMesh.Read(bytes, name, own =>
        {
            byte[]? found = beside(Path.GetFileName(own));
            if (found is not null)
            {
                used[own] = media.Write(found);
            }
            return found;
        });
        told.AddRange(mesh.Warnings);
        string hash = media.Write(bytes),
            id = Path.GetFileNameWithoutExtension(name);
        if (shot.Elements.FirstOrDefault(e => e.Id == id && e.Kind == ElementKind.Mesh) is { } old)
        {
            Element renewed = old with { Media = hash, Beside = used };
            ShotDocument changed = shot with { Elements = [.. shot.Elements.Select(e => e.Id == id ? renewed : e)] };
            // What was chosen for a material that is gone falls off, told; else nothing could be saved.
            if (engine.MaterialFault(changed, renewed) is { } fault)
            {
                told.Add(fault);
                changed = changed with { Elements = [.. changed.Elements.Select(e => e.Id == id ? renewed with { Materials = [] } : e)] };
            }
            return (changed, $"A newer {name} in");
        }
        bool moves = ImportedMesh.Moving(bytes, name) is { Moves: true };
        Element made = new()
        {
            Id = id,
            Name = id.Replace('_', ' '),
            Media = hash,
            Beside = used,
            Motion = moves ? new FileMotion { StartFrame = shot.Range.First } : null,
        };
        return (shot with { Elements = [.. shot.Elements, made] }, $"Element in: {id}");
    }

    /// <summary>A picture of a card, or a rendered frame, of the same file name.</summary>
    private (ShotDocument, string) Frame(ShotDocument shot, Element shown, string name, byte[] bytes)
    {
        // Read before it is kept: half a file is none.
        if (Formats.Exr.ExrFile.Is(bytes))
        {
            Formats.Exr.ExrFile.Read(bytes, name);
        }
        else
        {
            bytes = FrameIntake.Take(bytes, name).Bytes;
            RasterFile.Read(bytes, name);
        }
        string hash = media.Write(bytes);
        FrameSource frames = shown.Frames! with
        {
            Frames = [.. shown.Frames!.Frames.Select(f => f.File == name ? f with { Media = hash } : f)],
        };
        return (
            shot with
            {
                Elements = [.. shot.Elements.Select(e => e.Id == shown.Id ? e with { Frames = frames } : e)],
            },
            $"A newer {name} in"
        );
    }

    /// <summary>A frame painted flat; the file's name, without its number, tells which one it takes the place of.</summary>
    private (ShotDocument, string) Flat(ShotDocument shot, string name, byte[] bytes, PaintTaking otherwise, List<string> told)
    {
        int frame = PaintWork.FrameOf(name) ?? otherwise.Frame;
        bool own = name.Contains(".own-colour", StringComparison.OrdinalIgnoreCase) || otherwise.OwnColour;
        ProjectionSource made = _flat.In(shot, bytes, name, frame, otherwise.Camera, own, told) with
        {
            Id = FreeId.Of(shot.Projections.Select(p => p.Id), "projection"),
            Name = name,
            Layer = name,
        };
        return (
            shot.Projections.FirstOrDefault(p => p.Layer == name && p.Frame == frame && p.Camera == made.Camera) is { } old
                ? shot with
                {
                    Projections = [.. shot.Projections.Select(p => p.Id == old.Id ? LayeredPaint.Renewed(old, made) : p)],
                }
                : shot with
                {
                    Projections = [made, .. shot.Projections],
                },
            $"{name} in"
        );
    }
}
