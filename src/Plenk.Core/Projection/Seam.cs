using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>Where a source's picture gives way to those after it.</summary>
/// <param name="Shown">
/// How much of each pixel of the source's picture it shows, 1 on its own side; <see cref="Width"/> × <see cref="Height"/> cells over the
/// picture.
/// </param>
/// <param name="Overlap">The part of what the source shows of the set that the others show too.</param>
/// <param name="ParallaxDegrees">
/// The angle between the cameras' ways to the spots along the border: middle and worst. What is there wrong in depth, or not built, splits
/// by it.
/// </param>
/// <param name="WorstX">Where it is worst, pixels of the source's picture.</param>
public sealed record Seam(
    int Width,
    int Height,
    float[] Shown,
    double Overlap,
    double ParallaxDegrees,
    double WorstParallaxDegrees,
    double WorstX,
    double WorstY,
    IReadOnlyList<Vector3> Spots
)
{
    private const int Wide = 200; // cells over the source's picture
    private const double Beyond = 1.4; // the view that is cut is this much larger than the picture

    /// <summary>
    /// The border between two pictures that is seen least: a minimum cut through their overlap (Kwatra, Schödl, Essa, Turk and Bobick
    /// 2003) between what only the source shows and what lies beyond its picture's edge. Null where they do not overlap.
    /// </summary>
    /// <param name="own">The source; without its picture where only the cameras are planned.</param>
    /// <param name="difference">How much the pictures differ at a spot, seen from the source, stops; null: the shortest border.</param>
    /// <param name="blendPixels">How wide the one passes into the other, pixels of the source's picture.</param>
    public static Seam? Find(
        SourceSight own,
        IReadOnlyList<SourceSight> others,
        Func<Vector3, Vector3, int, float, float>? difference,
        double blendPixels,
        CancellationToken stop = default
    )
    {
        int inner = Wide,
            innerHeight = Math.Max(8, (int)Math.Round((double)own.Pinhole.Height * Wide / own.Pinhole.Width)),
            w = (int)(inner * Beyond),
            h = (int)(innerHeight * Beyond),
            offX = (w - inner) / 2,
            offY = (h - innerHeight) / 2;
        Pinhole small = own.Pinhole.Resized(inner, innerHeight);
        var grid = new RayGrid(small with { Width = w, Height = h, Cx = small.Cx + offX, Cy = small.Cy + offY }, own.CameraToWorld);
        var sides = new GridCut.Side[w * h];
        var cost = new float[w * h];
        var spots = new Vector3[w * h];
        var seenBy = new int[w * h];
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                (sides[i], seenBy[i]) = (GridCut.Side.None, -1);
                if (!grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                var ray = new Ray(grid.Origin, d);
                Hit hit = own.Set.Scene.Intersect(ray, RayKinds.CameraSet);
                bool inside = x >= offX && x < offX + inner && y >= offY && y < offY + innerHeight;
                int piece = hit.IsHit ? own.Set.PieceOf(hit) : -1;
                if (!hit.IsHit || !own.Set.Pieces[piece].Duties.WearsFootage)
                {
                    if (inside)
                    {
                        sides[i] = GridCut.Side.First;
                    }
                    continue;
                }
                Vector3 p = ray.At(hit.T),
                    n = own.Set.Instances[hit.Instance].FaceNormal(hit);
                if (Vector3.Dot(n, d) > 0)
                {
                    n = -n;
                }
                spots[i] = p;
                for (int k = 0; k < others.Count && seenBy[i] < 0; k++)
                {
                    if (others[k].Density(p, n, piece) > 0)
                    {
                        seenBy[i] = k;
                    }
                }
                bool mine = inside && own.Density(p, n, piece) > 0;
                sides[i] = mine
                    ? seenBy[i] >= 0
                        ? GridCut.Side.Free
                        : GridCut.Side.First
                    : seenBy[i] >= 0
                        ? GridCut.Side.Second
                        : inside
                            ? GridCut.Side.First
                            : GridCut.Side.None;
                cost[i] =
                    sides[i] == GridCut.Side.Free && difference is not null
                        ? 0.02f + MathF.Min(4, difference(p, n, piece, hit.T / (float)small.Fx))
                        : 0.02f;
            }
        });
        int overlap = 0,
            shown = 0;
        for (int i = 0; i < sides.Length; i++)
        {
            if (sides[i] == GridCut.Side.Free)
            {
                overlap++;
                shown++;
            }
            else if (sides[i] == GridCut.Side.First && spots[i] != default)
            {
                shown++;
            }
        }
        if (overlap < 20 || !sides.Contains(GridCut.Side.Second))
        {
            return null;
        }
        // Among borders that cost alike the one in the middle of the overlap: there both cameras see best.
        float[] fromOwn = Distance([.. sides.Select(s => s == GridCut.Side.First)], w, h, inside: false),
            fromOthers = Distance([.. sides.Select(s => s == GridCut.Side.Second)], w, h, inside: false);
        for (int i = 0; i < cost.Length; i++)
        {
            if (sides[i] == GridCut.Side.Free)
            {
                cost[i] += 0.03f * MathF.Abs(fromOwn[i] - fromOthers[i]) / MathF.Max(1, fromOwn[i] + fromOthers[i]);
            }
        }
        bool[] first = GridCut.Of(w, h, cost, sides);
        var border = new List<(Vector3 Spot, double Degrees, double X, double Y)>();
        for (int y = offY; y < offY + innerHeight; y++)
        {
            for (int x = offX; x < offX + inner; x++)
            {
                int i = y * w + x;
                if (sides[i] != GridCut.Side.Free)
                {
                    continue;
                }
                bool Other(int j) => sides[j] != GridCut.Side.None && first[j] != first[i];
                if (!(Other(i + 1) || Other(i - 1) || Other(i + w) || Other(i - w)))
                {
                    continue;
                }
                Vector3 a = Vector3.Normalize(own.CameraToWorld.Position.ToSingle() - spots[i]),
                    b = Vector3.Normalize(others[seenBy[i]].CameraToWorld.Position.ToSingle() - spots[i]);
                border.Add(
                    (
                        spots[i],
                        Rotations.Degrees(Elementary.Acos(Math.Clamp(Vector3.Dot(a, b), -1, 1))),
                        (x - offX + 0.5) * own.Pinhole.Width / inner,
                        (y - offY + 0.5) * own.Pinhole.Height / innerHeight
                    )
                );
            }
        }
        if (border.Count == 0)
        {
            return null;
        }
        var worst = border.MaxBy(b => b.Degrees);
        // Signed distance to the border, in cells, then as a ramp.
        float[] away = Distance(first, w, h, inside: true),
            into = Distance(first, w, h, inside: false);
        double cell = (double)own.Pinhole.Width / inner,
            blend = Math.Max(1, blendPixels / cell);
        var ramp = new float[inner * innerHeight];
        for (int y = 0; y < innerHeight; y++)
        {
            for (int x = 0; x < inner; x++)
            {
                int i = (y + offY) * w + x + offX;
                // Only where another takes over; what nobody else shows is shown in full.
                ramp[y * inner + x] =
                    seenBy[i] < 0 ? 1 : (float)Math.Clamp(0.5 + (away[i] - into[i] + (first[i] ? -0.5 : 0.5)) / blend, 0, 1);
            }
        }
        return new(
            inner,
            innerHeight,
            ramp,
            (double)overlap / Math.Max(1, shown),
            border.Select(b => b.Degrees).Order().ElementAt(border.Count / 2),
            worst.Degrees,
            worst.X,
            worst.Y,
            [.. border.Select(b => b.Spot)]
        );
    }

    /// <summary>On the picture's own grid.</summary>
    public float[] Over(int width, int height)
    {
        var cells = new Images.FloatImage(Width, Height, 1, Shown);
        var result = new float[width * height];
        Parallel.For(0, height, Cores.All, y =>
        {
            Span<float> v = stackalloc float[1];
            for (int x = 0; x < width; x++)
            {
                cells.SampleBilinear((x + 0.5) * Width / width, (y + 0.5) * Height / height, v);
                result[y * width + x] = v[0];
            }
        });
        return result;
    }

    /// <summary>Cells to the nearest one of the other side, by two sweeps (chamfer distance, Borgefors 1986).</summary>
    private static float[] Distance(bool[] first, int w, int h, bool inside)
    {
        const float Diagonal = 1.4142135f;
        var d = new float[w * h];
        for (int i = 0; i < d.Length; i++)
        {
            d[i] = first[i] == inside ? 1e6f : 0;
        }
        void Relax(int i, int x, int y, int dx, int dy)
        {
            if (x + dx >= 0 && x + dx < w && y + dy >= 0 && y + dy < h)
            {
                d[i] = MathF.Min(d[i], d[i + dy * w + dx] + (dx != 0 && dy != 0 ? Diagonal : 1));
            }
        }
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                Relax(i, x, y, -1, 0);
                Relax(i, x, y, 0, -1);
                Relax(i, x, y, -1, -1);
                Relax(i, x, y, 1, -1);
            }
        }
        for (int y = h - 1; y >= 0; y--)
        {
            for (int x = w - 1; x >= 0; x--)
            {
                int i = y * w + x;
                Relax(i, x, y, 1, 0);
                Relax(i, x, y, 0, 1);
                Relax(i, x, y, 1, 1);
                Relax(i, x, y, -1, 1);
            }
        }
        return d;
    }
}
