using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Pieces pulled onto the filmed edges, subdivided, lying in one another.</summary>
public sealed class PullTests
{
    private static readonly Pinhole Camera = new(1280, 720, 1000, 1000, 640, 360, new Lens(-0.08, 0.01));

    private static (Pose Pose, Pinhole Pinhole)? At(int frame) =>
        frame is < 1001 or > 1003 ? null : (Pose.LookAt(new(-3 + 3 * (frame - 1001), 2.2, 6), new(0, 0.8, 0), Vec3.UnitY), Camera);

    private static TriangleMesh NoMesh(string hash, string? name) => throw new InvalidOperationException();

    /// <summary>Where a camera sees a place of the true piece.</summary>
    private static PiecePin Pin(Piece truth, int frame, Vec3 place, Vec3? along = null, double slide = 0)
    {
        var (pose, pinhole) = At(frame)!.Value;
        Assert.True(
            pinhole.TryProject(
                pose,
                PieceMeshes.PlaceOf(truth).Apply(PiecePull.Local(truth, place + (along ?? default) * slide)),
                out double x,
                out double y
            )
        );
        return new(frame, place, along, x, y);
    }

    [Fact]
    public void A_box_follows_its_corners_and_edges_from_all_frames()
    {
        var truth = new Piece
        {
            Id = "b",
            Kind = PieceKind.Box,
            Position = new(0.3, 0, -0.4),
            RotationYxzDegrees = new(0, 25, 0),
            Size = new(2, 1.2, 1.4),
        };
        Piece built = truth with { Position = new(0.1, 0.05, -0.2), RotationYxzDegrees = new(0, 19, 0), Size = new(1.7, 1, 1.6) };
        // Two corners in two frames, and two edges of which only the line is known: their pins lie further along.
        built = built with
        {
            Pins =
            [
                Pin(truth, 1001, new(-0.5, 1, 0.5)),
                Pin(truth, 1001, new(0.5, 0, 0.5)),
                Pin(truth, 1003, new(0.5, 1, 0.5)),
                Pin(truth, 1003, new(-0.5, 0, 0.5)),
                Pin(truth, 1002, new(0.5, 1, -0.5)),
                Pin(truth, 1002, new(0, 1, 0.5), new(1, 0, 0), 0.2),
                Pin(truth, 1001, new(-0.5, 0.5, 0.5), new(0, 1, 0), -0.3),
                Pin(truth, 1003, new(0.5, 1, 0), new(0, 0, 1), 0.25),
            ],
        };
        PulledPiece pulled = PiecePull.Solve(built, At, _ => null, out _)!;
        Assert.True(pulled.WorstPx < 0.3, $"{pulled.WorstPx}");
        Assert.True((pulled.Piece.Position - truth.Position).Length < 0.005);
        Assert.True((pulled.Piece.Size - truth.Size).Length < 0.01);
        Assert.Equal(25, pulled.Piece.RotationYxzDegrees.Y, 0.2);
        // It stays level.
        Assert.Equal((0, 0), (pulled.Piece.RotationYxzDegrees.X, pulled.Piece.RotationYxzDegrees.Z));
    }

    [Fact]
    public void Pulling_one_side_leaves_the_others()
    {
        var box = new Piece
        {
            Id = "b",
            Kind = PieceKind.Box,
            Position = new(0, 0, 0),
            Size = new(2, 1, 1),
        };
        Piece higher = box with { Size = new(2, 1.3, 1) };
        Piece pulled = PiecePull.Solve(box with { Pins = [Pin(higher, 1002, new(0, 1, 0.5), new(1, 0, 0))] }, At, _ => null, out _)!.Piece;
        // The upper front edge went up or nearer, whatever costs least; left, right and back stay within a few centimetres.
        Assert.InRange(pulled.Position.X - pulled.Size.X / 2, -1.03, -0.97);
        Assert.InRange(pulled.Position.X + pulled.Size.X / 2, 0.97, 1.03);
        Assert.True(pulled.Size.Y > 1.1, $"{pulled.Size.Y}");
        Assert.Equal(0, pulled.Position.Y, 0.08);
    }

