using System.Text.Json;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>clean-plate on the <see cref="PatchedCourt"/>: what comes back is held against the frames as they were.</summary>
public sealed class CleanPlateTests : CommandSite
{
    private PatchedCourt _court = new();

    private void Laid(Func<int, bool>? masked = null, bool stays = false)
    {
        _court = new(stays);
        _court.Write(Folder, masked);
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
        foreach (var (frame, was) in _court.Was)
        {
            ExrPicture clean = ExrFile.Read(Path.Combine(Folder, "out", $"clean.{frame}.exr"));
            float[] how = clean.Any("A")!;
            FloatImage rgb = clean.Layer("RGB")!,
                meant = was.ToLinear(ColorEncoding.Srgb);
            for (int i = 0; i < how.Length; i++)
            {
                Assert.Equal(_court.Gone[frame][i], how[i] > 0);
                for (int c = 0; c < 3; c++)
                {
                    if (_court.Gone[frame][i])
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
        Assert.Equal(_court.Gone[1001].Count(g => g), first.GetProperty("masked").GetInt32());
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
        int blue = Enumerable
            .Range(0, _court.Gone[1001].Length)
            .Count(i => _court.Gone[1001][i] && rgb.Data[3 * i + 2] > 2 * rgb.Data[3 * i]);
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
        foreach (var (frame, gone) in _court.Gone)
        {
            CodeImage was = _court.Was[frame];
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
