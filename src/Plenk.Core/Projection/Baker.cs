using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// A piece with its footage written into textures of its own: RGBA premultiplied, linear, alpha = covered; and how much of its surface is.
/// </summary>
public sealed record BakedPiece(
    int Piece,
    TriangleMesh Mesh,
    int[] TileOfTriangle,
    IReadOnlyList<FloatImage> Tiles,
    double TexelMetres,
    double Covered
);

/// <summary>Writes the footage into each piece, so that it sticks to it when it moves.</summary>
public static class Baker
{
    public const int LargestTile = 8192;

    /// <summary>The texels that a piece of that area needs, margins not counted.</summary>
    public static double Texels(double area, double texelMetres) => area / (texelMetres * texelMetres);

    /// <param name="texelMetres">What is wished for; a piece that is too large for a tile gets a coarser one.</param>
    /// <param name="local">
    /// The piece in its own space, where the charts are to be laid out there (texels are counted there then); null: in the world.
    /// </param>
    public static BakedPiece Bake(
        SetScene set,
        int piece,
        IReadOnlyList<Projector> sources,
        double texelMetres,
        CancellationToken stop = default,
        Action<double>? progress = null,
        SourceMix mix = SourceMix.Quality,
        TriangleMesh? local = null
    )
    {
        TriangleMesh mesh = set.Meshes[piece],
            laid = local ?? mesh;
        IReadOnlyList<Chart> charts = Charts.Of(laid);
        float scale = local is null ? 1 : (float)set.Pieces[piece].Scale;
        (int Side, int Tiles)? packed;
        while ((packed = Charts.Pack(charts, texelMetres, LargestTile)) is null)
        {
            texelMetres *= 1.25;
        }
        var (side, count) = packed.Value;
        var positions = new List<Vector3>();
        var normals = new List<Vector3>();
        var places = new List<Vector2>();
        var indices = new List<int>();
        var tileOf = new List<int>();
        FloatImage[] tiles = [.. Enumerable.Range(0, count).Select(_ => new FloatImage(side, side, 4))];
        long inside = 0;
        double covered = 0;
        for (int tile = 0; tile < count; tile++)
        {
            // Which triangle a texel's middle lies on.
            var owner = new int[side * side];
            Array.Fill(owner, -1);
            foreach (Chart chart in charts)
            {
                if (chart.Tile != tile)
                {
                    continue;
                }
                foreach (int t in chart.Triangles)
                {
                    var (a, b, c) = mesh.Triangle(t);
                    var (la, lb, lc) = laid.Triangle(t);
                    Vector2 Place(Vector3 p) => chart.Flat(p) / (float)texelMetres + new Vector2(chart.X, chart.Y); // borders lie between texels
                    Vector2 pa = Place(la),
                        pb = Place(lb),
                        pc = Place(lc);
                    Fill(owner, side, pa, pb, pc, t);
                    int at = positions.Count;
                    Vector3 n = mesh.FaceNormal(t);
                    positions.AddRange([a, b, c]);
                    normals.AddRange(
                        mesh.Normals is { } given && given[mesh.Indices[3 * t]] != Vector3.Zero
                            ? [given[mesh.Indices[3 * t]], given[mesh.Indices[3 * t + 1]], given[mesh.Indices[3 * t + 2]]]
                            : [n, n, n]
                    );
                    places.AddRange([pa / side, pb / side, pc / side]);
                    indices.AddRange([at, at + 1, at + 2]);
                    tileOf.Add(tile);
                }
            }
            Chart?[] chartOf = new Chart?[mesh.TriangleCount];
            foreach (Chart chart in charts)
            {
                if (chart.Tile == tile)
                {
                    foreach (int t in chart.Triangles)
                    {
                        chartOf[t] = chart;
                    }
                }
            }
            FloatImage image = tiles[tile];
            object gate = new();
            int rows = 0,
                current = tile;
            Parallel.For(
                0,
                side,
                Cores.Until(stop),
                () => (Inside: 0L, Covered: 0.0),
                (y, _, local) =>
                {
                    for (int x = 0; x < side; x++)
                    {
                        int t = owner[y * side + x];
                        if (t < 0)
                        {
                            continue;
                        }
                        Chart chart = chartOf[t]!;
                        var (a, b, c) = mesh.Triangle(t);
                        Vector2 flat = new Vector2(x + 0.5f - chart.X, y + 0.5f - chart.Y) * (float)texelMetres,
                            fa = chart.Flat(laid.Triangle(t).A),
                            fb = chart.Flat(laid.Triangle(t).B),
                            fc = chart.Flat(laid.Triangle(t).C);
                        Vector2 e1 = fb - fa,
                            e2 = fc - fa,
                            d = flat - fa;
                        float det = e1.X * e2.Y - e1.Y * e2.X,
                            u = (d.X * e2.Y - d.Y * e2.X) / det,
                            v = (e1.X * d.Y - e1.Y * d.X) / det;
                        Vector3 point = a + u * (b - a) + v * (c - a),
                            normal = mesh.FaceNormal(t);
                        Vector3 along = (b - a).LengthSquared() > 0 ? Vector3.Normalize(b - a) : Vector3.UnitX;
                        Vector4 seen = Seen(
                            sources,
                            point,
                            normal,
                            piece,
                            along * ((float)texelMetres * scale),
                            Vector3.Cross(normal, along) * ((float)texelMetres * scale),
                            mix
                        );
                        Span<float> p = image.Pixel(x, y);
                        (p[0], p[1], p[2], p[3]) = (seen.X, seen.Y, seen.Z, seen.W);
                        local.Inside++;
                        local.Covered += seen.W;
                    }
                    int done = Interlocked.Increment(ref rows);
                    progress?.Invoke((current + (double)done / side) / count);
                    return local;
                },
                local =>
                {
                    lock (gate)
                    {
                        inside += local.Inside;
                        covered += local.Covered;
                    }
                }
            );
            Extend(image, owner, side);
        }
        var result = new TriangleMesh([.. positions], [.. indices]) { Normals = [.. normals], TextureCoordinates = [.. places] };
        return new(piece, result, [.. tileOf], tiles, texelMetres, inside > 0 ? covered / inside : 0);
    }

