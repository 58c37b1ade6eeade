using System.Numerics;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Pieces that lie in one another, and balls that hold a mesh: both by construction.</summary>
public sealed class SetMeasureTests
{
    private static readonly Piece Floor = new()
    {
        Id = "floor",
        Kind = PieceKind.Plane,
        Size = new(4, 1, 4),
    };

    private static SetScene Set(params Piece[] pieces) => new(pieces, (_, _) => throw new InvalidOperationException());

    // Two floors of 4 × 4 m lie in one another over 2 × 4 m. A ceiling's face looks the other way, and a step of 1 mm is seen.
    [Fact]
    public void Faces_that_lie_in_one_another_are_found_with_their_area()
    {
        Piece moved = Floor with { Id = "second", Position = new(2, 0, 0) };
        SharedFace shared = Assert.Single(Set(Floor, moved).Shared);
        Assert.Equal((0, 1), (shared.First, shared.Second));
        Assert.Equal(8, shared.Area, 0.4);
        Assert.InRange(shared.Place.X, 0, 2);
        Assert.Empty(Set(Floor, moved with { Position = new(2, 0.001, 0) }).Shared);
        Assert.Empty(Set(Floor, moved with { RotationYxzDegrees = new(180, 0, 0) }).Shared);
        Assert.Empty(Set(Floor, moved with { Position = new(4.1, 0, 0) }).Shared);
        // What is seen there is the first piece, wherever one looks from.
        SetScene set = Set(Floor, moved);
        for (float x = 0.1f; x < 2; x += 0.3f)
        {
            Assert.Equal(0, set.PieceOf(set.Scene.Intersect(new Ray(new(x, 2, 0.7f), -Vector3.UnitY), RayKinds.CameraSet)));
        }
    }

    // A long bar is held by small balls, whole; a ball of one radius about it would be 5 m wide.
    [Fact]
    public void Balls_hold_every_part_of_a_mesh()
    {
        TriangleMesh bar = PieceMeshes.World(
            new Piece
            {
                Id = "bar",
                Kind = PieceKind.Box,
                Size = new(10, 0.1, 0.1),
            },
            (_, _) => throw new InvalidOperationException()
        );
        var balls = PartBalls.Of(bar);
        Assert.InRange(balls.Length, 8, 16);
        Assert.All(balls, b => Assert.InRange(b.Radius, 0, 1.3f));
        for (int i = 0; i < bar.TriangleCount; i++)
        {
            var (a, b, c) = bar.Triangle(i);
            for (int k = 0; k <= 20; k++)
            {
                Vector3 p = a + (b - a) * (k / 20f) * 0.5f + (c - a) * (1 - k / 20f) * 0.5f;
                Assert.Contains(balls, q => Vector3.Distance(q.Middle, p) <= q.Radius + 1e-4f);
            }
        }
        Assert.Empty(PartBalls.Of(new([], [])));
        Assert.Single(PartBalls.Of(new([Vector3.Zero, Vector3.Zero, Vector3.Zero], [0, 1, 2])));
    }
}
