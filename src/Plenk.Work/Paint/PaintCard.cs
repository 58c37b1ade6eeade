using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Work.Paint;

/// <summary>Cards that painted layers stand on: as large as their canvas seen from where they were painted, so that newer paint fits as well.</summary>
public static class PaintCard
{
    /// <summary>Covered by less it is an edge.</summary>
    private const float Solid = 0.5f;

    /// <summary>A layer with less of the set behind it, and no foot on it, is further than the set: a sky, a ridge.</summary>
    private const double MostlyOverSet = 0.9;

    /// <summary>
    /// Metres to what of the set is under a layer: where its foot stands (the lowest paint of each column that does not go on below the
    /// canvas), else what lies behind it; the middle of them. Null: too little of it has any of the set under it.
    /// </summary>
    /// <param name="layer">On the canvas, RGBA.</param>
    public static double? Distance(PaintGround ground, FloatImage layer)
    {
        var (w, h) = (ground.Width, ground.Height);
        var feet = new List<float>();
        var all = new List<float>();
        int columns = 0,
            painted = 0;
        for (int x = 0; x < w; x++)
        {
            int lowest = -1;
            for (int y = 0; y < h; y++)
            {
                int i = y * w + x;
                if (layer.Data[4 * i + 3] >= Solid)
                {
                    lowest = y;
                    painted++;
                    if (float.IsFinite(ground.Distance[i]))
                    {
                        all.Add(ground.Distance[i]);
                    }
                }
            }
            if (lowest < 0)
            {
                continue;
            }
            columns++;
            // It stands on the lower border of that pixel, between it and the next.
            if (
                lowest < h - 1
                && ground.Distance[lowest * w + x] is var above
                && ground.Distance[(lowest + 1) * w + x] is var below
                && float.IsFinite(above)
            )
            {
                feet.Add(float.IsFinite(below) ? 2 / (1 / above + 1 / below) : above);
            }
        }
        return feet.Count >= Math.Max(1, columns / 10) ? Middle(feet)
            : all.Count > 0 && all.Count >= MostlyOverSet * painted ? Middle(all)
            : null;
    }

    private static double Middle(List<float> values)
    {
        values.Sort();
        return values[values.Count / 2];
    }

    /// <summary>A plane that faces the camera at a distance and covers the canvas: upright, unless the camera looks steeply up or down.</summary>
    public static Piece At(PaintGround ground, double metres, Piece made)
    {
        Vec3 right = Math.Abs(ground.Away.Y) < 0.99 ? Vec3.Cross(ground.Away, Vec3.UnitY).Normalized() : ground.Pose.Rotation.Column(0),
            // Its own axes: X to the right, Y towards the camera, Z downwards.
            down = Vec3.Cross(right, -ground.Away);
        double left = 0,
            rightmost = 0,
            top = 0,
            bottom = 0,
            reach = 20 * metres;
        void Reach(int x, int y, Vector2 spot)
        {
            if (!ground.Grid.TryDirection(x, y, spot, out Vector3 d))
            {
                return;
            }
            Vec3 ray = Vec3.From(d);
            double along = Vec3.Dot(ray, ground.Away);
            Vec3 at = (along > 1e-3 ? metres / along : 1e3 * metres) * ray;
            double u = Math.Clamp(Vec3.Dot(at, right), -reach, reach),
                v = Math.Clamp(Vec3.Dot(at, down), -reach, reach);
            (left, rightmost) = (Math.Min(left, u), Math.Max(rightmost, u));
            (top, bottom) = (Math.Min(top, v), Math.Max(bottom, v));
        }
        for (int x = 0; x < ground.Width; x++)
        {
            Reach(x, 0, default);
            Reach(x, ground.Height - 1, Vector2.One);
        }
        for (int y = 0; y < ground.Height; y++)
        {
            Reach(0, y, default);
            Reach(ground.Width - 1, y, Vector2.One);
        }
        Vec3 middle = ground.Pose.Position + metres * ground.Away + (left + rightmost) / 2 * right + (top + bottom) / 2 * down;
        return made with
        {
            Kind = PieceKind.Plane,
            Position = middle,
            RotationYxzDegrees = Rotations.ToEulerYxzDegrees(Matrix3.FromColumns(right, -ground.Away, down)),
            Size = new(rightmost - left, 1, bottom - top),
            Scale = 1,
        };
    }

    /// <summary>How far a card is from where a canvas is looked at, metres, along the way that distances are counted.</summary>
    public static double Distance(Pose pose, Piece card) => Vec3.Dot(card.Position - pose.Position, PaintGround.Facing(pose));
}