    [Fact]
    public void A_plane_tilts_only_when_it_may()
    {
        var truth = new Piece
        {
            Id = "p",
            Kind = PieceKind.Plane,
            Position = new(0, 0.2, 0),
            RotationYxzDegrees = new(6, 10, -4),
            Size = new(3, 1, 2),
        };
        Vec3[] corners = [new(-0.5, 0, -0.5), new(0.5, 0, -0.5), new(0.5, 0, 0.5), new(-0.5, 0, 0.5)];
        Piece built = truth with
        {
            RotationYxzDegrees = new(0, 0, 0),
            Pins = [.. corners.SelectMany(c => new[] { Pin(truth, 1001, c), Pin(truth, 1003, c) })],
        };
        Assert.Equal(
            (0, 0),
            (
                PiecePull.Solve(built, At, _ => null, out _)!.Piece.RotationYxzDegrees.X,
                PiecePull.Solve(built, At, _ => null, out _)!.Piece.RotationYxzDegrees.Z
            )
        );
        PulledPiece tilted = PiecePull.Solve(built with { MayTilt = true }, At, _ => null, out _)!;
        Assert.Equal(6, tilted.Piece.RotationYxzDegrees.X, 0.2);
        Assert.Equal(-4, tilted.Piece.RotationYxzDegrees.Z, 0.2);
        Assert.True(tilted.RmsPx < 0.3);
    }

    [Fact]
    public void An_outline_moves_the_corner_that_is_pulled()
    {
        var truth = new Piece
        {
            Id = "o",
            Kind = PieceKind.Outline,
            Size = new(1, 2.4, 1),
            Corners = [-1, -1, 1.2, -1.1, 1, 1, -1, 1],
        };
        Piece built = truth with { Corners = [-1, -1, 1, -1, 1, 1, -1, 1] };
        Piece pulled = PiecePull
            .Solve(built with { Pins = [Pin(truth, 1001, new(1, 0, 0)), Pin(truth, 1003, new(1, 0, 0))] }, At, _ => null, out _)!
            .Piece;
        Assert.Equal(1.2, pulled.Corners[2], 0.02);
        Assert.Equal(-1.1, pulled.Corners[3], 0.02);
        Assert.Equal(
            built.Corners.Where((_, i) => i is not 2 and not 3),
            pulled.Corners.Where((_, i) => i is not 2 and not 3).Select(v => Math.Round(v, 6))
        );
    }

    [Fact]
    public void Pins_without_a_camera_and_places_behind_it_are_told()
    {
        var box = new Piece { Id = "b", Kind = PieceKind.Box };
        Assert.Null(PiecePull.Solve(box with { Pins = [new(900, default, null, 0, 0)] }, At, _ => null, out string? reason));
        Assert.Contains("camera", reason);
        Assert.Null(
            PiecePull.Solve(box with { Position = new(0, 0, 60), Pins = [new(1002, default, null, 0, 0)] }, At, _ => null, out reason)
        );
        Assert.Contains("behind", reason);
    }

    [Fact]
    public void Subdividing_keeps_the_shape()
    {
        TriangleMesh box = PieceMeshes.Box(new(2, 1, 1)),
            fine = PieceMeshes.Subdivided(box);
        Assert.Equal(4 * box.TriangleCount, fine.TriangleCount);
        Assert.Equal(SetSpots.Area(box), SetSpots.Area(fine), 1e-6);
        Assert.Equal(box.Bounds(), fine.Bounds());
        // Euler: V − E + F = 2 on a closed surface, with E = 3 F / 2.
        fine.Welded(out int places);
        Assert.Equal(2, places - fine.TriangleCount * 3 / 2 + fine.TriangleCount);
    }

    [Fact]
    public void Faces_in_one_another_are_told_and_the_first_is_seen()
    {
        Piece Plane(string id, double x, double y) =>
            new()
            {
                Id = id,
                Name = id,
                Kind = PieceKind.Plane,
                Position = new(x, y, 0),
                Size = new(2, 1, 2),
            };
        SetScene Of(params Piece[] pieces) => new(pieces, NoMesh);
        SetScene shared = Of(Plane("a", 0, 0), Plane("b", 1, 0));
        SharedFace one = Assert.Single(shared.Shared);
        Assert.Equal((0, 1), (one.First, one.Second));
        Assert.InRange(one.Area, 1.7, 2.3); // half of 4 m²
        for (int i = 0; i < 400; i++)
        {
            float x = 0.05f + 0.9f * (i % 20) / 20,
                z = -0.9f + 1.8f * (i / 20) / 20;
            Hit hit = shared.Scene.Intersect(
                new Ray(new(x + 3, 4, z), System.Numerics.Vector3.Normalize(new(-3, -4, 0))),
                RayKinds.CameraSet
            );
            Assert.Equal(0, shared.PieceOf(hit));
        }
        Assert.Empty(Of(Plane("a", 0, 0), Plane("b", 1, 0.002)).Shared);
        Assert.Empty(Of(Plane("a", 0, 0), Plane("b", 0, 0) with { RotationYxzDegrees = new(180, 0, 0) }).Shared); // back to back
    }
}
