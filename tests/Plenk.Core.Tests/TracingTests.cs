using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

public class TracingTests
{
    // Möller & Trumbore 1997 by hand.
    [Fact]
    public void Ray_and_triangle()
    {
        var mesh = new TriangleMesh([new(0, 0, 0), new(2, 0, 0), new(0, 3, 1)], [0, 1, 2]);
        var ray = new Ray(new(0.5f, 0.6f, 5), Vector3.Normalize(new(0.1f, 0.05f, -1)));
        Hit hit = new MeshTree(mesh).Intersect(ray);
        Assert.Equal(4.750728031, hit.T, 5);
        Assert.Equal(0.486065574, hit.U, 5);
        Assert.Equal(0.278688525, hit.V, 5);
        Assert.False(new MeshTree(mesh).Intersect(new Ray(new(2, 2, 5), -Vector3.UnitZ)).IsHit);
    }

    // Slab method (Kay & Kajiya 1986) by hand.
    [Fact]
    public void Ray_and_box()
    {
        var tree = new MeshTree(PieceMeshes.Box(new Vec3(2, 0.9, 2)));
        Hit hit = tree.Intersect(new Ray(new(0, 1, 5), Vector3.Normalize(new(0.1f, -0.05f, -1))));
        Assert.Equal(4.024922359, hit.T, 5);
    }

    // Surface area and volume of a 2 × 3 × 4 box: 52 m², 24 m³; divergence theorem.
    [Fact]
    public void Area_and_volume_of_a_box()
    {
        var (area, volume) = PieceMeshes.Box(new Vec3(2, 3, 4)).AreaAndVolume();
        Assert.Equal(52, area, 9);
        Assert.Equal(24, volume, 5);
    }

    [Fact]
    public void No_ray_slips_out_of_a_closed_mesh()
    {
        var tree = new MeshTree(PieceMeshes.Ball(96));
        int leaks = 0;
        Parallel.For(0, 100, block =>
        {
            var random = new Random(block);
            for (int i = 0; i < 100_000; i++)
            {
                var d = new Vector3(random.NextSingle() - 0.5f, random.NextSingle() - 0.5f, random.NextSingle() - 0.5f);
                // Half of the rays aim exactly at vertices and edges' middles, where leaks live.
                if ((i & 1) == 0)
                {
                    var (a, b, _) = tree.Mesh.Triangle(random.Next(tree.Mesh.TriangleCount));
                    d = (i & 2) == 0 ? a : (a + b) / 2;
                }
                if (d.LengthSquared() > 1e-9f && !tree.Intersect(new Ray(Vector3.Zero, d)).IsHit)
                {
                    Interlocked.Increment(ref leaks);
                }
            }
        });
        Assert.Equal(0, leaks); // of 10 million
    }

    [Fact]
    public void Fast_and_plain_tracer_agree_bit_for_bit()
    {
        TriangleMesh mesh = PieceMeshes.Ball(32);
        var tree = new MeshTree(mesh);
        var random = new Random(9);
        Vector3 V() => new(random.NextSingle() * 4 - 2, random.NextSingle() * 4 - 2, random.NextSingle() * 4 - 2);
        int hits = 0;
        for (int i = 0; i < 4000; i++)
        {
            var ray = new Ray(V(), V());
            Hit fast = tree.Intersect(ray),
                plain = ScalarTracer.Intersect(mesh, ray);
            Assert.Equal(plain, fast);
            Assert.Equal(plain.IsHit, tree.Occluded(ray));
            if (plain.IsHit)
            {
                hits++;
            }
        }
        Assert.InRange(hits, 500, 3900);
    }

    [Fact]
    public void Rays_in_packets_meet_what_they_meet_alone()
    {
        var tree = new MeshTree(PieceMeshes.Ball(32));
        var random = new Random(10);
        var rays = new Ray[MeshTree.PacketRays];
        var hits = new Hit[MeshTree.PacketRays];
        for (int i = 0; i < 600; i++)
        {
            // Some go together, some every which way; some packets are not full.
            var from = new Vector3(0, 0, 4);
            int n = 1 + i % MeshTree.PacketRays;
            for (int k = 0; k < n; k++)
            {
                rays[k] =
                    i % 2 == 0
                        ? new(from, new(random.NextSingle() * 0.2f - 0.1f, random.NextSingle() * 0.2f, -1))
                        : new(
                            new(random.NextSingle() * 4 - 2, random.NextSingle() * 4 - 2, random.NextSingle() * 4 - 2),
                            new(random.NextSingle() - 0.5f, random.NextSingle() - 0.5f, random.NextSingle() - 0.5f)
                        );
            }
            tree.IntersectPacket(rays.AsSpan(0, n), hits);
            for (int k = 0; k < n; k++)
            {
                Assert.Equal(tree.Intersect(rays[k]), hits[k]);
            }
        }
    }

    // What comes from nowhere meets nothing, and is done at once; a tree walked for it would never end.
    [Theory]
    [InlineData(float.NegativeInfinity, 1)]
    [InlineData(float.NaN, 1)]
    [InlineData(0, float.NaN)]
    [InlineData(0, float.PositiveInfinity)]
    [InlineData(3e38f, 1)]
    [InlineData(0, 0)]
    public void Rays_from_nowhere_meet_nothing(float from, float along)
    {
        TriangleMesh ball = PieceMeshes.Ball(32);
        var tree = new MeshTree(ball);
        var scene = new TraceScene([
            new(tree, Similarity.Identity, RayKinds.CameraSet),
            new(tree, new Similarity(2, Matrix3.Identity, new(5, 0, 0)), RayKinds.CameraSet),
        ]);
        var ray = new Ray(new(from, from, from + 9), new Vector3(0.1f, 0.2f, -0.5f) * along);
        Assert.False(tree.Intersect(ray).IsHit);
        Assert.False(tree.Occluded(ray));
        Assert.False(scene.Intersect(ray, RayKinds.CameraSet).IsHit);
        Assert.False(scene.Occluded(ray, RayKinds.CameraSet));
        Hit[] hits = new Hit[2];
        tree.IntersectPacket([ray, new(new(0, 0, 9), -Vector3.UnitZ)], hits);
        Assert.Equal((false, true), (hits[0].IsHit, hits[1].IsHit));
    }
}
