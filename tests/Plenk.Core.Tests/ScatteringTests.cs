using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Copies strewn over surfaces: as many as the area asks for, even over it, apart, alike for a seed; and as rays meet them.</summary>
public class ScatteringTests
{
    private static readonly TriangleMesh Floor = PieceMeshes.Plane(new(10, 1, 4));

    private static IReadOnlyList<Similarity> Strewn(Scatter how, params TriangleMesh[] over) =>
        Scattering.Places(over.Length == 0 ? [Floor] : over, how, Similarity.Identity);

    [Fact]
    public void They_are_as_many_as_the_area_asks_for_and_even_over_it()
    {
        IReadOnlyList<Similarity> all = Strewn(new() { PerSquareMetre = 100, Most = 50_000 });
        Assert.Equal(4000, all.Count);
        Assert.All(all, s => Assert.True(Math.Abs(s.Translation.X) <= 5 && Math.Abs(s.Translation.Z) <= 2 && s.Translation.Y == 0));
        // Of 40 squares of 1 m² none is far off a hundred: independent draws would have a deviation of 10.
        int[] counts = [.. all.GroupBy(s => ((int)Math.Floor(s.Translation.X), (int)Math.Floor(s.Translation.Z))).Select(g => g.Count())];
        Assert.Equal(40, counts.Length);
        Assert.InRange(counts.Max(), 100, 140);
        Assert.InRange(counts.Min(), 65, 100);
        // Means and mean squares of even numbers: 0 and L² ÷ 12.
        Assert.Equal(0, all.Average(s => s.Translation.X), 0.1);
        Assert.Equal(100 / 12.0, all.Average(s => s.Translation.X * s.Translation.X), 0.2);
        Assert.Equal(16 / 12.0, all.Average(s => s.Translation.Z * s.Translation.Z), 0.05);
    }

    [Fact]
    public void The_same_seed_strews_alike_and_another_one_elsewhere()
    {
        var how = new Scatter { PerSquareMetre = 5, Seed = 3 };
        Assert.Equal(Strewn(how), Strewn(how));
        Assert.NotEqual(Strewn(how), Strewn(how with { Seed = 4 }));
        // Fewer at the most are spread over all of it too.
        Assert.InRange(Strewn(how with { Most = 8 }).Select(s => s.Translation.X).Max(), 2, 5);
        Assert.Equal(8, Strewn(how with { Most = 8 }).Count);
    }

    [Fact]
    public void None_is_nearer_to_another_than_is_said()
    {
        IReadOnlyList<Similarity> all = Strewn(new() { PerSquareMetre = 50, ApartMetres = 0.4 });
        Assert.InRange(all.Count, 80, 320);
        for (int i = 0; i < all.Count; i++)
        {
            for (int k = 0; k < i; k++)
            {
                Assert.True((all[i].Translation - all[k].Translation).Length >= 0.4);
            }
        }
    }

    [Fact]
    public void On_a_slope_they_stand_upright_or_square_and_nowhere_where_it_is_too_steep()
    {
        TriangleMesh slope = PieceMeshes.World(
            new()
            {
                Id = "slope",
                Size = new(4, 1, 4),
                RotationYxzDegrees = new(30, 0, 0),
            },
            (_, _) => throw new InvalidOperationException()
        );
        var how = new Scatter { PerSquareMetre = 10, TurnDegrees = 0 };
        Assert.All(Strewn(how, slope), s => Assert.Equal(1, s.Rotation.M22, 1e-12));
        Assert.All(Strewn(how with { Square = true, SinkMetres = 0.1 }, slope), s =>
        {
            // The normal of a plane tilted by 30° about X; a tenth of a metre down along it.
            Vec3 up = s.Rotation.Column(1);
            Assert.InRange((up - new Vec3(0, 0.8660254037844387, 0.5)).Length, 0, 1e-6);
            Assert.Equal(-0.1, Vec3.Dot(up, s.Translation), 1e-6);
        });
        Assert.Empty(Strewn(how with { SteepestDegrees = 29 }, slope));
        Assert.Equal(160, Strewn(how with { SteepestDegrees = 31 }, slope).Count);
    }

    [Fact]
    public void Sizes_turns_and_leans_keep_within_what_is_said_and_use_it()
    {
        IReadOnlyList<Similarity> all = Strewn(
            new()
            {
                PerSquareMetre = 100,
                Most = 4000,
                Smallest = 0.5,
                Largest = 2,
                LeanDegrees = 20,
            }
        );
        Assert.InRange(all.Min(s => s.Scale), 0.5, 0.52);
        Assert.InRange(all.Max(s => s.Scale), 1.98, 2);
        double[] leans = [.. all.Select(s => Rotations.Degrees(Math.Acos(Math.Clamp(s.Rotation.M22, -1, 1))))];
        Assert.InRange(leans.Max(), 19, 20 + 1e-6);
        // Even over a disc: half of them beyond 20° ÷ √2.
        Assert.InRange(leans.Count(l => l > 20 / Math.Sqrt(2)) / 4000.0, 0.46, 0.54);
    }

    [Fact]
    public void A_share_thins_them_out()
    {
        var how = new Scatter { PerSquareMetre = 100, Most = 4000 };
        IReadOnlyList<Similarity> half = Scattering.Places([Floor], how, Similarity.Identity, p => p.X < 0 ? 0 : 0.5);
        Assert.All(half, s => Assert.True(s.Translation.X >= 0));
        Assert.InRange(half.Count, 900, 1100);
    }

    [Fact]
    public void Rays_meet_copies_as_they_meet_as_many_elements()
    {
        // A plane of one triangle pair stood upright.
        var model = new ElementModel(
            new MeshTree(new([new(-0.2f, 0, 0), new(0.2f, 0, 0), new(0.2f, 0.6f, 0), new(-0.2f, 0.6f, 0)], [0, 1, 2, 0, 2, 3])),
            []
        );
        IReadOnlyList<Similarity> places = Strewn(new() { PerSquareMetre = 20, Most = 500 });
        var one = new PlacedElement("tuft", model, places[0]) { Copies = places };
        var other = new PlacedElement("post", model, new Similarity(1, Matrix3.Identity, new(0, 0, 5)));
        var together = new ElementScene([one, other]);
        var apart = new ElementScene([.. places.Select(p => new PlacedElement("tuft", model, p)), other]);
        Assert.Equal(2, together.ThingsShown);
        Assert.Equal(0, together.ThingOf(places.Count - 1));
        Assert.Equal(1, together.ThingOf(places.Count));
        int met = 0;
        for (int i = 0; i < 400; i++)
        {
            var ray = new Ray(new(0, 1.5f, 8), Vector3.Normalize(new(0.02f * (i % 20 - 10), -0.15f - 0.005f * (i / 20), -1)));
            Hit a = together.Intersect(ray),
                b = apart.Intersect(ray);
            Assert.Equal(b, a);
            met += a.IsHit ? 1 : 0;
        }
        Assert.InRange(met, 50, 400);
        // Whoever aims at them finds some: of ways drawn towards them many meet one.
        var beside = new Vector3(7, 0.3f, 0);
        int found = 0;
        for (uint i = 0; i < 64; i++)
        {
            Assert.True(together.Towards(beside, -Vector3.UnitX, Sampling.Point(i, 1, 0), out Vector3 way, out float density));
            found += density > 0 && together.Intersect(new Ray(beside, way)).IsHit ? 1 : 0;
        }
        Assert.InRange(found, 8, 64);
    }
}
