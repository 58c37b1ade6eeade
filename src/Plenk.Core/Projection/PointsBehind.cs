using System.Collections.Concurrent;
using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;

namespace Plenk.Core.Projection;

/// <summary>
/// The place known by points of it alone (followed through the frames and located by their cameras): between them it goes on as planes do,
/// whose inverse depth is linear over a straight picture. Of the nearest points those count that lie about as far away as their middle.
/// </summary>
public sealed class PointsBehind(IReadOnlyList<Vec3> points) : IPlaceBehind
{
    private const int Nearest = 14,
        Cell = 24;

    /// <summary>Inverse depths further from the middle one by such a share belong to something else.</summary>
    private const double SameThing = 0.12;

    private sealed class Seen
    {
        public required (float X, float Y, float Inverse)[] Points { get; init; }
        public required Dictionary<(int, int), List<int>> Cells { get; init; }
    }

    private readonly ConcurrentDictionary<int, Seen> _seen = new();

    private Seen Of(FilmedView view) => _seen.GetOrAdd(view.Frame, _ =>
        {
            var own = new List<(float, float, float)>();
            var cells = new Dictionary<(int, int), List<int>>();
            foreach (Vec3 p in points)
            {
                double depth = -view.Pose.ToLocal(p).Z;
                if (
                    !(depth > 0.05)
                    || !view.Pinhole.TryProject(view.Pose, p, out double x, out double y)
                    || x < -0.3 * view.Pinhole.Width
                    || y < -0.3 * view.Pinhole.Height
                    || x > 1.3 * view.Pinhole.Width
                    || y > 1.3 * view.Pinhole.Height
                )
                {
                    continue;
                }
                (int, int) cell = ((int)Math.Floor(x / Cell), (int)Math.Floor(y / Cell));
                (cells.TryGetValue(cell, out List<int>? list) ? list : cells[cell] = []).Add(own.Count);
                own.Add(((float)x, (float)y, (float)(1 / depth)));
            }
            return new Seen { Points = [.. own], Cells = cells };
        });

    public bool TryPlace(FilmedView view, RayGrid grid, int x, int y, out Vector3 place, out Vector3 normal)
    {
        (place, normal) = (default, default);
        if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d) || InverseDepth(Of(view), x + 0.5, y + 0.5) is not { } inverse)
        {
            return false;
        }
        float along = grid.DepthOf(grid.Origin + d);
        place = grid.Origin + d * (float)(1 / (inverse * along));
        return true;
    }

    private static double? InverseDepth(Seen seen, double x, double y)
    {
        Span<int> near = stackalloc int[Nearest];
        Span<double> away = stackalloc double[Nearest];
        int n = 0;
        int cx = (int)Math.Floor(x / Cell),
            cy = (int)Math.Floor(y / Cell);
        // Rings of cells, until those that are found are nearer than any that could come.
        for (int ring = 0; ring < 40; ring++)
        {
            if (n == Nearest && away[n - 1] < (ring - 1) * Cell * (double)(ring - 1) * Cell && ring > 1)
            {
                break;
            }
            for (int v = -ring; v <= ring; v++)
            {
                int step = Math.Abs(v) == ring ? 1 : Math.Max(1, 2 * ring);
                for (int u = -ring; u <= ring; u += step)
                {
                    if (!seen.Cells.TryGetValue((cx + u, cy + v), out List<int>? own))
                    {
                        continue;
                    }
                    foreach (int k in own)
                    {
                        double dx = seen.Points[k].X - x,
                            dy = seen.Points[k].Y - y,
                            d = dx * dx + dy * dy;
                        if (n == Nearest && d >= away[n - 1])
                        {
                            continue;
                        }
                        int at = n < Nearest ? n++ : n - 1;
                        for (; at > 0 && away[at - 1] > d; at--)
                        {
                            (near[at], away[at]) = (near[at - 1], away[at - 1]);
                        }
                        (near[at], away[at]) = (k, d);
                    }
                }
            }
        }
        if (n < 4)
        {
            return null;
        }
        Span<float> sorted = stackalloc float[n];
        for (int i = 0; i < n; i++)
        {
            sorted[i] = seen.Points[near[i]].Inverse;
        }
        sorted.Sort();
        double middle = sorted[n / 2];
        // 1/z = a + b (X − x) + c (Y − y), weighted towards the near ones; a is the answer.
        double s0 = 0,
            sx = 0,
            sy = 0,
            sxx = 0,
            sxy = 0,
            syy = 0,
            sv = 0,
            sxv = 0,
            syv = 0,
            least = double.PositiveInfinity,
            most = 0;
        int used = 0;
        for (int i = 0; i < n; i++)
        {
            var (px, py, inverse) = seen.Points[near[i]];
            if (Math.Abs(inverse - middle) > SameThing * middle)
            {
                continue;
            }
            double w = 1 / (away[i] + 16),
                dx = px - x,
                dy = py - y;
            (s0, sx, sy) = (s0 + w, sx + w * dx, sy + w * dy);
            (sxx, sxy, syy) = (sxx + w * dx * dx, sxy + w * dx * dy, syy + w * dy * dy);
            (sv, sxv, syv) = (sv + w * inverse, sxv + w * dx * inverse, syv + w * dy * inverse);
            (least, most) = (Math.Min(least, inverse), Math.Max(most, inverse));
            used++;
        }
        double even = sv / s0;
        // A little stiffness, so that points in a line do not tip the plane.
        double stiff = 1e-3 * (sxx + syy) + 1e-9;
        var m = new Matrix3(s0, sx, sy, sx, sxx + stiff, sxy, sy, sxy, syy + stiff);
        double whole = m.Determinant;
        if (used < 4 || !(Math.Abs(whole) > 1e-18))
        {
            return even;
        }
        double a = new Matrix3(sv, sx, sy, sxv, sxx + stiff, sxy, syv, sxy, syy + stiff).Determinant / whole,
            room = 0.5 * (most - least) + 0.02 * middle;
        return Math.Clamp(a, Math.Max(1e-6, least - room), most + room);
    }

    public bool IsHidden(Vector3 place, Vector3 normal, Vector3 eye) => false;
}
