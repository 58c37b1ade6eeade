using NetVips;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Formats.Sequences;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>What names, sizes and files are taken as on their way in.</summary>
public sealed class IntakeTests
{
    [Theory]
    [InlineData("plate.1001.png", 1001)]
    [InlineData("plate_v003.1001.exr", 1001)]
    [InlineData("mov1001.jpg", 1001)]
    [InlineData("0001.dpx", 1)]
    [InlineData("roof_v003.png", null)]
    [InlineData("roof-V12.png", null)]
    [InlineData("v2.png", null)]
    [InlineData("roof.png", null)]
    [InlineData("a.99999999999.png", null)]
    public void A_version_is_no_frame(string name, int? frame) => Assert.Equal(frame, FrameNumber.Of(name));

    // 24 frames a second beside 48 and 60: of two as near, the later. The page is told, it does not round.
    [Fact]
    public void Frames_between_two_are_rounded_one_way()
    {
        var mapping = new FrameMapping(1001, 1001);
        Assert.Equal([1001, 1003, 1005], Enumerable.Range(1001, 3).Select(f => mapping.FrameAt(f, new(48, 1), new(24, 1))));
        Assert.Equal([1001, 1004, 1006, 1009, 1011], Enumerable.Range(1001, 5).Select(f => mapping.FrameAt(f, new(60, 1), new(24, 1))));
        Assert.Equal([1000, 1001, 1001, 1002, 1002], Enumerable.Range(999, 5).Select(f => mapping.FrameAt(f, new(12, 1), new(24, 1))));
        Assert.Equal([1001, 1002, 1003], Enumerable.Range(1001, 3).Select(f => mapping.FrameAt(f, new(24000, 1001), new(24, 1))));
    }

    // A small file can say it is huge: it is refused by its header, with what it needs and what there is, and nothing is allocated for it.
    [Fact]
    public void A_picture_beyond_the_memory_for_pictures_is_refused_with_both_numbers()
    {
        int side = (int)Math.Sqrt(PictureMemory.Bytes / 24.0) + 200;
        byte[] png;
        using (Image black = Image.Black(side, side, bands: 3))
        {
            png = black.PngsaveBuffer();
        }
        long before = GC.GetAllocatedBytesForCurrentThread();
        FormatFault refused = Assert.Throws<FormatFault>(() => RasterFile.Read(png, "huge.png"));
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, 4 << 20);
        Assert.Contains($"huge.png says it is {side} × {side} pixels of 3 channels: worked on it takes", refused.Message);
        Assert.Contains($"this server has {PictureMemory.Bytes / (double)(1 << 30):0.0} GiB for pictures", refused.Message);
        Assert.Throws<FormatFault>(() => RasterFile.Thumbnail(png, "huge.png", 100));
        // Planes count: as many as a file names, each of the picture's size.
        Assert.Throws<FormatFault>(() => PictureMemory.Check(8192, 8192, 4096, "many.exr"));
        Assert.Throws<FormatFault>(() => PictureMemory.Check(int.MaxValue, int.MaxValue, 4, "x"));
        Assert.Throws<FormatFault>(() => PictureMemory.Check(0, 7, 4, "x"));
        PictureMemory.Check(4096, 2160, 4, "a plate");
    }

    [Theory]
    [InlineData("2G", 2L << 30)]
    [InlineData("512 MiB", 512L << 20)]
    [InlineData("1.5g", 3L << 29)]
    [InlineData("1000", 1000L)]
    [InlineData("much", null)]
    [InlineData("-1G", null)]
    [InlineData("", null)]
    public void Memory_is_typed_with_its_unit(string text, long? bytes) => Assert.Equal(bytes, PictureMemory.Chosen(text));

    // glTF 2.0 and its published extension KHR_materials_transmission: a triangle with a morph, an animation and a pane's material.
    [Fact]
    public void What_a_glb_brings_and_is_not_worked_on_is_told()
    {
        var bytes = new List<byte>();
        void Floats(params float[] values)
        {
            foreach (float v in values)
            {
                bytes.AddRange(BitConverter.GetBytes(v));
            }
        }
        Floats(0, 0, 0, 1, 0, 0, 0, 1, 0); // positions
        Floats(0, 0, 1, 0, 0, 1, 0, 0, 1); // morph
        Floats(0, 1); // times
        Floats(0, 0, 0, 1, 1, 1); // places
        string json = $$$"""
            {"asset":{"version":"2.0"},"extensionsUsed":["KHR_materials_transmission"],"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0,"name":"pane"}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0,"targets":[{"POSITION":1}]}]}],
            "materials":[{"name":"glass","extensions":{"KHR_materials_transmission":{"transmissionFactor":0.9} } }],
            "animations":[{"name":"swing","channels":[{"sampler":0,"target":{"node":0,"path":"translation"}}],"samplers":[{"input":2,"output":3}]}],
            "buffers":[{"byteLength":{{{bytes.Count}}},"uri":"data:application/octet-stream;base64,{{{Convert.ToBase64String([
                .. bytes,
            ])}}}"}],
            "bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":36},{"buffer":0,"byteOffset":72,"byteLength":8},{"buffer":0,"byteOffset":80,"byteLength":24}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,1],"max":[0,0,1]},
            {"bufferView":2,"componentType":5126,"count":2,"type":"SCALAR","min":[0],"max":[1]},{"bufferView":3,"componentType":5126,"count":2,"type":"VEC3"}]}
            """;
        ImportedMesh mesh = ImportedMesh.Read(System.Text.Encoding.UTF8.GetBytes(json), "pane.gltf");
        Assert.Equal(1, mesh.Objects.Single().Mesh.TriangleCount);
        Assert.Contains(mesh.Warnings, w => w.Contains("Transmission of material “glass” is not worked on", StringComparison.Ordinal));
    }
}
