using System.CommandLine;
using System.Diagnostics;
using System.Text.Json;
using Plenk.Core.Images;
using Plenk.Core.Tracking.Outlines;
using Plenk.Formats.Exr;
using Plenk.Formats.Outlines;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Cli;

internal static class FollowOutlineCommand
{
    public static Command Make()
    {
        var filmed = new FilmedSetArguments();
        filmed.Camera.Required = filmed.Set.Required = false;
        var outlines = new Option<string>("--outlines")
        {
            Description = "outlines.json: shapes with one key or more each",
            Required = true,
        };
        var frames = new Option<string>("--frames") { Description = "like 1001-1024", Required = true };
        var command = new Command(
            "follow-outline",
            "Follows drawn outlines over a range: matte.####.png (16 bit, white inside), outlines.json (every frame) and report.json. With camera "
                + "and set what stands still goes as these say, else as the picture looks."
        );
        filmed.AddTo(command, filmed.Plate, filmed.Camera, filmed.Set, outlines, frames, filmed.Out);
        command.SetGuarded(
            (parsed, stop) =>
            {
                string file = parsed.GetValue(outlines)!;
                if (
                    !CameraOptions.Folders(parsed.GetValue(filmed.Plate)!)
                    || !CameraOptions.Files(file)
                    || !FilmedSetArguments.Frames(parsed.GetValue(frames)!, out IReadOnlyList<int> list)
                )
                {
                    return Task.FromResult(2);
                }
                FilmedSet? place = null;
                if (parsed.GetValue(filmed.Camera) is not null || parsed.GetValue(filmed.Set) is not null)
                {
                    if (parsed.GetValue(filmed.Camera) is null || parsed.GetValue(filmed.Set) is null)
                    {
                        Console.Error.WriteLine("The set moves as its camera says: give --camera and --set together, or neither.");
                        return Task.FromResult(2);
                    }
                    if (!CameraOptions.Files(parsed.GetValue(filmed.Set)) || filmed.Read(parsed) is not { } options)
                    {
                        return Task.FromResult(2);
                    }
                    place = FilmedSet.Open(
                        parsed.GetValue(filmed.Plate)!,
                        parsed.GetValue(filmed.Camera)!,
                        parsed.GetValue(filmed.Set)!,
                        options,
                        stop
                    );
                    foreach (string warning in place.Warnings)
                    {
                        Console.Error.WriteLine(warning);
                    }
                }
                int first = list[0],
                    last = list[^1];
                long begun = Stopwatch.GetTimestamp();
                IReadOnlyList<NamedOutline> drawn = OutlineFile.Read(File.ReadAllBytes(file), Path.GetFileName(file));
                var folder = new PlateFolder(parsed.GetValue(filmed.Plate)!, filmed.Space(parsed), stop);
                var followed = OutlineWork.Follow(
                    folder,
                    drawn,
                    first,
                    last,
                    place,
                    share => CameraOptions.Progress("following", share),
                    stop
                );
                string to = parsed.GetValue(filmed.Out)!;
                Directory.CreateDirectory(to);
                foreach (int f in list)
                {
                    stop.ThrowIfCancellationRequested();
                    CodeImage codes = folder.Codes(f);
                    float[] matte = OutlineWork.Matte(
                        [.. followed.Select(o => (o.Outline, o.Frames.First(x => x.Frame == f).Curve))],
                        codes.Width,
                        codes.Height
                    );
                    ushort[] values = [.. matte.Select(a => (ushort)Math.Round(a * 65535))];
                    MediaStore.WriteWhole(
                        Path.Combine(to, $"matte.{f:0000}.png"),
                        RasterFile.ToPng(new CodeImage(codes.Width, codes.Height, 1, 16, values))
                    );
                }
                MediaStore.WriteWhole(
                    Path.Combine(to, "outlines.json"),
                    OutlineFile.Write([
                        .. followed.Select(o => o.Outline with { Keys = [.. o.Frames.Select(x => NamedOutline.KeyOf(x.Frame, x.Curve))] }),
                    ])
                );
                double seconds = Stopwatch.GetElapsedTime(begun).TotalSeconds;
                // Of several outlines the least sure tells, and the furthest drift.
                var report = new
                {
                    frames = list.Select(f =>
                    {
                        FollowedOutline[] own = [.. followed.Select(o => o.Frames.First(x => x.Frame == f))];
                        return new
                        {
                            frame = f,
                            confidence = Math.Round(own.Min(o => o.Confidence), 3),
                            drift_px = Math.Round(own.Max(o => o.DriftPixels), 3),
                        };
                    }),
                    // How far pictures brought over by camera and set are off, beside those brought over by their own motion.
                    place = followed
                        .Where(o => o.Place is not null)
                        .Select(o => new
                        {
                            outline = o.Outline.Name,
                            used = o.Place!.Holds,
                            off_by_set = double.IsNaN(o.Place.ByPlace) ? (double?)null : Math.Round(o.Place.ByPlace, 4),
                            off_by_picture = double.IsNaN(o.Place.ByPicture) ? (double?)null : Math.Round(o.Place.ByPicture, 4),
                            reached = Math.Round(o.Place.Reached, 3),
                        }),
                    seconds = Math.Round(seconds, 2),
                };
                MediaStore.WriteWhole(Path.Combine(to, "report.json"), JsonSerializer.SerializeToUtf8Bytes(report));
                foreach (var (outline, _, fit) in followed.Where(o => o.Place is not null))
                {
                    Console.WriteLine($"{outline.Name}: followed {OutlineWork.Told(fit)}.");
                }
                Console.WriteLine($"{list.Count} frames, {drawn.Count} outline{(drawn.Count == 1 ? "" : "s")}, {seconds:0.0} s.");
                return Task.FromResult(0);
            }
        );
        return command;
    }
}

