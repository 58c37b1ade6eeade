using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using Plenk.Core.Shots;

namespace Plenk.Formats.Sequences;

/// <summary>A video's frames as numbered PNG files, with their real times.</summary>
public sealed record VideoFrames(IReadOnlyList<string> Files, FrameRate Rate, IReadOnlyList<string> Notes);

/// <summary>Video in, through ffmpeg and ffprobe as processes of their own.</summary>
public static class VideoFile
{
    public static readonly string[] Extensions = [".mp4", ".mov", ".mkv", ".mxf", ".avi", ".webm", ".m4v"];

    private static readonly FrameRate[] Known =
    [
        new(24000, 1001),
        new(24, 1),
        new(25, 1),
        new(30000, 1001),
        new(30, 1),
        new(48, 1),
        new(50, 1),
        new(60000, 1001),
        new(60, 1),
    ];

    /// <summary>
    /// Decodes every frame into a folder, numbered from <paramref name="first"/>. No frame is made up or dropped; where times
    /// are uneven it is told which, as a camera solved at an even rate will not fit them.
    /// </summary>
    public static VideoFrames Decode(string path, string name, string folder, int first, CancellationToken stop = default)
    {
        // What it is is read off its first bytes, and it opens nothing but itself: a playlist under a film's name would read other files of this machine.
        string demuxer = Demuxer(path)
            ?? throw new FormatFault(
                "unreadable",
                $"{name} is no video inside, whatever its name says",
                "Export it as H.264 or ProRes in .mp4 or .mov, or as numbered frames."
            );
        string[] alone = ["-protocol_whitelist", "file", "-f", demuxer];
        string told = Run(
            "ffprobe",
            [
                "-v",
                "error",
                .. alone,
                "-select_streams",
                "v:0",
                "-show_entries",
                "stream=width,height,avg_frame_rate:frame=best_effort_timestamp_time",
                "-of",
                "json",
                path,
            ],
            stop,
            out bool good
        );
        long size = 0; // bytes of a decoded frame
        double[] times = [];
        FrameRate rate = new(24, 1);
        if (good)
        {
            using JsonDocument json = JsonDocument.Parse(told);
            if (
                json.RootElement.TryGetProperty("streams", out JsonElement streams)
                && streams.EnumerateArray().FirstOrDefault() is { ValueKind: JsonValueKind.Object } v
                && v.TryGetProperty("width", out JsonElement w)
                && v.TryGetProperty("height", out JsonElement h)
            )
            {
                PictureMemory.Check(w.GetInt64(), h.GetInt64(), 3, name);
                size = w.GetInt64() * h.GetInt64() * 3;
            }
            times = json.RootElement.TryGetProperty("frames", out JsonElement frames)
                ?
                [
                    .. frames
                        .EnumerateArray()
                        .Select(f =>
                            f.TryGetProperty("best_effort_timestamp_time", out JsonElement t)
                            && double.TryParse(t.GetString(), NumberStyles.Float, CultureInfo.InvariantCulture, out double v)
                                ? v
                                : double.NaN
                        ),
                ]
                : [];
        }
        if (times.Length == 0)
        {
            throw new FormatFault(
                "unreadable",
                $"{name} holds no video that can be read",
                "Export it again, as H.264 or ProRes in .mp4 or .mov, or as numbered frames."
            );
        }
        if (times.Length > 20_000)
        {
            throw new FormatFault("too_large", $"{name} has {times.Length:N0} frames; 20,000 are taken", "Cut it to the shot's range.");
        }
        Directory.CreateDirectory(folder);
        long room = new DriveInfo(Path.GetFullPath(folder)).AvailableFreeSpace,
            needs = size * times.Length;
        if (needs > room)
        {
            throw new FormatFault(
                "too_large",
                FormattableString.Invariant($"{name} decodes to up to {needs / 1e9:0.0} GB, and the disk has {room / 1e9:0.0} GB left"),
                "Cut it to the shot's range, or make room."
            );
        }
        var notes = new List<string>();
        double[] steps = [.. times.Zip(times.Skip(1), (a, b) => b - a).Where(double.IsFinite)];
        if (steps.Length > 0)
        {
            double middle = steps.Order().ElementAt(steps.Length / 2),
                whole = (times[^1] - times[0]) / (times.Length - 1);
            rate = Known.MinBy(r => Math.Abs(r.PerSecond - 1 / middle))!;
            if (Math.Abs(rate.PerSecond * middle - 1) > 0.005)
            {
                rate = new((int)Math.Round(1000 / middle), 1000);
            }
            int uneven = Array.FindIndex(steps, s => Math.Abs(s - middle) > 0.2 * middle);
            if (uneven >= 0)
            {
                notes.Add(
                    $"{name} has a variable rate: after frame {first + uneven} the next comes {steps[uneven] * 1000:0.0} ms later instead "
                        + $"of {middle * 1000:0.0} ms ({steps.Count(s => Math.Abs(s - middle) > 0.2 * middle)} such places). All frames are kept "
                        + "as they are; a movement will seem to jump there. Record at a constant rate, or use the original camera file."
                );
            }
            else if (Math.Abs(whole / middle - 1) > 0.01)
            {
                notes.Add($"{name} runs at {1 / whole:0.###} frames a second over its length, at {1 / middle:0.###} from frame to frame.");
            }
        }
        string said = Run(
            "ffmpeg",
            [
                "-v",
                "error",
                "-xerror",
                .. alone,
                "-i",
                path,
                "-map",
                "0:v:0",
                "-fps_mode",
                "passthrough",
                "-start_number",
                first.ToString(CultureInfo.InvariantCulture),
                Path.Combine(folder, "frame.%07d.png"),
            ],
            stop,
            out good
        );
        string[] files = [.. Directory.GetFiles(folder, "frame.*.png").Order(StringComparer.Ordinal)];
        if (files.Length == 0)
        {
            throw new FormatFault("unreadable", $"{name} cannot be decoded: {said.Split('\n')[0]}", "Export it again.");
        }
        if (!good || files.Length < times.Length)
        {
            notes.Add(
                $"{name} ends after {files.Length} of {times.Length} frames; the file may be cut off. Copy it again from its source."
            );
        }
        return new(files, rate, notes);
    }

