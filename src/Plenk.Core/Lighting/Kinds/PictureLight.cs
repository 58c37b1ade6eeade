using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

/// <summary>
/// A card's picture as a light: a parallelogram whose radiance is that of the picture, drawn by its brightness (Pharr, Jakob, Humphreys,
/// “Physically Based Rendering”, 3rd edition, 13.6.7: piecewise-constant distributions in two dimensions).
/// </summary>
public sealed class PictureLight : SampledLight
{
    /// <summary>Cells each way: finer than light falls off, coarser than pixels.</summary>
    private const int MostCells = 24;

    /// <summary>Rays end before the picture's own surface, which would stop them.</summary>
    private const float Short = 1 - 1e-3f;

    private readonly Vector3 _corner,
        _u,
        _v,
        _front;
    private readonly float _area;
    private readonly bool _bothSides;
    private readonly int _across,
        _up;
    private readonly Vector3[] _radiance; // by cell, from the foot up
    private readonly float[] _sums; // of what is drawn up to and with each cell, the last 1

    private PictureLight(Light light, Vector3 corner, Vector3 u, Vector3 v, bool bothSides, FloatImage cells, float gain)
        : base(light)
    {
        (_corner, _u, _v, _bothSides) = (corner, u, v, bothSides);
        Vector3 normal = Vector3.Cross(u, v);
        (_area, _front) = (normal.Length(), Vector3.Normalize(normal));
        (_across, _up) = (cells.Width, cells.Height);
        _radiance = new Vector3[_across * _up];
        _sums = new float[_across * _up];
        float sum = 0;
        for (int i = 0; i < _radiance.Length; i++)
        {
            int from = (_up - 1 - i / _across) * _across + i % _across;
            _radiance[i] = gain * new Vector3(cells.Data[4 * from], cells.Data[4 * from + 1], cells.Data[4 * from + 2]);
            sum += Luminance.Of(_radiance[i]);
            _sums[i] = sum;
        }
        for (int i = 0; i < _sums.Length; i++)
        {
            _sums[i] /= sum;
        }
    }

    /// <summary>The light of a card as it stands; null where its picture is black.</summary>
    /// <param name="card">Four corners from the left foot, counter-clockwise, with texture coordinates; its first material's picture.</param>
    /// <param name="stops">Against what is seen of it.</param>
    /// <param name="bothSides">It is seen, and shines, from behind too.</param>
    public static PictureLight? Of(PlacedElement card, string name, double stops, bool bothSides)
    {
        if (
            card.Model.MaterialOf(0).Picture is not { } picture
            || card.Model.Tree.Mesh is not { Positions.Length: 4, TextureCoordinates: { } uv }
        )
        {
            return null;
        }
        FloatImage cells = Tiled(
            picture.ReducedTo(Math.Min(picture.Width, MostCells), Math.Min(picture.Height, MostCells)),
            Math.Abs(uv[1].X - uv[0].X),
            Math.Abs(uv[2].Y - uv[1].Y)
        );
        float brightest = 0;
        for (int i = 0; i < cells.Data.Length; i++)
        {
            brightest = i % 4 < 3 ? MathF.Max(brightest, cells.Data[i]) : brightest;
        }
        if (!(brightest > 0))
        {
            return null;
        }
        Vector3 Corner(int i) => card.ObjectToWorld.Apply(Geometry.Vec3.From(card.Model.Tree.Mesh.Positions[i])).ToSingle();
        return new(
            new Light
            {
                Id = card.Id,
                Name = name,
                Kind = LightKind.Rectangle,
                InPlate = false,
            },
            Corner(0),
            Corner(1) - Corner(0),
            Corner(3) - Corner(0),
            bothSides,
            cells,
            MathF.Pow(2, (float)stops)
        );
    }

    /// <summary>As often beside and above itself as a picture stands on a card.</summary>
    private static FloatImage Tiled(FloatImage one, float across, float up)
    {
        int w = Math.Clamp((int)MathF.Round(one.Width * across), 1, 2 * MostCells),
            h = Math.Clamp((int)MathF.Round(one.Height * up), 1, 2 * MostCells);
        if ((w, h) == (one.Width, one.Height))
        {
            return one;
        }
        var all = new FloatImage(w, h, 4);
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                float u = (x + 0.5f) / w * across,
                    v = (y + 0.5f) / h * up;
                one.SampleBilinear((u - MathF.Floor(u)) * one.Width, (v - MathF.Floor(v)) * one.Height, all.Pixel(x, y));
            }
        }
        return all;
    }

    protected override LightSample Towards(Vector3 point, Vector3 normal, Vector2 u, SkyOpenings? openings)
    {
        int cell = Array.BinarySearch(_sums, u.X);
        cell = Math.Min(cell < 0 ? ~cell : cell + 1, _sums.Length - 1);
        float before = cell > 0 ? _sums[cell - 1] : 0,
            share = _sums[cell] - before;
        if (!(share > 0))
        {
            return default;
        }
        float a = (cell % _across + Math.Clamp((u.X - before) / share, 0, 1)) / _across,
            b = (cell / _across + u.Y) / _up;
        Vector3 to = _corner + _u * a + _v * b - point;
        float square = to.LengthSquared(),
            distance = MathF.Sqrt(square);
        Vector3 d = to / distance;
        float cos = Vector3.Dot(normal, d),
            own = -Vector3.Dot(_front, d);
        own = _bothSides ? MathF.Abs(own) : own;
        // Of the cell's area a spot is drawn with the cell's share.
        return cos > 0 && own > 0 && distance > 1e-6f
            ? new(d, 1, _radiance[cell] * (cos * own * _area / (_radiance.Length * share * square)), distance * Short)
            : default;
    }
}
