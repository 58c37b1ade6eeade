using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// A piece's own textures, asked by triangle: the charts are laid out anew from its shape, which gives the same places as when they were
/// made.
/// </summary>
public sealed class BakedSurface
{
    private readonly TriangleMesh _mesh;
    private readonly Chart?[] _chartOf;
    private readonly FootagePyramid[] _tiles;
    private readonly FloatImage[] _covered;
    private readonly float _texel;

    /// <param name="local">The piece in its own space, as it was baked.</param>
    /// <param name="tiles">RGBA premultiplied, linear.</param>
    public BakedSurface(TriangleMesh local, double texel, IReadOnlyList<FloatImage> tiles)
    {
        (_mesh, _texel) = (local, (float)texel);
        IReadOnlyList<Chart> charts = Charts.Of(local);
        var packed = Charts.Pack(charts, texel, Baker.LargestTile);
        if (packed is not var (side, count) || count != tiles.Count || tiles.Any(t => t.Width != side || t.Height != side))
        {
            throw new ArgumentException("the textures do not belong to this shape");
        }
        _chartOf = new Chart?[local.TriangleCount];
        foreach (Chart c in charts)
        {
            foreach (int t in c.Triangles)
            {
                _chartOf[t] = c;
            }
        }
        _tiles = [.. tiles.Select(t => new FootagePyramid(Colour(t)))];
        _covered =
        [
            .. tiles.Select(t =>
            {
                var a = new FloatImage(t.Width, t.Height, 1);
                for (int i = 0; i < a.Data.Length; i++)
                {
                    a.Data[i] = t.Data[4 * i + 3];
                }
                return a;
            }),
        ];
    }

    /// <summary>About how much memory it holds: its pictures with their smaller copies (a third more), and what is covered.</summary>
    public long KeptBytes => _covered.Sum(c => 4L * c.Data.Length * 5);

    private static FloatImage Colour(FloatImage tile)
    {
        var rgb = new FloatImage(tile.Width, tile.Height, 3);
        for (int i = 0; i < tile.Width * tile.Height; i++)
        {
            float a = tile.Data[4 * i + 3];
            for (int c = 0; c < 3; c++)
            {
                rgb.Data[3 * i + c] = a > 1e-4f ? tile.Data[4 * i + c] / a : 0;
            }
        }
        return rgb;
    }

    /// <summary>Premultiplied RGB and coverage at a spot of a triangle.</summary>
    /// <param name="u">Barycentric weight of the second corner, <paramref name="v"/> of the third.</param>
    /// <param name="width">Of the footprint, in the piece's own space.</param>
    public Vector4 At(int triangle, float u, float v, float width)
    {
        if (_chartOf[triangle] is not { } chart)
        {
            return default;
        }
        var (a, b, c) = _mesh.Triangle(triangle);
        Vector2 place = chart.Flat(a + u * (b - a) + v * (c - a)) / _texel + new Vector2(chart.X, chart.Y);
        float texels = width / _texel;
        Vector3 rgb = _tiles[chart.Tile].Sample(place.X, place.Y, new(texels, 0), new(0, texels));
        Span<float> covered = stackalloc float[1];
        _covered[chart.Tile].SampleBilinear(place.X, place.Y, covered);
        return new(rgb * covered[0], covered[0]);
    }
}
