using System.Diagnostics;
using Plenk.Core.Images;
using Plenk.Demo;
using Plenk.Formats.Raster;

string Option(string name, string fallback)
{
    int i = Array.IndexOf(args, name);
    return i >= 0 && i + 1 < args.Length ? args[i + 1] : fallback;
}

if (args.Length < 2 || args[0] is not ("make" or "package" or "truth") || args[1] != "BTH_0040")
{
    Console.Error.WriteLine("usage: demo/make BTH_0040 [--frames 1001-1072] [--out DIR] [--samples 12]   lossless frames");
    Console.Error.WriteLine("       demo/make BTH_0040 --package DIR [--quality 84]   what ships, from the frames in --out");
    Console.Error.WriteLine("       demo/make BTH_0040 --truth DIR [--samples 96]   E0, E1, S' and the bell's coverage");
    return 2;
}
string directory = Option("--out", Path.Combine("demo", "out", "BTH_0040"));
int samples = int.Parse(Option("--samples", "12"));
if (args[0] == "package")
{
    Package.Write(directory, Option("--package", Path.Combine("demo", "BTH_0040")), int.Parse(Option("--quality", "84")));
    return 0;
}
if (args[0] == "truth")
{
    Package.WriteDifferential(Option("--truth", Path.Combine("demo", "BTH_0040")), int.Parse(Option("--samples", "96")));
    return 0;
}
string[] range = Option("--frames", "1001-1072").Split('-');
Directory.CreateDirectory(directory);
var pieces = BathHall.Build();
var renderer = new HallRenderer(pieces);
for (int frame = int.Parse(range[0]); frame <= int.Parse(range[^1]); frame++)
{
    string path = Path.Combine(directory, $"BTH_0040.{frame}.png");
    if (File.Exists(path)) { continue; }
    var watch = Stopwatch.StartNew();
    FloatImage image = renderer.Plate(frame, samples);
    HallRenderer.AddNoise(image, frame);
    File.WriteAllBytes(path + ".tmp", RasterFile.ToPng(CodeImage.FromLinear(image, ColorEncoding.Srgb, 8)));
    File.Move(path + ".tmp", path);
    Console.WriteLine($"{frame}: {watch.Elapsed.TotalSeconds:0.0} s");
}
return 0;
