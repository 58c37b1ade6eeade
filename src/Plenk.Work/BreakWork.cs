using System.Diagnostics;
using System.Numerics;
using System.Text.Json;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>What broke: its parts, how they fell, and how long that took to compute.</summary>
/// <param name="Volume">Of the whole, m³.</param>
public sealed record Broken(IReadOnlyList<BrokenPart> Parts, FallResult Fall, double Volume, double Seconds)
{
    /// <summary>What was thrown off.</summary>
    public IReadOnlyList<Scrap> Scraps { get; init; } = [];

    public double Mass => Parts.Sum(p => p.Body.Mass);
}

/// <summary>Pieces of a set broken into parts that fall on the others.</summary>
public static class BreakWork
{
    /// <summary>What a break lays open.</summary>
    public static readonly Material Inside = new("inside", new(0.42f, 0.4f, 0.37f), 0, 0.9f);

    /// <summary>Bodies up to which the solver takes more rounds a step.</summary>
    private const int Few = 64;

    /// <summary>A piece so many times as large as the radius of its break is better cut before.</summary>
    private const double Wide = 8;

    /// <param name="others">What stands still, in the world, with its names.</param>
    /// <param name="made">What the parts are like as bodies; null: as usual.</param>
    /// <param name="beside">Bodies that fall too, told after the parts.</param>
    /// <param name="thrown">Scraps thrown off it; null: none.</param>
    public static Broken Run(
        string name,
        TriangleMesh mesh,
        IReadOnlyList<(string Name, TriangleMesh Mesh)> others,
        BreakSettings with,
        FallSettings fall,
        int inside,
        List<string> told,
        CancellationToken stop = default,
        Action<string, double>? progress = null,
        Func<FallingBody, FallingBody>? made = null,
        IReadOnlyList<FallingBody>? beside = null,
        ScrapSettings? thrown = null
    )
    {
        var watch = Stopwatch.StartNew();
        try
        {
            progress?.Invoke("Cutting it into parts", 0);
            var (parts, volume) = Breakage.Of(name, mesh, with, inside);
            stop.ThrowIfCancellationRequested();
            StillSet? set = others.Count > 0 ? new([.. others.Select(o => o.Mesh)]) : null;
            FallingBody[] bodies = [.. parts.Select(p => made?.Invoke(p.Body) ?? p.Body), .. beside ?? []];
            using var solver = new OdeSolver(fall.Gravity, parts.Count <= Few ? 100 : 40);
            FallResult result = Falling.Of(bodies, set, fall, solver, stop, part => progress?.Invoke("Letting them fall", part));
            bool Falls(int body) => !bodies[body].IsFixed;
            foreach (int piece in result.Through.Where(t => Falls(t.Body)).Select(t => t.Piece).Distinct().Order())
            {
                told.Add(
                    $"“{name}” stands in “{others[piece].Name}” from the beginning: parts in it are not held up by it. Cut a hole there, or move one of them."
                );
            }
            foreach (var piece in result.Sunk.Where(s => Falls(s.Key.Body)).GroupBy(s => s.Key.Piece).OrderBy(g => g.Key))
            {
                told.Add(
                    FormattableString.Invariant(
                        $"“{name}” stands in “{others[piece.Key].Name}” by {1000 * piece.Max(s => s.Value):0} mm: parts of it lie as deep there until they come out."
                    )
                );
            }
            if (with.Radius is { } radius && mesh.Bounds() is var (min, max) && (max - min).Length() > Wide * radius)
            {
                told.Add(
                    $"“{name}” is much larger than what breaks of it, and all of it becomes parts. Cut a part loose around that first, and break that: the rest stays as it is filmed."
                );
            }
            if (set is null)
            {
                told.Add("There is nothing else in the set: the parts fall for ever.");
            }
            progress?.Invoke("Throwing scraps off it", 0.99);
            IReadOnlyList<Scrap> scraps = thrown is { Count: > 0 }
                ? Scraps.Of(parts, inside, result.Frames, set, fall.Rate, fall.Gravity, with.Point, thrown, stop)
                : [];
            return new(parts, result, volume, watch.Elapsed.TotalSeconds) { Scraps = scraps };
        }
        catch (BreakFault e)
        {
            throw new ShotFault(e.Message);
        }
    }

    /// <summary>The report beside the parts.</summary>
    public static string Report(Broken broken) =>
        JsonSerializer.Serialize(
            new
            {
                piece = new { volume = broken.Volume, mass = broken.Mass },
                parts = broken.Parts.Select(p => new
                {
                    part = p.Name,
                    volume = p.Volume,
                    mass = p.Body.Mass,
                }),
                scraps = broken.Scraps.Count == 0 ? (int?)null : broken.Scraps.Count,
                frames = broken.Fall.Frames.Select(f => new
                {
                    frame = f.Frame,
                    kinetic = f.Kinetic,
                    potential = f.Potential,
                    deepest = f.Deepest,
                    awake = f.Awake,
                }),
                seconds = Math.Round(broken.Seconds, 3),
            },
            FootageWork.Json
        );

    /// <summary>Meshes of a file by their names, in the world.</summary>
    public static IReadOnlyList<(string Name, TriangleMesh Mesh)> Named(string file, List<string> told)
    {
        ImportedMesh mesh = ImportedMesh.Read(File.ReadAllBytes(file), Path.GetFileName(file));
        told.AddRange(mesh.Warnings);
        var named = new List<(string, TriangleMesh)>();
        foreach (ImportedObject o in mesh.Objects)
        {
            string name = o.Name.Length > 0 ? o.Name : "set";
            for (int k = 2; named.Any(n => n.Item1 == name); k++)
            {
                name = $"{o.Name}_{k}";
            }
            named.Add((name, o.Mesh with { Materials = null, TextureCoordinates = null }));
        }
        return named;
    }

    /// <summary>A piece with its footage from a frame: the tile of each triangle as its material, and the tiles as PNG.</summary>
    public static (TriangleMesh Mesh, IReadOnlyList<byte[]> Tiles) Footage(FilmedSet filmed, string piece, int frame, List<string> told)
    {
        int at = filmed.Set.Pieces.ToList().FindIndex(p => p.Name == piece);
        BakedPiece baked = FootageWork.Baked(filmed.Set, at, filmed.Sources([frame], told), 0.01);
        if (baked.Covered < 0.001)
        {
            told.Add($"Frame {frame} shows nothing of “{piece}”: its parts have no footage.");
        }
        // Its sides that the frame does not see are as the others are on average, not black.
        Vector3? unseen = FootageWork.Mean(baked.Tiles);
        return (
            baked.Mesh with
            {
                Materials = baked.TileOfTriangle,
            },
            [.. baked.Tiles.Select(t => RasterFile.ToPng(FootageWork.Shown(t, unseen)))]
        );
    }
}
