using System.Globalization;
using System.Numerics;
using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using SharpGLTF.Schema2;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>A slab over a floor and steps, broken.</summary>
public sealed class BreakWorkTests
{
    private const double G = 9.80665;

    private static TriangleMesh Box(double x, double y, double z, Vec3 at) =>
        PieceMeshes.Box(new(x, y, z)).Moved(new(1, Matrix3.Identity, at));

    private static readonly (string, TriangleMesh)[] Place =
    [
        ("floor", Box(12, 0.2, 12, new(0, -1.5, 0))),
        ("steps", PieceMeshes.Stairs(new(4, 0.8, 2), 4).Moved(new(1, Matrix3.Identity, new(0, -1.3, 2)))),
    ];

    private static Broken Break(Vec3 impulse, int parts, List<string> told, (string, TriangleMesh)[]? others = null, int scraps = 0) =>
        BreakWork.Run(
            "slab",
            Box(3, 0.2, 2, new(0, -0.2, 0)),
            others ?? Place,
            new(parts, 1, 2400) { Point = new(0.3, 0, 0.2), Impulse = impulse },
            new(1, 90, 5, 24),
            1,
            told,
            thrown: new() { Count = scraps, Density = 2400 }
        );

    [Fact]
    public void It_stands_until_the_blow_then_falls_and_rests()
    {
        var told = new List<string>();
        var impulse = new Vec3(300, -1500, 100);
        Broken broken = Break(impulse, 40, told);
        Assert.Empty(told);
        IReadOnlyList<FallFrame> frames = broken.Fall.Frames;
        Assert.All(frames.Take(4), f => Assert.Equal((0, frames[0].Potential), (f.Kinetic, f.Potential)));
        Assert.Equal(frames[0].Bodies.Select(b => b.Place), frames[4].Bodies.Select(b => b.Place));
        Assert.True(frames[4].Kinetic > 0);
        // Until something is hit momentum is the blow's and gravity's: m Δx ÷ Δt = J − M g Δt ÷ 2 over the first frame.
        Vec3 sum = broken
            .Parts.Select((p, i) => p.Body.Mass * 24 * (frames[5].Bodies[i].Place - frames[4].Bodies[i].Place))
            .Aggregate((a, b) => a + b);
        Assert.True((sum - (impulse - new Vec3(0, broken.Mass * G / 48, 0))).Length < 1e-6 * impulse.Length, $"{sum}");
        double energy = frames[4].Kinetic + frames[4].Potential;
        foreach (FallFrame f in frames.Skip(5))
        {
            Assert.True(f.Kinetic + f.Potential < energy + 0.01 * frames.Max(x => x.Kinetic), $"{f.Frame}");
            energy = f.Kinetic + f.Potential;
            Assert.All(f.Bodies, b => Assert.True(b.Place.Y > -1.3));
        }
        Assert.Equal((0, 0.0), (frames[^1].Awake, frames[^1].Kinetic));
        Assert.True(frames[^1].Deepest < 0.005);
        // The same on one thread, to the bit.
        using IDisposable one = Core.Cores.Using(1);
        Broken again = Break(impulse, 40, told);
        Assert.Equal(frames[^1].Bodies, again.Fall.Frames[^1].Bodies);
    }

    // A hole of a crater: what is outside it never moves, what falls goes through it, and a blast reaches what is farther off later.
    [Fact]
    public void Parts_outside_a_radius_never_move_and_a_blast_reaches_the_others_one_after_another()
    {
        Broken broken = BreakWork.Run(
            "slab",
            Box(3, 0.2, 2, new(0, -0.2, 0)),
            Place,
            new(120, 1, 2400)
            {
                Point = new(0, 0, 0),
                Radius = 0.8,
                Blast = 300,
                BlastSpeed = 4,
            },
            new(1, 60, 5, 24),
            1,
            [],
            thrown: new() { Count = 60, Density = 2400 }
        );
        int still = 0;
        for (int i = 0; i < broken.Parts.Count; i++)
        {
            BrokenPart p = broken.Parts[i];
            int moves = broken.Fall.Frames.ToList().FindIndex(f => f.Bodies[i].Place != p.Middle);
            if (p.Body.IsFixed)
            {
                Assert.Equal(-1, moves);
                still++;
                continue;
            }
            // It is let go at the first frame at which the blast has reached it, and has moved in the next.
            Assert.Equal(5 + (int)Math.Ceiling(24 * p.Middle.Length / 4 - 1e-6), broken.Fall.Frames[moves].Frame - 1);
        }
        Assert.InRange(still, 20, 110);
        Assert.All(broken.Fall.Frames[^1].Bodies, b => Assert.True(b.Place.Y > -1.3));
        // Nothing is thrown off where nothing breaks.
        Assert.All(broken.Scraps, s => Assert.True(s.States[0].Place.Length < 1.3));
    }

