using System.Numerics;
using System.Runtime.Intrinsics;

namespace Plenk.Core.Lighting.Smoothing;

/// <summary>What a pixel's centre shows: pixels of one surface lend one another their samples.</summary>
/// <param name="Surface">−1: nothing that is smoothed.</param>
/// <param name="Point">From the camera, metres.</param>
internal readonly record struct Guide(int Surface, Vector3 Point, Vector3 Normal)
{
    public static readonly Guide None = new(-1, default, default);
}

/// <summary>
/// Guides of a region, a plane for each number of theirs with a rim that shows nothing, and how much one of the nine pixels around a pixel counts
/// for it: on the same surface, in the same plane, turned alike. Eight pixels side by side are told at once.
/// </summary>
internal sealed class Surfaces
{
    /// <summary>The widest step to a neighbour, pixels: the rim on either side.</summary>
    public const int Rim = 32;
    public const int Lanes = 8;
    public const int Taps = 9;

    /// <summary>By pixels around, row by row: the product of two triangles.</summary>
    private static readonly float[] Kernel = [1 / 16f, 1 / 8f, 1 / 16f, 1 / 8f, 1 / 4f, 1 / 8f, 1 / 16f, 1 / 8f, 1 / 16f];
    private const int Middle = 4;

    private readonly float[] _surface,
        _nx,
        _ny,
        _nz,
        _px,
        _py,
        _pz,
        _plane, // normal · point
        _perPixel; // 1 ÷ (how wide a pixel is there, metres)

    public int Width { get; }
    public int Height { get; }

    /// <summary>Floats from a row to the next; a pixel's place in a plane is <see cref="At"/>.</summary>
    public int Stride { get; }
    public int Floats => Stride * Height;

    private readonly float _pixel;

    /// <param name="pixel">How wide a pixel is a metre away, metres.</param>
    public Surfaces(int width, int height, float pixel)
    {
        (Width, Height, _pixel) = (width, height, pixel);
        Stride = Rim + (width + Lanes - 1) / Lanes * Lanes + Rim;
        float[] Plane() => new float[Floats];
        (_surface, _nx, _ny, _nz, _px, _py, _pz, _plane, _perPixel) = (
            Plane(),
            Plane(),
            Plane(),
            Plane(),
            Plane(),
            Plane(),
            Plane(),
            Plane(),
            Plane()
        );
        _surface.AsSpan().Fill(-1);
    }

    /// <summary>What a pixel shows; rows may be told at once, each by one thread.</summary>
    public void Show(int x, int y, in Guide g)
    {
        if (g.Surface < 0)
        {
            return;
        }
        int i = At(x, y);
        _surface[i] = g.Surface;
        (_nx[i], _ny[i], _nz[i]) = (g.Normal.X, g.Normal.Y, g.Normal.Z);
        (_px[i], _py[i], _pz[i]) = (g.Point.X, g.Point.Y, g.Point.Z);
        (_plane[i], _perPixel[i]) = (Vector3.Dot(g.Normal, g.Point), 1 / (_pixel * g.Point.Length()));
    }

    public int At(int x, int y) => y * Stride + Rim + x;

    public bool Shows(int x, int y) => _surface[At(x, y)] >= 0;

    /// <summary>Of eight pixels from a place in a plane on.</summary>
    public bool AnyShows(int at) => Vector256.GreaterThanOrEqualAny(Load(_surface, at), Vector256<float>.Zero);

    /// <summary>
    /// How much the neighbours of eight pixels count, and where those stand in a plane; those that count for none of the eight are left out.
    /// </summary>
    /// <param name="x">The first of the eight, from 0 by eights.</param>
    /// <param name="step">To the neighbours, pixels.</param>
    /// <param name="has">A plane: 1 where a pixel has something to lend, else 0.</param>
    /// <param name="weights">Of <see cref="Taps"/>, for those that count.</param>
    /// <returns>How many count.</returns>
    public int Weigh(int x, int y, int step, float[] has, Span<Vector256<float>> weights, Span<int> places)
    {
        int i = At(x, y),
            count = 0;
        Vector256<float> surface = Load(_surface, i),
            nx = Load(_nx, i),
            ny = Load(_ny, i),
            nz = Load(_nz, i),
            plane = Load(_plane, i),
            perStep = Load(_perPixel, i) * (1f / (1 + step)),
            one = Vector256.Create(1f);
        for (int k = 0; k < Taps; k++)
        {
            int row = y + (k / 3 - 1) * step,
                j = i + (k / 3 - 1) * step * Stride + (k % 3 - 1) * step;
            if (row < 0 || row >= Height)
            {
                continue;
            }
            Vector256<float> weight = Load(has, j) * Kernel[k];
            if (weight == Vector256<float>.Zero)
            {
                continue;
            }
            if (k != Middle)
            {
                Vector256<float> turn = nx * Load(_nx, j) + ny * Load(_ny, j) + nz * Load(_nz, j),
                    off = (nx * Load(_px, j) + ny * Load(_py, j) + nz * Load(_pz, j) - plane) * perStep,
                    flat = one / (one + off * off),
                    alike = Vector256.Equals(surface, Load(_surface, j)) & Vector256.GreaterThan(turn, Vector256.Create(0.5f));
                turn *= turn;
                turn *= turn;
                turn *= turn;
                weight = alike & (weight * turn * flat * flat);
            }
            if (weight != Vector256<float>.Zero)
            {
                (weights[count], places[count]) = (weight, j);
                count++;
            }
        }
        return count;
    }

    public static Vector256<float> Load(float[] plane, int at) => Vector256.LoadUnsafe(ref plane[0], (nuint)at);

    public static void Store(Vector256<float> values, float[] plane, int at) => values.StoreUnsafe(ref plane[0], (nuint)at);
}
