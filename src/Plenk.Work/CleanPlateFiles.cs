using System.Text.Json;
using System.Text.Json.Serialization;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>How a frame of a clean plate came to be.</summary>
/// <param name="Masked">Pixels that were taken out.</param>
/// <param name="Taken">The share of them that other frames gave.</param>
/// <param name="Filled">The share that no frame saw.</param>
/// <param name="From">Frames that gave, the most used first.</param>
public sealed record CleanFrameReport(
    [property: JsonPropertyName("frame")] int Frame,
    [property: JsonPropertyName("masked")] int Masked,
    [property: JsonPropertyName("taken")] double Taken,
    [property: JsonPropertyName("filled")] double Filled,
    [property: JsonPropertyName("from")] IReadOnlyList<int> From
);

/// <summary>A folder of frames without what lies in the masks beside it.</summary>
public static class CleanPlateFiles
{
    /// <param name="mask">A folder of pictures, above 0 what is taken out, by the plate's frame numbers.</param>
    /// <param name="told">What is odd, in the artist's terms.</param>
    /// <exception cref="ShotFault">Masks are missing or of another size.</exception>
    public static IReadOnlyList<CleanFrameReport> Run(
        FilmedSet set,
        string mask,
        IReadOnlyList<int> frames,
        string folder,
        bool withGrain,
        List<string> told,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        IReadOnlyDictionary<int, string> masks = Numbered(mask);
        int[] missing = [.. frames.Where(f => !masks.ContainsKey(f))];
        if (missing.Length > 0)
        {
            throw new ShotFault(
                $"There is no mask for {(missing.Length == 1 ? "frame" : "frames")} "
                    + $"{string.Join(", ", missing.Take(12))}{(missing.Length > 12 ? " and more" : "")}: what goes there is not known. Bring "
                    + "the missing ones, or leave those frames out of --frames."
            );
        }
        // A frame without a mask may show what goes: only those with one give.
        var place = new PlaceFilmed(
            set.First,
            set.Last,
            set.Width,
            set.Height,
            set.Space,
            set.Codes,
            set.TryCamera,
            masks.ContainsKey,
            f => Mask(masks[f], set.Width, set.Height),
            set.Set
        );
        var reports = new List<CleanFrameReport>();
        CleanRanges.Run(
            place,
            frames,
            new() { WithGrain = withGrain },
            (clean, _) =>
            {
                Directory.CreateDirectory(folder);
                ExrFile.Write(
                    Path.Combine(folder, $"clean.{clean.Frame:0000}.exr"),
                    clean.Linear.Width,
                    clean.Linear.Height,
                    [.. ExrChannel.Of(clean.Linear, "RGB"), new("A", clean.How)]
                );
                double of = Math.Max(1, clean.Masked);
                reports.Add(
                    new(
                        clean.Frame,
                        clean.Masked,
                        Math.Round(clean.Taken / of, 5),
                        Math.Round(clean.Filled / of, 5),
                        [.. clean.From.Select(f => f.Frame)]
                    )
                );
            },
            told,
            stop,
            progress
        );
        MediaStore.WriteWhole(
            Path.Combine(folder, "report.json"),
            JsonSerializer.SerializeToUtf8Bytes(new { frames = reports }, FootageWork.Json)
        );
        return reports;
    }

    private static bool[] Mask(string path, int width, int height)
    {
        string name = Path.GetFileName(path);
        byte[] bytes = File.ReadAllBytes(path);
        float[] values;
        int w,
            h;
        if (ExrFile.Is(bytes))
        {
            ExrPicture p = ExrFile.Read(bytes, name);
            (w, h) = (p.Width, p.Height);
            values = p.Any("A", "Y", "R") ?? throw new ShotFault($"{name} has no channel A, Y or R: it is no mask.");
        }
        else
        {
            CodeImage p = RasterFile.Read(bytes, name);
            (w, h) = (p.Width, p.Height);
            values = MatteWork.OfCodes(p).Data;
        }
        return w == width && h == height
            ? [.. values.Select(v => v > 0)]
            : throw new ShotFault($"{name} is {w} × {h}, the plate {width} × {height}. A mask has the plate's size.");
    }

    private static IReadOnlyDictionary<int, string> Numbered(string folder)
    {
        var result = new Dictionary<int, string>();
        foreach (string path in Directory.GetFiles(folder).Order(StringComparer.Ordinal))
        {
            if (
                Path.GetExtension(path).ToLowerInvariant() is ".png" or ".tif" or ".tiff" or ".jpg" or ".jpeg" or ".exr"
                && FrameNumber.Of(Path.GetFileName(path)) is { } number
            )
            {
                result[number] = path;
            }
        }
        return result.Count > 0 ? result : throw new ShotFault($"{folder} holds no numbered pictures of a mask.");
    }
}
