using System.Diagnostics;
using Plenk.Core.Images;
using Plenk.Demo;
using Plenk.Formats.Raster;

string Option(string name, string fallback)
{
    int i = Array.IndexOf(args, name);
    return i >= 0 && i + 1 < args.Length ? args[i + 1] : fallback;
}

if (args is ["shelf", ..])
{
    ShelfPackage.Write(Option("--out", Path.Combine("demo", "shelf")), int.Parse(Option("--samples", "64")));
    return 0;
}
FilmedShot? shot = args.Length < 2 ? null : FilmedShot.All.FirstOrDefault(s => s.Code == args[1]);
if (shot is null || args[0] is not ("make" or "package" or "truth") || (args[0] == "truth" && shot != FilmedShot.Bell))
{
    Console.Error.WriteLine("usage: demo/make SHOT [--frames 1001-1072] [--out DIR] [--samples 12]   lossless frames");
    Console.Error.WriteLine("       demo/make SHOT --package DIR [--quality 84]   what ships, from the frames in --out");
    Console.Error.WriteLine("       demo/make BTH_0040 --truth DIR [--samples 96]   E0, E1, S' and the bell's coverage");
    Console.Error.WriteLine(
        "       demo/make BTH_0040 --closed DIR [--frames 1036] [--samples 256]   the bell as if it had been filmed, about its bounds, without noise"
    );
    Console.Error.WriteLine("       demo/make BTH_0040 --around DIR [--samples 256]   the panorama shot where the bell will stand");
    Console.Error.WriteLine("       demo/make shelf [--out demo/shelf] [--samples 64]   what lies on the demo's shelf");
    Console.Error.WriteLine($"shots: {string.Join(", ", FilmedShot.All.Select(s => s.Code))}");
    return 2;
}
string directory = Option("--out", Path.Combine("demo", "out", shot.Code));
int samples = int.Parse(Option("--samples", "12"));
if (args[0] == "package")
{
    string to = Option("--package", Path.Combine("demo", shot.Code));
    int quality = int.Parse(Option("--quality", "84"));
    if (shot == FilmedShot.Bell)
    {
        Package.Write(directory, to, quality);
    }
    else
    {
        ShotPackage.Write(shot, directory, to, quality);
    }
    return 0;
}
if (args[0] == "truth")
{
    Package.WriteDifferential(Option("--truth", Path.Combine("demo", shot.Code)), int.Parse(Option("--samples", "96")));
    return 0;
}
if (args.Contains("--around") && shot == FilmedShot.Bell)
{
    Package.WriteAround(Option("--around", Path.Combine("demo", shot.Code)), int.Parse(Option("--samples", "256")));
    return 0;
}
if (args.Contains("--closed") && shot == FilmedShot.Bell)
{
    Package.WriteClosed(
        Option("--closed", Path.Combine("demo", shot.Code)),
        int.Parse(Option("--frames", "1036")),
        int.Parse(Option("--samples", "256"))
    );
    return 0;
}
string[] range = Option("--frames", $"{FilmedShot.FirstFrame}-{FilmedShot.FirstFrame + shot.FrameCount - 1}").Split('-');
Directory.CreateDirectory(directory);
var renderer = new HallRenderer(shot);
FloatImage? locked = null;
for (int frame = int.Parse(range[0]); frame <= int.Parse(range[^1]); frame++)
{
    string path = Path.Combine(directory, $"{shot.Code}.{frame}.png");
    if (File.Exists(path))
    {
        continue;
    }
    var watch = Stopwatch.StartNew();
    locked = shot.LockedOff ? locked ?? renderer.Plate(frame, samples) : renderer.Plate(frame, samples);
    var image = new FloatImage(locked.Width, locked.Height, 3, [.. locked.Data.Select((v, i) => v * shot.Gain[i % 3])]);
    // What stands behind a comp gets the plate's grain there.
    if (shot != FilmedShot.Cleared)
    {
        HallRenderer.AddNoise(image, frame);
    }
    File.WriteAllBytes(path + ".tmp", RasterFile.ToPng(CodeImage.FromLinear(image, ColorEncoding.Srgb, 8)));
    File.Move(path + ".tmp", path);
    Console.WriteLine($"{frame}: {watch.Elapsed.TotalSeconds:0.0} s");
}
return 0;
