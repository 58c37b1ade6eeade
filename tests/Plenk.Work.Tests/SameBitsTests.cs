using Plenk.Core;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracking;
using Plenk.Formats.Cameras;
using Plenk.Formats.Sequences;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>What is computed does not hang on how many threads computed it.</summary>
public sealed class SameBitsTests
{
    private static readonly string Plate = Path.Combine(DemoShot.Folder, "plate");

    /// <summary>From the first 20 frames of the demo's plate, as files are handed on.</summary>
    private static IReadOnlyList<(string Name, byte[] Bytes)> Solved(int threads)
    {
        using IDisposable _ = Cores.Using(threads);
        PlateCheckResult check = PlateCheck.Check([
            .. Directory
                .GetFiles(Plate)
                .Order(StringComparer.Ordinal)
                .Take(20)
                .Select(f => new DeliveredFile(Path.GetFileName(f), () => File.ReadAllBytes(f))),
        ]);
        IReadOnlyList<Track> tracks = SolveWork.Follow(Plate, null, check, new() { Count = 160 });
        SolveResult result = SolveWork.Camera(
            CameraMoves.Travels,
            tracks,
            check.Frames[0].Frame,
            check.Frames[^1].Frame,
            new()
            {
                Width = 1280,
                Height = 720,
                RefineLens = Intrinsics.K1 | Intrinsics.K2,
                Seed = 1,
            }
        );
        Assert.True(result.Solved, result.Reason);
        return SolveFiles.Of(result, tracks, 1280, 720, 36, 20.25, new FrameRate(24, 1));
    }

    [Fact]
    public void A_solve_is_equal_byte_for_byte_on_one_two_and_seven_threads()
    {
        var one = Solved(1);
        foreach (int threads in (int[])[2, 7, 2])
        {
            var other = Solved(threads);
            Assert.Equal(one.Select(f => f.Name), other.Select(f => f.Name));
            foreach (var (a, b) in one.Zip(other))
            {
                Assert.True(a.Bytes.AsSpan().SequenceEqual(b.Bytes), $"{a.Name} differs on {threads} threads");
            }
        }
    }
}
