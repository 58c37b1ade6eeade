using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;

namespace Plenk.Core.Sets;

/// <summary>
/// How far a piece's visible edges lie from the picture's edges next to them in a frame: the middle distance and how many spots it was
/// taken from.
/// </summary>
public sealed record PieceSlip(int Piece, double MiddlePx, int Spots, double WorstX, double WorstY);

/// <summary>Measures whether a set stays in register: its edges against those of the picture, spot by spot along their normals.</summary>
public static class EdgeSlip
{
    private const double Reach = 8; // pixels
    private const int LeastSpots = 12,
        EdgesOfAPiece = 60;

    /// <summary>Of each piece with enough visible edges that the picture shows too.</summary>
    public static IReadOnlyList<PieceSlip> Of(SetScene set, Pinhole pinhole, Pose camera, GrayImage picture)
    {
        var result = new PieceSlip?[set.Pieces.Count];
        Vector3 eye = camera.Position.ToSingle();
        Parallel.For(0, set.Pieces.Count, Cores.All, i =>
        {
            if (set.Pieces[i].Duties.OnlyBlocksLight)
            {
                return;
            }
            var offs = new List<(double Off, double X, double Y)>();
            foreach (
                var (a, b) in PieceMeshes
                    .FeatureEdges(set.Meshes[i])
                    .OrderByDescending(e => Vector3.DistanceSquared(e.A, e.B))
                    .Take(EdgesOfAPiece)
            )
            {
                if (
                    !pinhole.TryProject(camera, Vec3.From(a), out double ax, out double ay)
                    || !pinhole.TryProject(camera, Vec3.From(b), out double bx, out double by)
                )
                {
                    continue;
                }
                double length = Math.Sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay));
                int spots = Math.Clamp((int)(length / 10), 1, 40);
                for (int k = 0; k < spots; k++)
                {
                    Vector3 place = Vector3.Lerp(a, b, (k + 0.5f) / spots),
                        towards = eye - place;
                    float distance = towards.Length();
                    if (
                        !pinhole.TryProject(camera, Vec3.From(place), out double x, out double y)
                        || x < 12
                        || y < 12
                        || x > pinhole.Width - 12
                        || y > pinhole.Height - 12
                    )
                    {
                        continue;
                    }
                    // A little before the surface, so that the piece's own faces do not hide its edge.
                    if (set.Scene.Occluded(new Ray(place + 0.004f * towards, towards / distance, 0, 0.99f * distance), RayKinds.CameraSet))
                    {
                        continue;
                    }
                    // Along the edge as the lens bends it there.
                    if (!pinhole.TryProject(camera, Vec3.From(Vector3.Lerp(a, b, (k + 0.6f) / spots)), out double u, out double v))
                    {
                        continue;
                    }
                    double tx = u - x,
                        ty = v - y,
                        t = Math.Sqrt(tx * tx + ty * ty);
                    if (t > 1e-6 && PictureEdges.Steepest(picture, x - 0.5, y - 0.5, -ty / t, tx / t, Reach) is { } off)
                    {
                        offs.Add((Math.Abs(off), x, y));
                    }
                }
            }
            if (offs.Count < LeastSpots)
            {
                return;
            }
            offs.Sort();
            // The worst place is the ninth tenth's, so that one wrong edge does not name it.
            var (_, wx, wy) = offs[(int)(0.9 * (offs.Count - 1))];
            result[i] = new(i, offs[offs.Count / 2].Off, offs.Count, wx, wy);
        });
        return [.. result.OfType<PieceSlip>()];
    }
}