    /// <summary>Pictures of one size as H.264, tagged BT.709; read back, so that a movie that lacks frames is no movie.</summary>
    public static void Encode(string path, IReadOnlyList<string> pictures, FrameRate rate, CancellationToken stop = default)
    {
        string list = path + ".list",
            made = path + ".making.mp4";
        try
        {
            File.WriteAllLines(list, pictures.Select(p => $"file '{Path.GetFullPath(p).Replace("'", "'\\''", StringComparison.Ordinal)}'"));
            string said = Run(
                "ffmpeg",
                [
                    "-v",
                    "error",
                    "-y",
                    "-r",
                    $"{rate.Num}/{rate.Den}",
                    "-f",
                    "concat",
                    "-safe",
                    "0",
                    "-i",
                    list,
                    "-vf",
                    "scale=trunc(iw/2)*2:trunc(ih/2)*2:out_color_matrix=bt709:out_range=tv,format=yuv420p",
                    "-r",
                    $"{rate.Num}/{rate.Den}",
                    "-c:v",
                    "libx264",
                    "-crf",
                    "16",
                    "-preset",
                    "medium",
                    "-colorspace",
                    "bt709",
                    "-color_primaries",
                    "bt709",
                    "-color_trc",
                    "bt709",
                    "-movflags",
                    "+faststart",
                    made,
                ],
                stop,
                out bool good
            );
            if (!good)
            {
                throw new FormatFault(
                    "file",
                    $"The movie could not be made: {said.Split('\n')[0]}",
                    "Check the room on the disk; the frames themselves are there."
                );
            }
            string counted = Run(
                    "ffprobe",
                    [
                        "-v",
                        "error",
                        "-count_frames",
                        "-select_streams",
                        "v:0",
                        "-show_entries",
                        "stream=nb_read_frames",
                        "-of",
                        "csv=p=0",
                        made,
                    ],
                    stop,
                    out _
                )
                .Trim()
                .TrimEnd(',');
            if (counted != pictures.Count.ToString(CultureInfo.InvariantCulture))
            {
                throw new FormatFault(
                    "file",
                    $"The movie holds {counted} of {pictures.Count} frames",
                    "Make it again; the frames themselves are there."
                );
            }
            File.Move(made, path, overwrite: true);
        }
        finally
        {
            File.Delete(list);
            File.Delete(made);
        }
    }

    /// <summary>
    /// The container by its signature: ISO 14496-12 (a box type after its length), EBML (RFC 8794), RIFF AVI, MXF (SMPTE 377-1). Null: none
    /// of them.
    /// </summary>
    private static string? Demuxer(string path)
    {
        Span<byte> head = stackalloc byte[16];
        using (FileStream file = File.OpenRead(path))
        {
            if (file.ReadAtLeast(head, head.Length, throwOnEndOfStream: false) < head.Length)
            {
                return null;
            }
        }
        string type = System.Text.Encoding.Latin1.GetString(head[4..8]);
        return type is "ftyp" or "moov" or "mdat" or "wide" or "free" or "skip" ? "mov"
            : head[..4].SequenceEqual((ReadOnlySpan<byte>)[0x1A, 0x45, 0xDF, 0xA3]) ? "matroska"
            : head[..4].SequenceEqual("RIFF"u8) && head[8..12].SequenceEqual("AVI "u8) ? "avi"
            : head[..4].SequenceEqual((ReadOnlySpan<byte>)[0x06, 0x0E, 0x2B, 0x34]) ? "mxf"
            : null;
    }

    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    /// <summary>Of memory and of any file that it writes, bytes; of processor time, seconds.</summary>
    private static readonly string[] Limits = ["--as=8589934592", "--fsize=8589934592", "--cpu=7200", "--"];

    private static string Run(string program, string[] arguments, CancellationToken stop, out bool good)
    {
        var start = new ProcessStartInfo("prlimit", [.. Limits, program, .. arguments])
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        Process process;
        try
        {
            process = Process.Start(start)!;
        }
        catch (System.ComponentModel.Win32Exception)
        {
            throw new FormatFault(
                "file",
                $"Video needs {program}, which is not on this machine",
                "Install Debian's ffmpeg, or bring numbered frames."
            );
        }
        using var late = new CancellationTokenSource(Longest);
        using (process)
        using (
            late.Token.Register(() =>
            {
                try
                {
                    process.Kill();
                }
                catch (InvalidOperationException) { }
            })
        )
        using (
            stop.Register(() =>
            {
                try
                {
                    process.Kill();
                }
                catch (InvalidOperationException) { }
            })
        )
        {
            Task<string> error = process.StandardError.ReadToEndAsync(stop);
            string output = process.StandardOutput.ReadToEnd();
            process.WaitForExit();
            stop.ThrowIfCancellationRequested();
            if (process.ExitCode == 127)
            {
                throw new FormatFault(
                    "file",
                    $"Video needs {program}, which is not on this machine",
                    "Install Debian's ffmpeg, or bring numbered frames."
                );
            }
            if (late.IsCancellationRequested)
            {
                throw new FormatFault(
                    "too_large",
                    $"The video took more than {Longest.TotalMinutes:0} minutes and was given up",
                    "Cut it to the shot's range."
                );
            }
            good = process.ExitCode == 0;
            return good ? output : error.Result;
        }
    }
}
