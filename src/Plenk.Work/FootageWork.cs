using System.Numerics;
using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

public sealed record TexelsPerPixel(
    [property: JsonPropertyName("median")] double Median,
    [property: JsonPropertyName("worst")] double Worst
);

/// <param name="TexelMillimetres">Side of a texel of its own texture.</param>
/// <param name="Texels">Texels of the footage to a pixel of the shot camera where it comes nearest; null where nothing is covered.</param>
public sealed record PieceCoverage(
    [property: JsonPropertyName("name")] string Name,
    [property: JsonPropertyName("area_m2")] double Area,
    [property: JsonPropertyName("covered")] double Covered,
    [property: JsonPropertyName("texels_per_pixel")] TexelsPerPixel? Texels,
    [property: JsonPropertyName("texel_mm")] double TexelMillimetres,
    [property: JsonPropertyName("note")] string? Note
);

public sealed record BestSource([property: JsonPropertyName("frame")] int Frame, [property: JsonPropertyName("covered")] double Covered);

public sealed record Coverage(
    [property: JsonPropertyName("pieces")] IReadOnlyList<PieceCoverage> Pieces,
    [property: JsonPropertyName("covered")] double Covered,
    [property: JsonPropertyName("best_sources")] IReadOnlyList<BestSource> BestSources
);

/// <summary>The footage written into the set: GLB with a texture a piece, EXR beside it, and what is covered how well.</summary>
public static class FootageWork
{
    private const double MostTexels = 160e6; // of all pieces together: about 2.5 GB while they are made

    public static readonly JsonSerializerOptions Json = new() { WriteIndented = true };

    public static Coverage Project(
        FilmedSet set,
        IReadOnlyList<int> sources,
        double? texelMillimetres,
        string folder,
        List<string> told,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        if (set.Set.Pieces.Count == 0)
        {
            throw new ShotFault("The set holds no piece.");
        }
        IReadOnlyList<Projector> projectors = set.Sources(sources, told);
        IReadOnlyList<SetSpot> spots = SetSpots.Over(set.Set);
        // How finely the footage shows each spot at best, and the shot camera ever.
        float[] best = new float[spots.Count],
            looked = new float[spots.Count];
        foreach (Projector p in projectors)
        {
            Larger(best, SourcePlan.Sharpness(spots, p.Sight, null));
        }
        var candidates = new List<(int, float[])>();
        int every = Math.Max(1, (set.Last - set.First) / 35);
        for (int f = set.First; f <= set.Last; f += every)
        {
            stop.ThrowIfCancellationRequested();
            if (set.TryCamera(f) is not { } c)
            {
                continue;
            }
            progress?.Invoke("Asking every frame", 0.2 * (f - set.First) / Math.Max(1, set.Last - set.First));
            float[] sharp = SourcePlan.Sharpness(spots, new SourceSight(c.Pinhole, c.Pose, set.Set), set.TryCamera(f + 1)?.Pose);
            candidates.Add((f, sharp));
            Larger(looked, SourcePlan.Sharpness(spots, new SourceSight(c.Pinhole, c.Pose, set.Set, 89, 89.5), null));
        }
        double[] seen = [.. best.Where(b => b > 0).Select(b => (double)b).Order()];
        if (seen.Length == 0)
        {
            throw new ShotFault(
                "No face of the set is seen by any source from less than 84° off its normal: every piece is edge-on, turned away or hidden."
            );
        }
        double total = Enumerable.Range(0, set.Set.Pieces.Count).Sum(i => SetSpots.Area(set.Set.Meshes[i]));
        double[] texels =
        [
            .. Enumerable
                .Range(0, set.Set.Pieces.Count)
                .Select(i => texelMillimetres is { } mm ? mm / 1000 : Finest(spots, best, i, 1 / seen[seen.Length / 2])),
        ];
        double asked = Enumerable.Range(0, texels.Length).Sum(i => Baker.Texels(SetSpots.Area(set.Set.Meshes[i]), texels[i]));
        if (asked > MostTexels && texelMillimetres is { } typed)
        {
            double texel = typed / 1000;
            throw new ShotFault(
                $"{total:0.#} m² at {1000 * texel:0.###} mm a texel are {Baker.Texels(total, texel) / 1e6:0} million texels, more than "
                    + $"memory holds. Take --texel-mm {Math.Ceiling(1000 * Math.Sqrt(total / MostTexels) * 10) / 10:0.#} or more."
            );
        }
        // What the footage shows is more than fits: all a little coarser.
        if (asked > MostTexels / 4 && texelMillimetres is null)
        {
            texels = [.. texels.Select(t => t * Math.Sqrt(asked / (MostTexels / 4)))];
        }
        Directory.CreateDirectory(Path.Combine(folder, "textures"));
        var pieces = new List<PieceCoverage>();
        var textured = new List<(string, Core.Tracing.TriangleMesh, int[], IReadOnlyList<byte[]>)>();
        var names = new HashSet<string>();
        double covered = 0;
        for (int i = 0; i < set.Set.Pieces.Count; i++)
        {
            Piece piece = set.Set.Pieces[i];
            double area = SetSpots.Area(set.Set.Meshes[i]);
            int index = i;
            BakedPiece baked = Baker.Bake(set.Set, i, projectors, texels[i], stop, part =>
                progress?.Invoke($"Baking {piece.Name}", 0.2 + 0.8 * (index + part) / set.Set.Pieces.Count)
            );
            string safe = new([.. piece.Name.Select(ch => char.IsAsciiLetterOrDigit(ch) || ch is '-' or '_' ? ch : '_')]);
            for (int k = 2; !names.Add(safe); k++)
            {
                safe = $"{safe}_{k}";
            }
            var pngs = new List<byte[]>();
            for (int t = 0; t < baked.Tiles.Count; t++)
            {
                pngs.Add(RasterFile.ToPng(Shown(baked.Tiles[t])));
                FloatImage tile = baked.Tiles[t];
                ExrFile.Write(
                    Path.Combine(folder, "textures", $"{safe}.{1001 + t}.exr"),
                    tile.Width,
                    tile.Height,
                    [.. ExrChannel.Of(tile, "RGBA", half: true)]
                );
            }
            textured.Add((piece.Name, baked.Mesh, baked.TileOfTriangle, pngs));
            double[] ratio =
            [
                .. Enumerable
                    .Range(0, spots.Count)
                    .Where(k => spots[k].Piece == i && best[k] > 0 && looked[k] > 0)
                    .Select(k => (double)best[k] / looked[k])
                    .Order(),
            ];
            covered += baked.Covered * area;
            string? note =
                baked.Covered < 0.001 ? "no source sees it: it is hidden, turned away or edge-on to all of them"
                : baked.TexelMetres > 1.01 * texels[i]
                    ? $"its texture would not fit a tile at {1000 * texels[i]:0.##} mm; it has {1000 * baked.TexelMetres:0.##} mm"
                : null;
            if (note is not null)
            {
                told.Add($"{piece.Name}: {note}.");
            }
            pieces.Add(
                new(
                    piece.Name,
                    Math.Round(area, 5),
                    Math.Round(baked.Covered, 5),
                    ratio.Length == 0
                        ? null
                        : new(Math.Round(ratio[ratio.Length / 2], 4), Math.Round(ratio[(int)(0.01 * (ratio.Length - 1))], 4)),
                    Math.Round(1000 * baked.TexelMetres, 4),
                    note
                )
            );
        }
        var result = new Coverage(
            pieces,
            Math.Round(covered / Math.Max(total, 1e-12), 5),
            [.. SourcePlan.Greedy(spots, candidates).Select(p => new BestSource(p.Frame, Math.Round(p.Covered, 5)))]
        );
        MediaStore.WriteWhole(Path.Combine(folder, "set.glb"), GltfFile.WriteTextured(textured));
        MediaStore.WriteWhole(Path.Combine(folder, "coverage.json"), JsonSerializer.SerializeToUtf8Bytes(result, Json));
        return result;
    }