    [Fact]
    public void Its_files_say_the_same_and_its_parts_are_closed()
    {
        Broken broken = Break(new(0, -500, 0), 12, []);
        ModelRoot model = ModelRoot.ReadGLB(
            new MemoryStream(PartsFile.Glb(broken.Parts, [], BreakWork.Inside, broken.Fall.Frames, new(24, 1)))
        );
        string[] rows = PartsFile.Csv(broken.Parts, broken.Fall.Frames).Trim().Split('\n');
        Assert.Equal("frame,part,x,y,z,qx,qy,qz,qw", rows[0]);
        Assert.Equal(1 + 90 * 12, rows.Length);
        JsonElement report = JsonDocument.Parse(BreakWork.Report(broken)).RootElement;
        double volume = 0;
        foreach (Node node in model.LogicalNodes)
        {
            ImportedObject own = GltfFile.ReadMesh([.. model.WriteGLB()], "parts.glb").Objects.First(o => o.Name == node.Name);
            volume += own.Mesh.AreaAndVolume().Volume;
            string[] row = rows.First(r => r.StartsWith($"33,{node.Name},", StringComparison.Ordinal)).Split(',');
            double[] v = [.. row.Skip(2).Select(t => double.Parse(t, CultureInfo.InvariantCulture))];
            Matrix4x4 at = node.GetWorldMatrix(model.LogicalAnimations[0], 32 / 24f);
            Assert.True((Vec3.From(at.Translation) - new Vec3(v[0], v[1], v[2])).Length < 1e-5);
            Matrix3 turn = Rotations.FromQuaternion(v[3], v[4], v[5], v[6]);
            Assert.True((Vec3.From(Vector3.TransformNormal(Vector3.UnitX, at)) - turn.Column(0)).Length < 1e-5);
        }
        Assert.Equal(1.2, volume, 1e-4);
        Assert.Equal(1.2, report.GetProperty("piece").GetProperty("volume").GetDouble(), 1e-6);
        Assert.Equal(12, report.GetProperty("parts").GetArrayLength());
        Assert.Equal(90, report.GetProperty("frames").GetArrayLength());
    }

    [Fact]
    public void Scraps_leave_the_cracks_lie_on_the_set_in_the_end_and_are_nodes_of_the_file()
    {
        Broken broken = Break(new(0, -800, 0), 12, [], scraps: 300);
        Assert.Equal(300, broken.Scraps.Count);
        // Until the blow they are within the slab; none ever goes through the floor, most lie still in the end.
        Assert.All(broken.Scraps, s => Assert.True(Math.Abs(s.States[3].Place.Y + 0.1) <= 0.1 && Math.Abs(s.States[3].Place.X) <= 1.5));
        Assert.All(broken.Scraps, s => Assert.All(s.States, q => Assert.True(q.Place.Y > -1.3)));
        Assert.True(broken.Scraps.Count(s => s.Rests < 89) > 270, $"{broken.Scraps.Count(s => s.Rests < 89)} rest");
        byte[] file = PartsFile.Glb(broken.Parts, [], BreakWork.Inside, broken.Fall.Frames, new(24, 1), scraps: broken.Scraps);
        ModelRoot model = ModelRoot.ReadGLB(new MemoryStream(file));
        Assert.Equal(12 + Scraps.Shapes, model.LogicalMeshes.Count);
        foreach (int frame in (int[])[0, 20, 89])
        {
            for (int i = 0; i < 300; i += 7)
            {
                ScrapState state = broken.Scraps[i].States[frame];
                Matrix4x4 at = model
                    .LogicalNodes.First(n => n.Name == $"scrap_{i + 1:0000}")
                    .GetWorldMatrix(model.LogicalAnimations[0], frame / 24f);
                Assert.True((Vec3.From(at.Translation) - state.Place).Length < 1e-5);
                Vec3 x = Vec3.From(Vector3.TransformNormal(Vector3.UnitX, at));
                Assert.True((x - broken.Scraps[i].Metres * state.Turn.Column(0)).Length < 1e-5);
            }
        }
        Assert.Equal(300, JsonDocument.Parse(BreakWork.Report(broken)).RootElement.GetProperty("scraps").GetInt32());
    }

    [Fact]
    public void What_stands_in_the_floor_a_little_breaks_on_it_and_does_not_fall_through()
    {
        var told = new List<string>();
        // A block of half a metre, 3 cm of it in the floor, as steps are built.
        Broken broken = BreakWork.Run(
            "step",
            Box(1, 0.5, 0.6, new(-3, -1.33, 0)),
            Place,
            new(30, 1, 2400) { Point = new(-3, -0.85, 0.3), Impulse = new(0, 100, 300) },
            new(1, 90, 5, 24),
            0,
            told
        );
        Assert.Equal("“step” stands in “floor” by 30 mm: parts of it lie as deep there until they come out.", Assert.Single(told));
        Assert.Empty(broken.Fall.Through);
        IReadOnlyList<FallFrame> frames = broken.Fall.Frames;
        for (int p = 0; p < broken.Parts.Count; p++)
        {
            foreach (FallFrame f in frames)
            {
                BodyState s = f.Bodies[p];
                double lowest = broken.Parts[p].Body.Hull.Vertices.Min(v => s.ToWorld(v).Y);
                Assert.True(lowest > -1.335, $"{broken.Parts[p].Name} at {f.Frame}: {lowest}");
            }
        }
        Assert.Equal(0, frames[^1].Awake);
        // Nothing is thrown out by what it stood in: no part is faster than the blow makes it and a fall from there.
        double most = frames.Skip(5).Max(f => f.Bodies.Max(b => b.Velocity.Length)),
            struck = frames[4].Bodies.Max(b => b.Velocity.Length);
        Assert.True(most < Math.Sqrt(struck * struck + 2 * G * 1.2), $"{most} after {struck}");
    }

    [Fact]
    public void What_it_stands_in_is_told_and_does_not_throw_it_out()
    {
        var told = new List<string>();
        Broken broken = Break(default, 8, told, [.. Place, ("plinth", Box(1, 1, 1, new(0, -0.7, 0)))]);
        Assert.Contains("“slab” stands in “plinth” from the beginning", Assert.Single(told));
        Assert.All(broken.Fall.Frames, f => Assert.All(f.Bodies, b => Assert.True(b.Velocity.Y < 3)));
        Assert.Contains(
            "no volume",
            Assert
                .Throws<ShotFault>(() =>
                    BreakWork.Run("floor", PieceMeshes.Plane(new(1, 0, 1)), Place, new(5, 1, 2400), new(1, 9, 2, 24), 0, told)
                )
                .Message
        );
    }
}
