using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// Six frames that foreign code rendered (tests/data/court, with their camera), a patch laid over the filmed floor, another place in each:
/// as files for the command, and as a shot.
/// </summary>
internal sealed class PatchedCourt
{
    private const int Radius = 16;

    private static readonly string Court = Path.Combine(DemoShot.Repository, "tests", "data", "court");
    private readonly Dictionary<int, CodeImage> _patched = [];
    private readonly Dictionary<int, Pose> _poses = [];

    public Pinhole Camera { get; }

    /// <summary>By frame, as it was filmed before the patch was laid on it.</summary>
    public Dictionary<int, CodeImage> Was { get; } = [];

    /// <summary>By frame and pixel, where the patch lies.</summary>
    public Dictionary<int, bool[]> Gone { get; } = [];

    /// <param name="stays">The patch lies on one place of the floor in all frames.</param>
    public PatchedCourt(bool stays = false)
    {
        JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(Court, "truth.json"))).RootElement;
        double N(string key) => truth.GetProperty(key).GetDouble();
        Camera = new Pinhole(
            (int)N("width"),
            (int)N("height"),
            N("focal_px"),
            N("focal_px"),
            N("cx"),
            N("cy"),
            new Lens(N("k1"), N("k2"), 0, 0, 0)
        );
        int frame = 1001;
        foreach (JsonElement f in truth.GetProperty("frames").EnumerateArray().Take(6))
        {
            _poses[frame] = Pose.FromRowMajor16(
                [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())],
                out _
            )!.Value;
            CodeImage plate = RasterFile.Read(File.ReadAllBytes(Path.Combine(Court, $"plate.{frame}.png")), "plate");
            Assert.True(
                Camera.TryProject(_poses[frame], new(stays ? 0 : -1 + 0.35 * (frame - 1001), 0, 1.2), out double cx, out double cy)
            );
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
            (Was[frame], Gone[frame], _patched[frame]) = (plate, gone, plate with { Codes = codes });
            frame++;
        }
    }

    private byte[] Mask(int frame) =>
        RasterFile.ToPng(new CodeImage(Camera.Width, Camera.Height, 1, 8, [.. Gone[frame].Select(g => (ushort)(g ? 255 : 0))]));

    /// <summary>plate/, mask/, camera.csv and floor.obj in a folder.</summary>
    public void Write(string folder, Func<int, bool>? masked = null)
    {
        Directory.CreateDirectory(Path.Combine(folder, "plate"));
        Directory.CreateDirectory(Path.Combine(folder, "mask"));
        var csv = new StringBuilder("frame,tx,ty,tz,m11,m12,m13,m21,m22,m23,m31,m32,m33,focal_px,cx,cy,k1,k2,p1,p2,k3\n");
        foreach (var (frame, pose) in _poses)
        {
            double[] m = pose.ToRowMajor16();
            csv.Append(
                CultureInfo.InvariantCulture,
                $"{frame},{m[3]},{m[7]},{m[11]},{m[0]},{m[1]},{m[2]},{m[4]},{m[5]},{m[6]},{m[8]},{m[9]},{m[10]},{Camera.Fx},{Camera.Cx},{Camera.Cy},{Camera.Lens.K1},{Camera.Lens.K2},0,0,0\n"
            );
            File.WriteAllBytes(Path.Combine(folder, "plate", $"p.{frame}.png"), RasterFile.ToPng(_patched[frame]));
            if (masked?.Invoke(frame) ?? true)
            {
                File.WriteAllBytes(Path.Combine(folder, "mask", $"m.{frame}.png"), Mask(frame));
            }
        }
        File.WriteAllText(Path.Combine(folder, "camera.csv"), csv.ToString());
        File.WriteAllText(Path.Combine(folder, "floor.obj"), "o floor\nv -9 0 -4\nv 9 0 -4\nv 9 0 6\nv -9 0 6\nf 4 3 2 1\n");
    }

    /// <summary>A shot of it, the floor a plane, what is patched in the matte “patch”, which goes.</summary>
    public ShotDocument Shot(MediaStore media)
    {
        FrameSource Frames(Func<int, byte[]> bytes) =>
            new()
            {
                Frames = [.. _poses.Keys.Select(f => new PlateFrame(f, $"{f}.png", media.Write(bytes(f))))],
                Mapping = new(1001, 1001),
                Encoding = ColorEncoding.Linear,
            };
        return new()
        {
            Production = "DEMO",
            Sequence = "Q",
            Code = "Q_0010",
            Range = new(1001, 1006),
            Plate = new()
            {
                Width = Camera.Width,
                Height = Camera.Height,
                Frames = Frames(f => RasterFile.ToPng(_patched[f])).Frames,
            },
            Camera = new()
            {
                Width = Camera.Width,
                Height = Camera.Height,
                Lens = new(Camera.Lens.K1, Camera.Lens.K2, 0, 0, 0),
                Samples = [.. _poses.Select(p => new CameraSample(p.Key, p.Value.ToRowMajor16(), Camera.Fx, Camera.Cx, Camera.Cy))],
            },
            Pieces =
            [
                new()
                {
                    Id = "floor",
                    Name = "floor",
                    Kind = PieceKind.Plane,
                    Position = new(0, 0, 1),
                    Size = new(18, 1, 10),
                },
            ],
            Mattes =
            [
                new()
                {
                    Id = "patch",
                    Name = "patch",
                    Kind = MatteKind.Frames,
                    Frames = Frames(Mask),
                },
            ],
            CleanPlate = new() { Mattes = ["patch"] },
        };
    }
}
