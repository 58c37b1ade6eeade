using System.Reflection;
using System.Text.RegularExpressions;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>What a document names of files is known: it is taken along, and asked for before it is kept.</summary>
public sealed class ShotMediaTests
{
    private static ShotDocument Empty =>
        new()
        {
            Production = "P",
            Sequence = "S",
            Code = "C",
        };

    private static FrameSource Frames(char of) => new() { Frames = [new(1, "a.1.png", new string(of, 64))] };

    [Fact]
    public void Pictures_behind_all_are_taken_along() =>
        Assert.Equal([new string('b', 64)], ShotFolder.MediaOf(Empty with { BackgroundFrames = Frames('b') }));

    // Whoever adds a member that names a file adds it here and to ShotFolder.MediaOf.
    [Fact]
    public void Every_member_that_names_a_file_is_known()
    {
        string[] known =
        [
            "BakedFootage.Tiles",
            "CleanPlateFrame.Given",
            "CleanPlateFrame.Media",
            "DepthFrame.Media",
            "Element.Frames",
            "Element.Media",
            "FrameSource.Frames",
            "GrainFreeCopy.Frames",
            "Lettering.FontMedia",
            "Light.Media",
            "Matte.Frames",
            "Matte.Frozen",
            "MovingObject.Media",
            "Piece.Media",
            "PassFrames.Frames",
            "PlateFrame.Media",
            "PlateLook.LutMedia",
            "PlateSource.Frames",
            "PointCloud.Media",
            "ProjectionSource.Media",
            "RippleSettings.Frames",
            "ShotDocument.BackgroundFrames",
            "SolveSource.Media",
            "TrackSource.Media",
        ];
        string[] found =
        [
            .. typeof(ShotDocument)
                .Assembly.GetTypes()
                .Where(t => t.Namespace == typeof(ShotDocument).Namespace && t.IsPublic)
                .SelectMany(t => t.GetProperties(BindingFlags.Public | BindingFlags.Instance).Where(p => p.DeclaringType == t))
                .Where(p =>
                    Regex.IsMatch(p.Name, "Media$|^Tiles$|^Given$")
                    || p.PropertyType == typeof(FrameSource)
                    || p.PropertyType == typeof(IReadOnlyList<PlateFrame>)
                )
                .Select(p => $"{p.DeclaringType!.Name}.{p.Name}"),
        ];
        Assert.Equal(known.Order(StringComparer.Ordinal), found.Order(StringComparer.Ordinal));
    }
}
