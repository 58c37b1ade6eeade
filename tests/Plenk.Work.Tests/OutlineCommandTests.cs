using System.Text.Json;
using Plenk.Formats.Exr;
using Plenk.Formats.Outlines;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Outlines followed and mattes pulled by command, as a shell runs them.</summary>
public sealed class OutlineCommandTests : IDisposable
{
    private const int Width = 120,
        Height = 80;
    private readonly string _folder = Directory.CreateTempSubdirectory("plenk-outline-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private string At(string name) => Path.Combine(_folder, name);

    private static (int Exit, string Out, string Error) Run(string command) => PlenkCommand.Run(command);

    /// <summary>A bright speckled square that goes right by 3 px a frame, before a dark speckled wall.</summary>
    private void Plate(int count)
    {
        Directory.CreateDirectory(At("plate"));
        for (int f = 0; f < count; f++)
        {
            var codes = new ushort[3 * Width * Height];
            for (int i = 0; i < Width * Height; i++)
            {
                int x = i % Width,
                    y = i / Width;
                bool isIn = x >= 30 + 3 * f && x < 60 + 3 * f && y >= 25 && y < 55;
                int speckle = (int)(Core.Tracing.Sampling.Hash((uint)((isIn ? x - 3 * f : x + 500) / 2 * 977 + y / 2 * 7919)) % 60);
                for (int c = 0; c < 3; c++)
                {
                    codes[3 * i + c] = (ushort)(isIn ? 150 + speckle - 15 * c : 40 + speckle / 2 + 12 * c);
                }
            }
            File.WriteAllBytes(At($"plate/p.{1001 + f}.png"), RasterFile.ToPng(new CodeImage(Width, Height, 3, 8, codes)));
        }
    }

    [Fact]
    public void Outlines_are_followed_into_mattes_a_file_and_a_report()
    {
        Plate(5);
        // A key has two points more than the other; a second outline takes its upper half away.
        File.WriteAllText(
            At("outlines.json"),
            """
            [{"name":"square","keys":[
               {"frame":1001,"closed":true,"points":[{"x":30,"y":25},{"x":60,"y":25},{"x":60,"y":55},{"x":30,"y":55}]},
               {"frame":1005,"closed":true,"points":[{"x":42,"y":25},{"x":57,"y":25},{"x":72,"y":25},{"x":72,"y":55},{"x":57,"y":55},{"x":42,"y":55}]}]},
             {"name":"rope","join":"away","width":4,"strength":0.5,"keys":[
               {"frame":1001,"closed":false,"points":[{"x":32,"y":40},{"x":58,"y":40}]}]}]
            """
        );
        string command =
            $"follow-outline --plate '{At("plate")}' --outlines '{At("outlines.json")}' --frames 1001-1005 --out '{At("out")}'";
        var (exit, said, error) = Run(command);
        Assert.True(exit == 0, error);
        Assert.Contains("5 frames, 2 outlines", said, StringComparison.Ordinal);
        for (int f = 0; f < 5; f++)
        {
            CodeImage matte = RasterFile.Read(File.ReadAllBytes(At($"out/matte.{1001 + f}.png")), "matte");
            Assert.Equal((Width, Height, 16), (matte.Width, matte.Height, matte.Bits));
            double wrong = 0;
            for (int i = 0; i < Width * Height; i++)
            {
                int x = i % Width,
                    y = i / Width;
                double own = matte.Codes[i] / 65535.0;
                // Not beside edges, nor where the rope takes half away.
                if (y is > 34 and < 46)
                {
                    continue;
                }
                bool isIn = x >= 30 + 3 * f && x < 60 + 3 * f && y >= 25 && y < 55;
                wrong += Math.Abs(own - (isIn ? 1 : 0));
            }
            Assert.InRange(wrong, 0, 60);
            Assert.Equal(0.5, matte.Codes[40 * Width + 45 + 3 * f] / 65535.0, 0.05);
        }
        IReadOnlyList<NamedOutline> back = OutlineFile.Read(File.ReadAllBytes(At("out/outlines.json")), "outlines.json");
        Assert.Equal([5, 5], back.Select(o => o.Keys.Count));
        Assert.All(back, o => Assert.Single(o.Keys.Select(k => k.Points.Count).Distinct()));
        JsonElement report = JsonDocument.Parse(File.ReadAllText(At("out/report.json"))).RootElement;
        Assert.Equal(5, report.GetProperty("frames").GetArrayLength());
        Assert.All(report.GetProperty("frames").EnumerateArray(), f => Assert.InRange(f.GetProperty("confidence").GetDouble(), 0, 1));
        Assert.True(report.GetProperty("seconds").GetDouble() > 0);

        // A camera without its set tells no motion; both do: here a wall that stands still, and a camera that does.
        Assert.Contains("--camera and --set together", Run($"{command} --camera '{At("camera.csv")}'").Error, StringComparison.Ordinal);
        File.WriteAllText(
            At("camera.csv"),
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_px\n" + string.Concat(Enumerable.Range(1001, 5).Select(f => $"{f},0,0,0,0,0,0,1,120\n"))
        );
        File.WriteAllText(At("wall.obj"), "v -9 -9 -5\nv 9 -9 -5\nv 9 9 -5\nv -9 9 -5\nf 1 2 3 4\n");
        string placedBy = $"{command.Replace("out'", "out2'")} --camera '{At("camera.csv")}' --set '{At("wall.obj")}'";
        var (withPlace, helped, told) = Run(placedBy);
        Assert.True(withPlace == 0, told);
        Assert.Contains("square: followed with camera and set.", helped, StringComparison.Ordinal);
        JsonElement placed = JsonDocument
            .Parse(File.ReadAllText(At("out2/outlines.json")))
            .RootElement[0]
            .GetProperty("keys")[2]
            .GetProperty("points");
        Assert.Equal(36, placed.EnumerateArray().Min(p => p.GetProperty("x").GetDouble()), 1.0);

        // A camera that did not film this carries the picture worse than it carries itself: then it is left aside, and that is told.
        File.WriteAllText(
            At("camera.csv"),
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_px\n"
                + string.Concat(Enumerable.Range(1001, 5).Select(f => $"{f},{0.1 * (f - 1001)},0,0,0,0,0,1,120\n"))
        );
        var (aside, why, _) = Run(placedBy);
        Assert.Equal(0, aside);
        Assert.Contains("followed by the picture alone, as camera and set carry it worse", why, StringComparison.Ordinal);
        JsonElement place = JsonDocument.Parse(File.ReadAllText(At("out2/report.json"))).RootElement.GetProperty("place")[0];
        Assert.False(place.GetProperty("used").GetBoolean());
        Assert.True(place.GetProperty("off_by_set").GetDouble() > place.GetProperty("off_by_picture").GetDouble());

        // What is wrong with them is said by their names.
        void Refused(string json, string says)
        {
            File.WriteAllText(At("outlines.json"), json);
            var (code, _, reason) = Run(command);
            Assert.NotEqual(0, code);
            Assert.Contains(says, reason, StringComparison.Ordinal);
            Assert.DoesNotContain("   at ", reason, StringComparison.Ordinal);
        }
        Refused("[{", "cannot be read, line 1");
        Refused("[]", "holds no outline");
        Refused("""[{"name":"a","keys":[{"frame":1001,"points":[{"x":1,"y":1}]}]}]""", "has 1 points at 1001");
        Refused(
            """[{"name":"a","keys":[{"frame":900,"points":[{"x":1,"y":1},{"x":9,"y":1},{"x":9,"y":9}]}]}]""",
            "key at 900, and the plate has 1001 to 1005"
        );
        Refused(
            """[{"name":"a","keys":[{"frame":1001,"closed":false,"points":[{"x":1,"y":1},{"x":9,"y":1}]}]}]""",
            "is open and has no width"
        );
    }

    // C = α F + (1 − α) B in linear light; the file has α F (the house's way with alpha).
    [Fact]
    public void A_matte_is_pulled_into_alpha_and_a_clean_foreground()
    {
        var codes = new ushort[3 * Width * Height];
        var tones = new ushort[Width * Height];
        double Alpha(int x) => Math.Clamp((x - 40) / 40.0, 0, 1);
        for (int i = 0; i < Width * Height; i++)
        {
            double a = Alpha(i % Width);
            double[] f = [0.6, 0.3, 0.1],
                b = [0.02, 0.5, 0.05];
            for (int c = 0; c < 3; c++)
            {
                codes[3 * i + c] = (ushort)
                    Core.Images.ColorEncodings.ToCode(Core.Images.ColorEncoding.Srgb, (float)(a * f[c] + (1 - a) * b[c]), 16);
            }
            tones[i] = (ushort)(
                a == 0 ? 0
                : a == 1 ? 255
                : 128
            );
        }
        File.WriteAllBytes(At("c.png"), RasterFile.ToPng(new CodeImage(Width, Height, 3, 16, codes)));
        File.WriteAllBytes(At("t.png"), RasterFile.ToPng(new CodeImage(Width, Height, 1, 8, tones)));
        string command = $"pull-matte --image '{At("c.png")}' --trimap '{At("t.png")}' --out '{At("m.exr")}'";
        var (exit, _, error) = Run(command);
        Assert.True(exit == 0, error);
        ExrPicture made = ExrFile.Read(File.ReadAllBytes(At("m.exr")), "m.exr");
        float[] Channel(string name) => made.Channels.First(c => c.Name == name).Values;
        for (int x = 0; x < Width; x++)
        {
            int i = 40 * Width + x;
            Assert.Equal(Alpha(x), Channel("A")[i], 0.02);
            Assert.Equal(Alpha(x) * 0.6, Channel("R")[i], 0.02);
            Assert.Equal(Alpha(x) * 0.3, Channel("G")[i], 0.02);
        }
        File.WriteAllBytes(At("t.png"), RasterFile.ToPng(new CodeImage(Width, Height, 1, 8, new ushort[Width * Height])));
        Assert.Contains("inside (white)", Run(command).Error, StringComparison.Ordinal);
        File.WriteAllBytes(At("t.png"), RasterFile.ToPng(new CodeImage(8, 8, 1, 8, new ushort[64])));
        Assert.Contains("8 × 8", Run(command).Error, StringComparison.Ordinal);
    }
}
