using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Work.Paint;

/// <summary>What of the set lies under each pixel of a canvas: a frame of a camera and so many pixels beyond it on every side.</summary>
public sealed class PaintGround
{
    /// <summary>Steeper than that a card looks along the camera's own axis; else it stands upright.</summary>
    private const double SteepestForUpright = 0.7;

    public Pose Pose { get; }
    public RayGrid Grid { get; }
    public int Width => Grid.Width;
    public int Height => Grid.Height;

    /// <summary>Unit, towards where a card's distance is counted: level, unless the camera looks steeply up or down.</summary>
    public Vec3 Away { get; }

    /// <summary>Metres along <see cref="Away"/>; +∞ where nothing of the set is.</summary>
    public float[] Distance { get; }

    /// <summary>Number among <see cref="Pieces"/>; −1: none.</summary>
    public int[] Piece { get; }
    public Vector3[] Normal { get; }
    public IReadOnlyList<Piece> Pieces { get; }

    /// <param name="shot">Seen through the camera that is meant.</param>
    /// <param name="without">Ids of pieces that are looked through: what is itself painted on.</param>
    public PaintGround(ShotEngine engine, ShotDocument shot, int frame, int beyond, IReadOnlySet<string> without)
    {
        var (pose, pinhole) = engine.Camera(shot, frame);
        Pose = pose;
        Grid = new RayGrid(pinhole.Wider(beyond), pose);
        Away = Facing(pose);
        ShotDocument at = Hanging.At(shot, frame);
        SetScene set = engine.Place.Set(at with { Pieces = [.. at.Pieces.Where(p => !without.Contains(p.Id))] });
        Pieces = set.Pieces;
        Distance = new float[Width * Height];
        Piece = new int[Width * Height];
        Normal = new Vector3[Width * Height];
        Vector3 away = Away.ToSingle();
        Parallel.For(0, Height, Core.Cores.All, y =>
        {
            for (int x = 0; x < Width; x++)
            {
                int i = y * Width + x;
                (Distance[i], Piece[i]) = (float.PositiveInfinity, -1);
                if (
                    Grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                    && set.Scene.Intersect(new Ray(Grid.Origin, d), RayKinds.CameraSet) is { IsHit: true } hit
                )
                {
                    int piece = set.PieceOf(hit);
                    Distance[i] = hit.T * Vector3.Dot(d, away);
                    Piece[i] = piece;
                    Normal[i] = set.Meshes[piece].FaceNormal(set.TriangleOf(hit));
                }
            }
        });
    }

    /// <summary>The way that a card's distance is counted, unit.</summary>
    public static Vec3 Facing(Pose pose)
    {
        Vec3 forward = -pose.Rotation.Column(2);
        return Math.Abs(forward.Y) < SteepestForUpright ? new Vec3(forward.X, 0, forward.Z).Normalized() : forward;
    }
}