    /// <summary>One piece with its footage in textures of its own, as fine as a source shows it at best.</summary>
    /// <param name="otherwise">Side of a texel where no source shows it, metres.</param>
    /// <param name="local">The piece in its own space, where the textures are to stay with it; null: in the world.</param>
    public static BakedPiece Baked(
        SetScene set,
        int piece,
        IReadOnlyList<Projector> sources,
        double otherwise,
        TriangleMesh? local = null,
        CancellationToken stop = default
    )
    {
        IReadOnlyList<SetSpot> spots = SetSpots.Over(set);
        var best = new float[spots.Count];
        foreach (Projector p in sources)
        {
            Larger(best, SourcePlan.Sharpness(spots, p.Sight, null));
        }
        double texel = sources.Count > 0 ? Finest(spots, best, piece, otherwise) : otherwise;
        return Baker.Bake(set, piece, sources, texel / (local is null ? 1 : set.Pieces[piece].Scale), stop, local: local);
    }

    /// <summary>A texel for what a piece is shown with at its finest tenth; where it is not shown at all, the one given.</summary>
    public static double Finest(IReadOnlyList<SetSpot> spots, float[] best, int piece, double otherwise)
    {
        double[] own =
        [
            .. Enumerable.Range(0, spots.Count).Where(k => spots[k].Piece == piece && best[k] > 0).Select(k => (double)best[k]).Order(),
        ];
        return own.Length == 0 ? otherwise : 1 / own[(int)(0.9 * (own.Length - 1))];
    }

    private static void Larger(float[] most, float[] with)
    {
        for (int i = 0; i < most.Length; i++)
        {
            most[i] = MathF.Max(most[i], with[i]);
        }
    }

    /// <summary>For the GLB: sRGB of 8 bits, what nothing covers dark grey.</summary>
    public static CodeImage Shown(FloatImage tile, Vector3? unseen = null)
    {
        var codes = new ushort[tile.Width * tile.Height * 3];
        Parallel.For(0, tile.Height, Cores.All, y =>
        {
            for (int i = y * tile.Width; i < (y + 1) * tile.Width; i++)
            {
                Vector3 open = (unseen ?? new(0.03f)) * (1 - tile.Data[4 * i + 3]);
                for (int c = 0; c < 3; c++)
                {
                    codes[3 * i + c] = (ushort)ColorEncodings.ToCode(ColorEncoding.Srgb, tile.Data[4 * i + c] + open[c], 8);
                }
            }
        });
        return new(tile.Width, tile.Height, 3, 8, codes);
    }

    /// <summary>What the footage of tiles comes to on average; null: they have none.</summary>
    public static Vector3? Mean(IReadOnlyList<FloatImage> tiles)
    {
        double r = 0,
            g = 0,
            b = 0,
            all = 0;
        foreach (FloatImage tile in tiles)
        {
            for (int i = 0; i < tile.Data.Length; i += 4)
            {
                (r, g, b, all) = (r + tile.Data[i], g + tile.Data[i + 1], b + tile.Data[i + 2], all + tile.Data[i + 3]);
            }
        }
        return all > 0 ? new((float)(r / all), (float)(g / all), (float)(b / all)) : null;
    }
}