internal static class PullMatteCommand
{
    public static Command Make()
    {
        var image = new Option<string>("--image") { Description = "the picture", Required = true };
        var trimap = new Option<string>("--trimap") { Description = "black outside, white inside, all else to be found", Required = true };
        var outFile = new Option<string>("--out")
        {
            Description = "EXR to write: A, and R, G, B of the clean foreground times A",
            Required = true,
        };
        var background = new Option<string?>("--background") { Description = "what is known to lie behind, as large as the picture" };
        var space = new SpaceOptions();
        var command = new Command(
            "pull-matte",
            "Finds coverage in a band whose sides are known, and the foreground without what shines through it; in linear light."
        )
        {
            image,
            trimap,
            outFile,
            background,
        };
        space.AddTo(command);
        command.SetGuarded(
            (parsed, stop) =>
            {
                string file = parsed.GetValue(image)!,
                    tones = parsed.GetValue(trimap)!;
                string? behind = parsed.GetValue(background);
                if (!CameraOptions.Files(file) || !CameraOptions.Files(tones) || (behind is not null && !CameraOptions.Files(behind)))
                {
                    return Task.FromResult(2);
                }
                long begun = Stopwatch.GetTimestamp();
                FloatImage picture = PullMatte.Linear(File.ReadAllBytes(file), Path.GetFileName(file), space.Read(parsed));
                float[] known = PullMatte.Known(
                    RasterFile.Read(File.ReadAllBytes(tones), Path.GetFileName(tones)),
                    Path.GetFileName(tones),
                    picture.Width,
                    picture.Height
                );
                FloatImage? place = behind is null
                    ? null
                    : PullMatte.Linear(File.ReadAllBytes(behind), Path.GetFileName(behind), space.Read(parsed));
                if (place is not null && (place.Width != picture.Width || place.Height != picture.Height))
                {
                    throw new ShotFault(
                        $"{Path.GetFileName(behind)} is {place.Width} × {place.Height}, and the picture {picture.Width} × {picture.Height}. Bring one as large."
                    );
                }
                var (alpha, fore) = PullMatte.Of(picture, known, place, share => CameraOptions.Progress("pulling the matte", share), stop);
                ExrFile.Write(
                    parsed.GetValue(outFile)!,
                    picture.Width,
                    picture.Height,
                    [.. ExrChannel.Of(fore, "RGB"), new ExrChannel("A", alpha)]
                );
                int found = known.Count(float.IsNaN);
                Console.WriteLine(
                    FormattableString.Invariant($"{found:N0} pixels found, {Stopwatch.GetElapsedTime(begun).TotalSeconds:0.0} s.")
                );
                return Task.FromResult(0);
            }
        );
        return command;
    }
}