    /// <summary>A spot wears what either side of it was seen with: thin pieces have two.</summary>
    private static Vector4 Seen(
        IReadOnlyList<Projector> sources,
        Vector3 point,
        Vector3 normal,
        int piece,
        Vector3 u,
        Vector3 v,
        SourceMix mix
    )
    {
        Vector4 front = ProjectedView.Mix(sources, point, normal, piece, u, v, mix);
        if (front.W >= 0.999f)
        {
            return front;
        }
        Vector4 back = ProjectedView.Mix(sources, point, -normal, piece, u, v, mix);
        return front.W >= back.W ? front : back;
    }

    private static void Fill(int[] owner, int side, Vector2 a, Vector2 b, Vector2 c, int triangle)
    {
        int left = Math.Max(0, (int)MathF.Floor(MathF.Min(a.X, MathF.Min(b.X, c.X)) - 0.5f)),
            right = Math.Min(side - 1, (int)MathF.Ceiling(MathF.Max(a.X, MathF.Max(b.X, c.X)) - 0.5f));
        int top = Math.Max(0, (int)MathF.Floor(MathF.Min(a.Y, MathF.Min(b.Y, c.Y)) - 0.5f)),
            bottom = Math.Min(side - 1, (int)MathF.Ceiling(MathF.Max(a.Y, MathF.Max(b.Y, c.Y)) - 0.5f));
        float area = (b.X - a.X) * (c.Y - a.Y) - (b.Y - a.Y) * (c.X - a.X),
            sign = MathF.Sign(area);
        for (int y = top; y <= bottom; y++)
        {
            for (int x = left; x <= right; x++)
            {
                var p = new Vector2(x + 0.5f, y + 0.5f);
                float Edge(Vector2 q, Vector2 r) => sign * ((r.X - q.X) * (p.Y - q.Y) - (r.Y - q.Y) * (p.X - q.X));
                // A hair outside still counts, so that no texel between two triangles is left.
                if (Edge(a, b) >= -1e-3f && Edge(b, c) >= -1e-3f && Edge(c, a) >= -1e-3f)
                {
                    owner[y * side + x] = triangle;
                }
            }
        }
    }

    /// <summary>Carries colours on into the margin, ring after ring.</summary>
    private static void Extend(FloatImage image, int[] owner, int side)
    {
        for (int ring = 0; ring < Charts.Margin; ring++)
        {
            int[] before = [.. owner];
            Parallel.For(0, side, Cores.All, y =>
            {
                for (int x = 0; x < side; x++)
                {
                    if (before[y * side + x] >= 0)
                    {
                        continue;
                    }
                    Vector4 sum = default;
                    int n = 0,
                        from = -1;
                    for (int v = Math.Max(0, y - 1); v <= Math.Min(side - 1, y + 1); v++)
                    {
                        for (int u = Math.Max(0, x - 1); u <= Math.Min(side - 1, x + 1); u++)
                        {
                            if (before[v * side + u] < 0)
                            {
                                continue;
                            }
                            Span<float> q = image.Pixel(u, v);
                            sum += new Vector4(q[0], q[1], q[2], q[3]);
                            from = before[v * side + u];
                            n++;
                        }
                    }
                    if (n == 0)
                    {
                        continue;
                    }
                    sum /= n;
                    Span<float> p = image.Pixel(x, y);
                    (p[0], p[1], p[2], p[3]) = (sum.X, sum.Y, sum.Z, sum.W);
                    owner[y * side + x] = from;
                }
            });
        }
    }
}
