using System.Text.Json.Serialization;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;

namespace Plenk.Formats.Sequences;

/// <summary>A file of a delivery: its name, and a way to its bytes.</summary>
public sealed record DeliveredFile(string Name, Func<byte[]> Read);

public sealed record CheckedFrame(int Frame, string File, int Width, int Height, int Bits, int Channels);

/// <summary>What <c>check-plate</c> prints.</summary>
public sealed record PlateCheckResult(int? First, int? Last, IReadOnlyList<CheckedFrame> Frames, IReadOnlyList<PlateFault> Faults)
{
    /// <summary>What the files themselves say their codes stand for; null: nothing.</summary>
    [JsonIgnore]
    public Core.Images.ColorEncoding? Encoding { get; init; }

    /// <summary>What headers say of it, to be believed where nobody says otherwise.</summary>
    public Core.Images.ColorEncoding? Says { get; init; }

    /// <summary>Of the first frame that has one, hh:mm:ss:ff.</summary>
    [JsonIgnore]
    public string? Timecode { get; init; }

    [JsonIgnore]
    public string? Clip { get; init; }

    /// <summary>What was done to frames on their way in that an artist should know.</summary>
    [JsonIgnore]
    public string? Note { get; init; }

    [JsonIgnore]
    public bool Clean => Faults.Count == 0;
}

/// <summary>
/// Checks a numbered sequence on arrival: every frame is decoded whole. Good frames are kept whatever the others are like;
/// "good" is the size and depth of the majority.
/// </summary>
public static class PlateCheck
{
    /// <param name="expectedFirst">The frame the delivery should start with; null: any.</param>
    /// <param name="keep">Called for every good frame with its bytes, in the order of frames.</param>
    public static PlateCheckResult Check(
        IReadOnlyList<DeliveredFile> files,
        int? expectedFirst = null,
        Action<CheckedFrame, byte[]>? keep = null,
        Action<int, int>? progress = null,
        CancellationToken stop = default
    )
    {
        var faults = new List<PlateFault>();
        var byFrame = new SortedDictionary<int, DeliveredFile>();
        foreach (DeliveredFile file in files.OrderBy(f => f.Name, StringComparer.Ordinal))
        {
            string name = Path.GetFileName(file.Name);
            if (name.StartsWith('.') || name.Equals("thumbs.db", StringComparison.OrdinalIgnoreCase))
            {
                continue;
            }
            if (!FrameIntake.Extensions.Contains(Path.GetExtension(name).ToLowerInvariant()))
            {
                continue;
            }
            if (FrameNumber.Of(name, out bool tooLong) is not { } frame)
            {
                faults.Add(
                    new(
                        null,
                        name,
                        "name",
                        tooLong ? $"{name}: the frame number is too long" : $"{name} has no frame number before its ending",
                        "Number the frames, like plate.1001.png."
                    )
                );
                continue;
            }
            if (byFrame.TryGetValue(frame, out DeliveredFile? other))
            {
                faults.Add(
                    new(
                        frame,
                        name,
                        "duplicate",
                        $"frame {frame} is there twice: {Path.GetFileName(other.Name)} and {name}",
                        $"Take away the one that is not meant. {Path.GetFileName(other.Name)} was taken."
                    )
                );
                continue;
            }
            byFrame[frame] = file;
        }

        var decoded = new List<(CheckedFrame Frame, DeliveredFile File)>();
        int done = 0;
        Core.Images.ColorEncoding? encoding = null,
            says = null;
        string? timecode = null,
            clip = null,
            note = null,
            lastHash = null;
        int lastFrame = int.MinValue;
        foreach ((int frame, DeliveredFile file) in byFrame)
        {
            stop.ThrowIfCancellationRequested();
            string name = Path.GetFileName(file.Name);
            try
            {
                TakenFrame taken = FrameIntake.Take(file.Read(), name);
                byte[] bytes = taken.Bytes;
                (encoding, says, clip, note) = (taken.Encoding ?? encoding, says ?? taken.Says, taken.Clip ?? clip, note ?? taken.Note);
                if (taken.Timecode is not null && timecode is null)
                {
                    timecode = taken.Timecode;
                }
                // Frames that repeat one another byte for byte stood still in the camera or in the copying.
                string hash = Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(bytes));
                if (hash == lastHash && frame == lastFrame + 1)
                {
                    faults.Add(
                        new(
                            frame,
                            name,
                            "repeated",
                            $"frame {frame} is the same as the one before it, byte for byte",
                            "If the footage does not stand still there, copy it again from its source, or take the frame out of the range: a "
                                + "camera solve will see a stop."
                        )
                    );
                }
                (lastHash, lastFrame) = (hash, frame);
                RasterFile.Header header = RasterFile.ReadHeader(bytes, name);
                CodeImage picture = RasterFile.Read(bytes, name);
                if (picture.Channels < 3)
                {
                    faults.Add(
                        new(
                            frame,
                            name,
                            "depth",
                            $"frame {frame} ({name}) is a {picture.Bits}-bit grey picture",
                            "Export the frame as RGB; a data pass is not a plate."
                        )
                    );
                }
                else
                {
                    decoded.Add((new(frame, name, picture.Width, picture.Height, picture.Bits, header.Channels), file));
                }
            }
            catch (FormatFault f)
            {
                faults.Add(new(frame, name, f.Kind == "file" ? "unreadable" : f.Kind, $"frame {frame}: {f.Message}", f.Mend));
            }
            catch (IOException e)
            {
                faults.Add(
                    new(
                        frame,
                        name,
                        "unreadable",
                        $"frame {frame}: {name} could not be read ({e.Message})",
                        "Copy the frame again from its source."
                    )
                );
            }
            progress?.Invoke(++done, byFrame.Count);
        }

