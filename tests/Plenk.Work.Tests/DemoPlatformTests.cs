using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>BTH_0100: the slab that breaks under what falls on it, and the door that swings open, each with its footage.</summary>
public sealed class DemoPlatformTests : IDisposable
{
    private readonly string _folder = Path.Combine(Path.GetTempPath(), $"plenk-platform-{Guid.NewGuid():N}");

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void The_slab_breaks_and_the_door_swings_open_on_the_plate()
    {
        string demo = Path.Combine(DemoShot.Repository, "demo");
        var media = new MediaStore(Path.Combine(_folder, "media"));
        var engine = new ShotEngine(media);
        ShotDocument filmed = DemoSeed.Shot(demo, DemoSeed.BrokenCode, b => media.Write(b));
        ShotDocument shot = DemoSeed.Broken(filmed, demo, engine, media);
        Assert.Empty(ShotChecks.Faults(shot));

        // Before it is struck the comp is the plate: slab and posts wear it over the place without them.
        FloatImage plate = engine.Plates.Plate(shot, 1004),
            comp = engine.Finish.Frame(shot, 1004, plate.Width, RenderQuality.Middle, dataPasses: false).Comp;
        double off = 0;
        for (int i = 0; i < plate.Data.Length; i++)
        {
            off += Math.Abs(plate.Data[i] - comp.Data[i]);
        }
        Assert.InRange(off / plate.Data.Length, 0, 0.02);

        // What falls is meant to be in the air: nothing of it is a gap until it lies still.
        Reading gap = ReadingKind.All.First(k => k.Blank.Id == "contact.gap").Measure(engine, shot, default);
        Assert.True(gap.PerFrame is null || gap.PerFrame.Min(f => f.Frame) > 1020, gap.Note);

        // It gives way to the counterweight, none of its parts goes through the set, and the door stands open at the end.
        Piece slab = shot.Pieces.First(p => p.Id == "slab");
        Assert.InRange(slab.GoneFrom!.Value, 1014, 1020);
        Element parts = shot.Elements.Single(e => e.Broke is not null);
        Assert.Contains("parts", parts.Name, StringComparison.Ordinal);
        Assert.Contains(shot.Elements, e => e.DustOf == "slab");
        TriangleMesh end = engine.Model(Hanging.At(shot, 1048), parts, 1048).Tree.Mesh;
        var (least, _) = end.Bounds();
        Assert.True(least.Y > -2.4, $"{least}");
        Piece Door(int frame) => Hanging.At(shot, frame).Pieces.First(p => p.Name == "locker door");
        double Front(int frame) => engine.Place.Local(Door(frame)).Moved(PieceMeshes.PlaceOf(Door(frame))).Bounds().Min.X;
        // Out of the locker, towards the basin: by the most of its width.
        Assert.InRange(Front(1008) - Front(1048), 0.33, 0.41);
    }
}
