using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Parts cut loose from flat faces, against areas and volumes by hand.</summary>
public class CutLooseTests
{
    private static readonly Vec3[] Door = [new(-0.5, 0.2, 1), new(0.5, 0.2, 1), new(0.5, 1.8, 1), new(-0.5, 1.8, 1)];

    private static CutPart Cut(IReadOnlyList<Vec3> outline, double thickness = 0.1, double pocket = 0) =>
        CutLoose.Of(PieceMeshes.Box(new(4, 3, 2)), outline, Vec3.UnitZ, Vec3.UnitY, thickness, pocket);

    private static double Open(TriangleMesh mesh, Vec3 from)
    {
        var scene = new TraceScene([new(new MeshTree(mesh), Similarity.Identity, RayKinds.CameraSet)]);
        Hit hit = scene.Intersect(new(from.ToSingle(), -System.Numerics.Vector3.UnitZ), RayKinds.CameraSet);
        return hit.IsHit ? hit.T : double.PositiveInfinity;
    }

    [Fact]
    public void A_door_leaves_a_hole_with_walls_and_is_a_solid_of_its_own()
    {
        CutPart cut = Cut(Door, pocket: 0.5);
        // The box's surface without 1 × 1.6 m, and walls of 5.2 m × 0.1 m.
        Assert.Equal(52 - 1.6 + 0.52, cut.Rest.AreaAndVolume().Area, 1e-4);
        Assert.Equal((1 * 1.6 * 0.1, 1.0, 1.6), (cut.Part.AreaAndVolume().Volume, cut.Width, cut.Height), (a, b) =>
            Math.Abs(a.Item1 - b.Item1) + Math.Abs(a.Item2 - b.Item2) + Math.Abs(a.Item3 - b.Item3) < 1e-5
        );
        Assert.True((cut.Place.Position - new Vec3(0, 0.2, 1)).Length < 1e-9);
        // Through the hole the box's far side is seen, beside it its front; the room's back 0.6 m behind the face.
        Assert.Equal(4, Open(cut.Rest, new(0, 1, 3)), 1e-4);
        Assert.Equal(2, Open(cut.Rest, new(0.7, 1, 3)), 1e-4);
        Assert.Equal(0.6, Open(cut.Pocket!, new(0, 0.8, 0)), 1e-4);
        Assert.Equal(0.5 * 5.2 + 1.6, cut.Pocket!.AreaAndVolume().Area, 1e-4);
    }

    // Clockwise or not, and with a corner that turns inwards: by Gauss's formula an L of 1 × 1 m less 0.5 × 0.5 m.
    [Fact]
    public void Any_outline_is_cut()
    {
        Vec3[] corner = [new(0, 0.5, 1), new(1, 0.5, 1), new(1, 1, 1), new(0.5, 1, 1), new(0.5, 1.5, 1), new(0, 1.5, 1)];
        Assert.Equal(0.075, Cut(corner).Part.AreaAndVolume().Volume, 1e-6);
        CutPart other = Cut([.. corner.Reverse()]);
        Assert.Equal(0.075, other.Part.AreaAndVolume().Volume, 1e-6);
        Assert.Equal(4, Open(other.Rest, new(0.25, 1.25, 3)), 1e-4);
        Assert.Equal(2, Open(other.Rest, new(0.75, 1.25, 3)), 1e-4);
    }

    [Fact]
    public void What_cannot_be_cut_is_said()
    {
        Assert.Contains("three corners", Assert.Throws<CutFault>(() => Cut([.. Door.Take(2)])).Message);
        Assert.Contains("thickness", Assert.Throws<CutFault>(() => Cut(Door, 0)).Message);
        Assert.Contains("crosses itself", Assert.Throws<CutFault>(() => Cut([Door[0], Door[2], Door[1], Door[3]])).Message);
        Assert.Contains("beside the face", Assert.Throws<CutFault>(() => Cut([.. Door.Select(p => p + new Vec3(1.8, 0, 0))])).Message);
        Assert.Contains(
            "square centimetre",
            Assert.Throws<CutFault>(() => Cut([.. Door.Select(p => 0.005 * p + new Vec3(0, 1, 0.995))])).Message
        );
    }
}
