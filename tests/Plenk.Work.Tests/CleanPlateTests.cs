using System.Globalization;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// clean-plate on six frames that foreign code rendered (tests/data/court, with their camera): a patch is laid over the filmed floor,
/// another place in each frame, and what comes back is held against the frames as they were.
/// </summary>
public sealed class CleanPlateTests : CommandSite
{
    private const int Radius = 16;
    private readonly Dictionary<int, CodeImage> _was = [];
    private readonly Dictionary<int, bool[]> _gone = [];
    private string Court => Path.Combine(DemoShot.Repository, "tests", "data", "court");

    private void Laid(Func<int, bool>? masked = null, bool stays = false)
    {
        Directory.CreateDirectory(Path.Combine(Folder, "plate"));
        Directory.CreateDirectory(Path.Combine(Folder, "mask"));
        JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(Court, "truth.json"))).RootElement;
        double N(string key) => truth.GetProperty(key).GetDouble();
        var camera = new Pinhole(
            (int)N("width"),
            (int)N("height"),
            N("focal_px"),
            N("focal_px"),
            N("cx"),
            N("cy"),
            new Lens(N("k1"), N("k2"), 0, 0, 0)
        );
        int k = 0;
        var csv = new System.Text.StringBuilder("frame,tx,ty,tz,m11,m12,m13,m21,m22,m23,m31,m32,m33,focal_px,cx,cy,k1,k2,p1,p2,k3\n");
        foreach (JsonElement f in truth.GetProperty("frames").EnumerateArray().Take(6))
        {
            int frame = 1001 + k;
            Pose pose = Pose.FromRowMajor16(
                [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())],
                out _
            )!.Value;
            double[] m = [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())];
            csv.Append(
                CultureInfo.InvariantCulture,
                $"{frame},{m[3]},{m[7]},{m[11]},{m[0]},{m[1]},{m[2]},{m[4]},{m[5]},{m[6]},{m[8]},{m[9]},{m[10]},{N("focal_px")},{N("cx")},{N("cy")},{N("k1")},{N("k2")},0,0,0\n"
            );
            CodeImage plate = RasterFile.Read(File.ReadAllBytes(Path.Combine(Court, $"plate.{frame}.png")), "plate");
            Assert.True(camera.TryProject(pose, new(stays ? 0 : -1 + 0.35 * k, 0, 1.2), out double cx, out double cy));
            var gone = new bool[plate.Width * plate.Height];
            ushort[] codes = [.. plate.Codes];
            for (int i = 0; i < gone.Length; i++)
            {
                double dx = i % plate.Width + 0.5 - cx,
                    dy = i / plate.Width + 0.5 - cy;
                if (gone[i] = dx * dx + dy * dy < Radius * Radius)
                {
                    for (int c = 0; c < 3; c++)
                    {
                        codes[i * plate.Channels + c] = (ushort)(40 + 60 * c);
                    }
                }
            }
            (_was[frame], _gone[frame]) = (plate, gone);
            File.WriteAllBytes(Path.Combine(Folder, "plate", $"p.{frame}.png"), RasterFile.ToPng(plate with { Codes = codes }));
            if (masked?.Invoke(frame) ?? true)
            {
                File.WriteAllBytes(
                    Path.Combine(Folder, "mask", $"m.{frame}.png"),
                    RasterFile.ToPng(new CodeImage(plate.Width, plate.Height, 1, 8, [.. gone.Select(g => (ushort)(g ? 255 : 0))]))
                );
            }
            k++;
        }
        File.WriteAllText(Path.Combine(Folder, "camera.csv"), csv.ToString());
        File.WriteAllText(Path.Combine(Folder, "floor.obj"), "o floor\nv -9 0 -4\nv 9 0 -4\nv 9 0 6\nv -9 0 6\nf 4 3 2 1\n");
    }

    private string Command =>
        $"clean-plate --plate {Folder}/plate --camera {Folder}/camera.csv --set {Folder}/floor.obj --mask {Folder}/mask --out {Folder}/out";

    private JsonElement Report => JsonDocument.Parse(File.ReadAllText(Path.Combine(Folder, "out", "report.json"))).RootElement;

    [Fact]
    public void What_lies_in_a_mask_gives_way_to_what_other_frames_saw()
    {
        Laid();
        var (exit, _, error) = Run($"{Command} --frames 1001-1006");
        Assert.True(exit == 0, error);
        double squares = 0;
        int n = 0;
        foreach (var (frame, was) in _was)
        {
            ExrPicture clean = ExrFile.Read(Path.Combine(Folder, "out", $"clean.{frame}.exr"));
            float[] how = clean.Any("A")!;
            FloatImage rgb = clean.Layer("RGB")!,
                meant = was.ToLinear(ColorEncoding.Srgb);
            for (int i = 0; i < how.Length; i++)
            {
                Assert.Equal(_gone[frame][i], how[i] > 0);
                for (int c = 0; c < 3; c++)
                {
                    if (_gone[frame][i])
                    {
                        double off = rgb.Data[3 * i + c] - meant.Data[3 * i + c];
                        (squares, n) = (squares + off * off, n + 1);
                    }
                    else
                    {
                        // Outside, encoded again, the plate's own code.
                        Assert.Equal(
                            was.Codes[i * was.Channels + c],
                            ColorEncodings.ToCode(ColorEncoding.Srgb, rgb.Data[3 * i + c], was.Bits)
                        );
                    }
                }
            }
        }
        double psnr = -10 * Math.Log10(squares / n);
        Assert.True(psnr > 30, $"{psnr:0.0} dB");
        JsonElement first = Report.GetProperty("frames")[0];
        Assert.Equal(1001, first.GetProperty("frame").GetInt32());
        Assert.Equal(_gone[1001].Count(g => g), first.GetProperty("masked").GetInt32());
        Assert.Equal(1, first.GetProperty("taken").GetDouble() + first.GetProperty("filled").GetDouble(), 1e-4);
        Assert.True(first.GetProperty("taken").GetDouble() > 0.95);
        Assert.DoesNotContain(1001, first.GetProperty("from").EnumerateArray().Select(f => f.GetInt32()));
        // Without grain it is another picture, and the same twice over.
        byte[] Bytes(int frame) => File.ReadAllBytes(Path.Combine(Folder, "out", $"clean.{frame}.exr"));
        byte[] grainy = Bytes(1003);
        Assert.Equal(0, Run($"{Command} --frames 1003 --grain off").Exit);
        byte[] once = Bytes(1003);
        Assert.NotEqual(grainy, once);
        Assert.Equal(0, Run($"{Command} --frames 1003 --grain off").Exit);
        Assert.Equal(once, Bytes(1003));
    }

    [Fact]
    public void What_no_frame_saw_is_filled_and_said()
    {
        Laid(stays: true);
        var (exit, _, error) = Run($"{Command} --frames 1001,1002");
        Assert.True(exit == 0, error);
        Assert.Contains("was seen in no frame", error);
        Assert.True(Report.GetProperty("frames")[0].GetProperty("filled").GetDouble() > 0.5);
        ExrPicture clean = ExrFile.Read(Path.Combine(Folder, "out", "clean.1001.exr"));
        FloatImage rgb = clean.Layer("RGB")!;
        // Of the patch that was laid there nothing is left: it was blue, the floor is not.
        int blue = Enumerable.Range(0, _gone[1001].Length).Count(i => _gone[1001][i] && rgb.Data[3 * i + 2] > 2 * rgb.Data[3 * i]);
        Assert.Equal(0, blue);
    }

    [Fact]
    public void Masks_that_do_not_fit_are_refused_by_name()
    {
        Laid(masked: f => f != 1004);
        var (exit, _, error) = Run($"{Command} --frames 1001-1006");
        Assert.Equal(3, exit);
        Assert.Contains("no mask for frame 1004", error);
        Assert.False(Directory.Exists(Path.Combine(Folder, "out")));
        File.WriteAllBytes(Path.Combine(Folder, "mask", "m.1004.png"), RasterFile.ToPng(new CodeImage(8, 8, 1, 8, new ushort[64])));
        (exit, _, error) = Run($"{Command} --frames 1001-1006");
        Assert.Equal(3, exit);
        Assert.Contains("m.1004.png is 8 × 8", error);
        Assert.Equal(2, Run($"{Command} --frames 1001-1006 --grain maybe").Exit);
        // Empty ones take nothing out, which is said.
        foreach (var (frame, gone) in _gone)
        {
            CodeImage was = _was[frame];
            File.WriteAllBytes(
                Path.Combine(Folder, "mask", $"m.{frame}.png"),
                RasterFile.ToPng(new CodeImage(was.Width, was.Height, 1, 8, new ushort[gone.Length]))
            );
        }
        (exit, _, error) = Run($"{Command} --frames 1001,1002");
        Assert.True(exit == 0, error);
        Assert.Contains("nothing is taken out", error);
        Assert.Equal(0, Report.GetProperty("frames")[0].GetProperty("masked").GetInt32());
    }
}
