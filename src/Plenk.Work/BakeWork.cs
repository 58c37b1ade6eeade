using Plenk.Core;
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

/// <summary>Footage written into a shot's pieces: textures that they keep, and files to hand on.</summary>
public sealed class BakeWork(ShotEngine engine, MediaStore media)
{
    private const double MostTexels = 120e6;

    /// <summary>The frame in whose light a piece is filmed: that of the first projection that is laid on it.</summary>
    private static int FilmedIn(ShotDocument shot, Piece piece, int frame) =>
        shot.Projections.First(p => !p.Off && p.LiesOn(piece)) is { Kind: not SourceKind.Running } held ? held.Frame : frame;

    /// <param name="pieces">Ids; empty: all that wear footage.</param>
    /// <param name="frame">As the set stands in it.</param>
    /// <param name="texelMillimetres">Null: as fine as the sources show each piece.</param>
    /// <returns>By id what a piece keeps; files are written into the folder: set.glb, and an EXR a tile.</returns>
    public (IReadOnlyDictionary<string, BakedFootage> Baked, IReadOnlyList<string> Files) Bake(
        ShotDocument shot,
        IReadOnlyList<string> pieces,
        int frame,
        double? texelMillimetres,
        string folder,
        CancellationToken stop,
        Action<string, double> progress
    )
    {
        if (!shot.Projections.Any(p => !p.Off))
        {
            throw new ShotFault("Nothing is projected yet. Add a projection at step 4.");
        }
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        IReadOnlyList<Projector> sources = engine.Projection.Projectors(shot, set, frame);
        int[] chosen =
        [
            .. Enumerable
                .Range(0, set.Pieces.Count)
                .Where(i =>
                    set.Pieces[i].Duties is { WearsFootage: true, OnlyBlocksLight: false }
                    && set.Meshes[i].TriangleCount > 0
                    && (pieces.Count == 0 || pieces.Contains(set.Pieces[i].Id))
                ),
        ];
        if (chosen.Length == 0)
        {
            throw new ShotFault("No piece of those wears footage. Tick it on the piece at step 3.");
        }
        IReadOnlyList<SetSpot> spots = SetSpots.Over(set);
        var best = new float[spots.Count];
        foreach (Projector p in sources)
        {
            float[] own = SourcePlan.Sharpness(spots, p.Sight, null);
            for (int i = 0; i < best.Length; i++)
            {
                best[i] = MathF.Max(best[i], own[i]);
            }
        }
        double[] seen = [.. best.Where(b => b > 0).Select(b => (double)b).Order()];
        if (seen.Length == 0)
        {
            throw new ShotFault("No projection shows any piece. Lay on frames that see them.");
        }
        double[] texels =
        [
            .. chosen.Select(i => texelMillimetres is { } mm ? mm / 1000 : FootageWork.Finest(spots, best, i, 1 / seen[seen.Length / 2])),
        ];
        double asked = chosen.Select((i, k) => Baker.Texels(SetSpots.Area(set.Meshes[i]), texels[k])).Sum();
        if (asked > MostTexels)
        {
            double coarser = Math.Sqrt(asked / MostTexels);
            if (texelMillimetres is { } typed)
            {
                throw new ShotFault(
                    $"{typed:0.###} mm a texel are {asked / 1e6:0} million texels, more than memory holds. Take "
                        + $"{Math.Ceiling(typed * coarser * 10) / 10:0.#} mm or more, or fewer pieces."
                );
            }
            texels = [.. texels.Select(t => t * coarser)];
        }
        Directory.CreateDirectory(folder);
        var kept = new Dictionary<string, BakedFootage>();
        var files = new List<string>();
        var textured = new List<(string, TriangleMesh, int[], IReadOnlyList<byte[]>)>();
        for (int k = 0; k < chosen.Length; k++)
        {
            stop.ThrowIfCancellationRequested();
            Piece piece = set.Pieces[chosen[k]];
            int at = k;
            BakedPiece baked = Baker.Bake(
                set,
                chosen[k],
                sources,
                texels[k] / piece.Scale,
                stop,
                part => progress($"Baking {piece.Name}", (at + part) / chosen.Length),
                shot.ProjectionsMix,
                engine.Place.Local(piece)
            );
            if (baked.Covered < 0.001)
            {
                continue;
            }
            kept[piece.Id] = new(
                baked.TexelMetres,
                [.. baked.Tiles.Select(t => media.Write(RasterFile.ToPng(Straight(t))))],
                PlaceMedia.ShapeOf(piece),
                Math.Round(baked.Covered, 4),
                FilmedIn(shot, piece, frame)
            );
            textured.Add(
                (piece.Name, baked.Mesh, baked.TileOfTriangle, [.. baked.Tiles.Select(t => RasterFile.ToPng(FootageWork.Shown(t)))])
            );
            string safe = new([.. piece.Id.Select(ch => char.IsAsciiLetterOrDigit(ch) || ch is '-' or '_' ? ch : '_')]);
            for (int t = 0; t < baked.Tiles.Count; t++)
            {
                string name = $"{safe}.{1001 + t}.exr";
                ExrFile.Write(
                    Path.Combine(folder, name),
                    baked.Tiles[t].Width,
                    baked.Tiles[t].Height,
                    [.. ExrChannel.Of(baked.Tiles[t], "RGBA", half: true)]
                );
                files.Add(name);
            }
        }
        if (kept.Count == 0)
        {
            throw new ShotFault("None of the pieces is seen by any projection: there is nothing to bake.");
        }
        MediaStore.WriteWhole(Path.Combine(folder, "set.glb"), GltfFile.WriteTextured(textured));
        return (kept, ["set.glb", .. files]);
    }

    /// <summary>Sixteen-bit sRGB, not premultiplied, coverage as alpha.</summary>
    internal static CodeImage Straight(FloatImage tile)
    {
        var codes = new ushort[tile.Width * tile.Height * 4];
        Parallel.For(0, tile.Height, Cores.All, y =>
        {
            for (int i = y * tile.Width; i < (y + 1) * tile.Width; i++)
            {
                float a = tile.Data[4 * i + 3];
                for (int c = 0; c < 3; c++)
                {
                    codes[4 * i + c] = (ushort)ColorEncodings.ToCode(ColorEncoding.Srgb, a > 1e-4f ? tile.Data[4 * i + c] / a : 0, 16);
                }
                codes[4 * i + 3] = (ushort)(Math.Clamp(a, 0, 1) * 65535 + 0.5f);
            }
        });
        return new(tile.Width, tile.Height, 4, 16, codes);
    }
}