        var good = decoded;
        if (decoded.Count > 0)
        {
            var size = decoded.GroupBy(d => (d.Frame.Width, d.Frame.Height)).MaxBy(g => g.Count())!.Key;
            var depth = decoded.Where(d => (d.Frame.Width, d.Frame.Height) == size).GroupBy(d => d.Frame.Bits).MaxBy(g => g.Count())!.Key;
            good = [];
            foreach (var d in decoded)
            {
                CheckedFrame f = d.Frame;
                if ((f.Width, f.Height) != size)
                {
                    faults.Add(
                        new(
                            f.Frame,
                            f.File,
                            "size",
                            $"frame {f.Frame} is {f.Width} × {f.Height}; the others are {size.Width} × {size.Height}",
                            "Export the frame at the plate's size."
                        )
                    );
                }
                else if (f.Bits != depth)
                {
                    faults.Add(
                        new(
                            f.Frame,
                            f.File,
                            "depth",
                            $"frame {f.Frame} has {f.Bits} bits a channel; the others have {depth}",
                            "Export all frames with the same depth."
                        )
                    );
                }
                else
                {
                    good.Add(d);
                }
            }
        }
        int? first = byFrame.Count > 0 ? byFrame.Keys.First() : null,
            last = byFrame.Count > 0 ? byFrame.Keys.Last() : null;
        if (first is { } from && last is { } to)
        {
            if (expectedFirst is { } expected && from != expected)
            {
                faults.Add(
                    new(
                        from,
                        Path.GetFileName(byFrame[from].Name),
                        "start",
                        $"the sequence starts at {from}; {expected} was expected",
                        from == 0
                            ? "Numbering from 0 puts everything one frame off: set the first frame, or rename."
                            : "Set the first frame of the plate, or bring the missing ones."
                    )
                );
            }
            int missing = 0;
            for (long f = from; f <= to && missing < 10_000; f++)
            {
                if (byFrame.ContainsKey((int)f))
                {
                    continue;
                }
                missing++;
                faults.Add(new((int)f, null, "missing", $"frame {f} is missing", "Copy it from the source, or shorten the range."));
            }
        }
        else
        {
            faults.Add(
                new(
                    null,
                    null,
                    "missing",
                    "there is no numbered frame here (PNG, JPEG, TIFF, DPX or EXR)",
                    "Bring a folder of frames like plate.1001.png."
                )
            );
        }
        foreach (var (frame, file) in good)
        {
            stop.ThrowIfCancellationRequested();
            keep?.Invoke(frame, FrameIntake.Take(file.Read(), Path.GetFileName(file.Name)).Bytes);
        }
        return new(first, last, [.. good.Select(g => g.Frame)], [.. faults.OrderBy(f => f.Frame ?? int.MinValue)])
        {
            Encoding = encoding,
            Says = says,
            Timecode = timecode,
            Clip = clip,
            Note = note,
        };
    }
}
