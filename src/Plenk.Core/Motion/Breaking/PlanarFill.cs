namespace Plenk.Core.Motion.Breaking;

/// <summary>Loops in a plane filled with triangles that have the loops' corners and no others.</summary>
public static class PlanarFill
{
    private static double Cross((double X, double Y) a, (double X, double Y) b, (double X, double Y) c) =>
        (b.X - a.X) * (c.Y - a.Y) - (b.Y - a.Y) * (c.X - a.X);

    private static double Area((double X, double Y)[] loop)
    {
        double sum = 0;
        for (int i = 0; i < loop.Length; i++)
        {
            var (a, b) = (loop[i], loop[(i + 1) % loop.Length]);
            sum += a.X * b.Y - a.Y * b.X;
        }
        return sum / 2;
    }

    /// <summary>It runs anticlockwise and turns one way only.</summary>
    public static bool IsConvex((double X, double Y)[] loop)
    {
        double size = loop.Max(p => Math.Abs(p.X - loop[0].X) + Math.Abs(p.Y - loop[0].Y)),
            turned = 0;
        for (int i = 0; i < loop.Length; i++)
        {
            var (a, b, c) = (loop[i], loop[(i + 1) % loop.Length], loop[(i + 2) % loop.Length]);
            if (Cross(a, b, c) < -1e-9 * size * size)
            {
                return false;
            }
            turned += Math.Atan2(Cross(a, b, c), (b.X - a.X) * (c.X - b.X) + (b.Y - a.Y) * (c.Y - b.Y));
        }
        return turned is > 0 and < 7;
    }

    /// <param name="loops">Outer ones anticlockwise, holes clockwise.</param>
    /// <returns>By numbers counted through all loops; anticlockwise. By clipping ears, holes joined by bridges (Eberly 2002).</returns>
    public static IReadOnlyList<(int A, int B, int C)> Triangles((double X, double Y)[][] loops)
    {
        (double X, double Y)[] all = [.. loops.SelectMany(l => l)];
        var first = new int[loops.Length];
        for (int i = 1; i < loops.Length; i++)
        {
            first[i] = first[i - 1] + loops[i - 1].Length;
        }
        double[] areas = [.. loops.Select(Area)];
        int[] outer = [.. Enumerable.Range(0, loops.Length).Where(i => areas[i] > 0)];
        var rings = outer.ToDictionary(i => i, i => Enumerable.Range(first[i], loops[i].Length).ToList());
        foreach (int hole in Enumerable.Range(0, loops.Length).Where(i => areas[i] < 0).OrderByDescending(i => loops[i].Max(p => p.X)))
        {
            // Some of its corners may lie on the ring itself.
            int[] around =
            [
                .. outer.Where(o => 2 * loops[hole].Count(p => Holds(loops[o], p)) > loops[hole].Length).OrderBy(o => areas[o]),
            ];
            if (around.Length > 0)
            {
                Bridge(rings[around[0]], [.. Enumerable.Range(first[hole], loops[hole].Length)], all);
            }
        }
        return [.. outer.SelectMany(o => Ears(rings[o], all))];
    }

    private static bool Holds((double X, double Y)[] loop, (double X, double Y) p)
    {
        bool inside = false;
        for (int i = 0, j = loop.Length - 1; i < loop.Length; j = i++)
        {
            if (
                loop[i].Y > p.Y != loop[j].Y > p.Y
                && p.X < (loop[j].X - loop[i].X) * (p.Y - loop[i].Y) / (loop[j].Y - loop[i].Y) + loop[i].X
            )
            {
                inside = !inside;
            }
        }
        return inside;
    }

    /// <summary>A hole becomes part of the ring around it by the shortest way that crosses nothing.</summary>
    private static void Bridge(List<int> ring, List<int> hole, (double X, double Y)[] at)
    {
        var ways = ring.SelectMany((_, i) => hole.Select((_, j) => (i, j))).OrderBy(w => Square(at[ring[w.i]], at[hole[w.j]])).ToArray();
        bool Clear(int i, int j) => Free(ring, at[ring[i]], at[hole[j]], at) && Free(hole, at[ring[i]], at[hole[j]], at);
        var (from, to) = ways.FirstOrDefault(w => Clear(w.i, w.j), ways[0]);
        ring.InsertRange(from + 1, [.. hole.Skip(to), .. hole.Take(to + 1), ring[from]]);
    }

    private static double Square((double X, double Y) a, (double X, double Y) b) => (a.X - b.X) * (a.X - b.X) + (a.Y - b.Y) * (a.Y - b.Y);

    private static bool Free(List<int> ring, (double X, double Y) a, (double X, double Y) b, (double X, double Y)[] at)
    {
        for (int i = 0; i < ring.Count; i++)
        {
            var (c, d) = (at[ring[i]], at[ring[(i + 1) % ring.Count]]);
            if (c == a || c == b || d == a || d == b)
            {
                continue;
            }
            if (Cross(a, b, c) > 0 != Cross(a, b, d) > 0 && Cross(c, d, a) > 0 != Cross(c, d, b) > 0)
            {
                return false;
            }
        }
        return true;
    }

    private static IEnumerable<(int, int, int)> Ears(List<int> ring, (double X, double Y)[] at)
    {
        var left = new List<int>(ring);
        while (left.Count > 3)
        {
            // Corners that touch a triangle keep it from being an ear as long as there is another one.
            int ear = Best(left, at, 1e-12);
            ear = ear >= 0 ? ear : Best(left, at, -1e-9);
            ear = ear >= 0 ? ear : Flattest(left, at);
            yield return (left[(ear + left.Count - 1) % left.Count], left[ear], left[(ear + 1) % left.Count]);
            left.RemoveAt(ear);
        }
        if (left.Count == 3)
        {
            yield return (left[0], left[1], left[2]);
        }
    }

    /// <summary>The roundest ear; thin ones are left to the last. −1: there is none.</summary>
    /// <param name="touching">So much of a triangle's size may another corner lie outside its sides and count as in it.</param>
    private static int Best(List<int> left, (double X, double Y)[] at, double touching)
    {
        int ear = -1;
        double best = 1e-9;
        for (int i = 0; i < left.Count; i++)
        {
            int a = left[(i + left.Count - 1) % left.Count],
                b = left[i],
                c = left[(i + 1) % left.Count];
            double area = Cross(at[a], at[b], at[c]),
                sides = Square(at[a], at[b]) + Square(at[b], at[c]) + Square(at[c], at[a]),
                within = -touching * sides;
            if (area / sides <= best)
            {
                continue;
            }
            bool isEar = !left.Any(v =>
                at[v] != at[a]
                && at[v] != at[b]
                && at[v] != at[c]
                && Cross(at[a], at[b], at[v]) >= within
                && Cross(at[b], at[c], at[v]) >= within
                && Cross(at[c], at[a], at[v]) >= within
            );
            (best, ear) = isEar ? (area / sides, i) : (best, ear);
        }
        return ear;
    }

    /// <summary>Where nothing is an ear, what has the least area: a corner in a line, or a bridge that runs back on itself.</summary>
    private static int Flattest(List<int> left, (double X, double Y)[] at)
    {
        int flat = 0;
        double least = double.PositiveInfinity;
        for (int i = 0; i < left.Count; i++)
        {
            double area = Math.Abs(Cross(at[left[(i + left.Count - 1) % left.Count]], at[left[i]], at[left[(i + 1) % left.Count]]));
            (least, flat) = area < least ? (area, i) : (least, flat);
        }
        return flat;
    }
}
