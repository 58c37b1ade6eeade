using System.Numerics;
using System.Runtime.Intrinsics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Tracking;

/// <summary>Where a patch's offsets lie in a picture: place + A · offset, array coordinates.</summary>
public record struct PatchWarp(double X, double Y, double A11, double A12, double A21, double A22)
{
    public static PatchWarp At(double x, double y) => new(x, y, 1, 0, 0, 1);

    public readonly double Size => A11 * A22 - A12 * A21;
}

/// <summary>
/// A feature as it first appeared. It is settled in other pictures under an affine warp with a change of gain and bias, by the
/// inverse compositional method with the light projected out (Baker and Matthews 2004; Hager and Belhumeur 1998): gradients
/// and Hessian are the template's and are made once.
/// </summary>
public sealed class PatchTemplate
{
    private readonly int _radius;
    private readonly float[] _values; // less their weighted mean
    private readonly float[] _steepest; // six images, offsets contiguous, at right angles to 1 and to the template
    private readonly double[] _inverse; // 6 × 6
    private readonly float[] _weights;
    private readonly double _deviation;

    public bool IsUsable { get; }

    public PatchTemplate(GrayImage image, double x, double y, int radius)
    {
        _radius = radius;
        int n = 2 * radius + 1,
            count = n * n;
        _values = new float[count];
        _weights = new float[count];
        _steepest = new float[6 * count];
        double total = 0,
            mean = 0;
        for (int v = -radius, k = 0; v <= radius; v++)
        {
            for (int u = -radius; u <= radius; u++, k++)
            {
                // A soft window: what lies at the rim may belong to something else.
                float w = 1 - 0.7f * (u * u + v * v) / (2f * radius * radius);
                _weights[k] = w;
                _values[k] = image.At((float)(x + u), (float)(y + v));
                float gx = (image.At((float)(x + u + 1), (float)(y + v)) - image.At((float)(x + u - 1), (float)(y + v))) / 2;
                float gy = (image.At((float)(x + u), (float)(y + v + 1)) - image.At((float)(x + u), (float)(y + v - 1))) / 2;
                ReadOnlySpan<float> row = [gx, gy, gx * u, gx * v, gy * u, gy * v];
                for (int i = 0; i < 6; i++)
                {
                    _steepest[i * count + k] = row[i];
                }
                total += w;
                mean += w * _values[k];
            }
        }
        mean /= total;
        double square = 0;
        for (int k = 0; k < count; k++)
        {
            _values[k] -= (float)mean;
            square += _weights[k] * _values[k] * _values[k];
        }
        _deviation = Math.Sqrt(square / total);
        for (int i = 0; i < 6; i++)
        {
            Span<float> image6 = _steepest.AsSpan(i * count, count);
            double one = 0,
                self = 0;
            for (int k = 0; k < count; k++)
            {
                one += _weights[k] * image6[k];
                self += _weights[k] * image6[k] * _values[k];
            }
            for (int k = 0; k < count; k++)
            {
                image6[k] -= (float)(one / total + (square > 0 ? self / square * _values[k] : 0));
            }
        }
        var hessian = new double[36];
        for (int i = 0; i < 6; i++)
        {
            for (int j = 0; j <= i; j++)
            {
                double sum = 0;
                for (int k = 0; k < count; k++)
                {
                    sum += _weights[k] * _steepest[i * count + k] * (double)_steepest[j * count + k];
                }
                hessian[6 * i + j] = sum;
            }
            hessian[7 * i] *= 1 + 1e-6;
        }
        IsUsable = Cholesky.Solve(hessian, new double[6], 6) is not null && _deviation > 1e-5;
        _inverse = IsUsable ? Cholesky.InverseOfFactor(hessian, 6) : new double[36];
        for (int i = 0; i < 6; i++)
        {
            for (int j = i + 1; j < 6; j++)
            {
                _inverse[6 * i + j] = _inverse[6 * j + i];
            }
        }
        // From here on the weight is part of the steepest-descent images.
        for (int i = 0; i < 6; i++)
        {
            for (int k = 0; k < count; k++)
            {
                _steepest[i * count + k] *= _weights[k];
            }
        }
    }

    /// <summary>Moves the warp to where the template fits best; gives the weighted correlation there, 0 where it is lost.</summary>
    public double Settle(GrayImage image, ref PatchWarp warp)
    {
        int n = 2 * _radius + 1,
            count = n * n,
            lanes = Vector256<float>.Count;
        Span<float> seen = stackalloc float[count + lanes];
        Span<double> along = stackalloc double[6],
            step = stackalloc double[6];
        for (int round = 0; round < 12; round++)
        {
            Sample(image, warp, seen);
            double gain = _deviation / Math.Max(1e-9, Deviation(seen));
            for (int i = 0; i < 6; i++)
            {
                along[i] = gain * Lanes.Dot(_steepest.AsSpan(i * count, count), seen);
            }
            for (int i = 0; i < 6; i++)
            {
                step[i] = 0;
                for (int j = 0; j < 6; j++)
                {
                    step[i] += _inverse[6 * i + j] * along[j];
                }
            }
            double a = 1 + step[2],
                b = step[3],
                c = step[4],
                d = 1 + step[5],
                det = a * d - b * c;
            if (!(det > 0.2 && det < 5) || !(Math.Abs(step[0]) + Math.Abs(step[1]) < 5))
            {
                return 0;
            }
            // W ← W ∘ ΔW⁻¹, ΔW(u) = D u + t.
            double i11 = d / det,
                i12 = -b / det,
                i21 = -c / det,
                i22 = a / det,
                tx = -(i11 * step[0] + i12 * step[1]),
                ty = -(i21 * step[0] + i22 * step[1]);
            var (x, y, a11, a12, a21, a22) = (warp.X, warp.Y, warp.A11, warp.A12, warp.A21, warp.A22);
            warp = new(
                x + a11 * tx + a12 * ty,
                y + a21 * tx + a22 * ty,
                a11 * i11 + a12 * i21,
                a11 * i12 + a12 * i22,
                a21 * i11 + a22 * i21,
                a21 * i12 + a22 * i22
            );
            if (step[0] * step[0] + step[1] * step[1] < 1e-6)
            {
                break;
            }
        }
        Sample(image, warp, seen);
        return Correlation(seen);
    }

    private void Sample(GrayImage image, PatchWarp warp, Span<float> seen)
    {
        for (int v = -_radius, k = 0; v <= _radius; v++)
        {
            float x = (float)(warp.X + warp.A12 * v - warp.A11 * _radius),
                y = (float)(warp.Y + warp.A22 * v - warp.A21 * _radius),
                dx = (float)warp.A11,
                dy = (float)warp.A21;
            for (int u = -_radius; u <= _radius; u++, k++)
            {
                seen[k] = image.At(x, y);
                x += dx;
                y += dy;
            }
        }
    }

    private double Deviation(ReadOnlySpan<float> seen)
    {
        double total = 0,
            sum = 0,
            square = 0;
        for (int k = 0; k < _weights.Length; k++)
        {
            float w = _weights[k],
                v = seen[k];
            total += w;
            sum += w * v;
            square += w * v * v;
        }
        return Math.Sqrt(Math.Max(0, square / total - sum / total * (sum / total)));
    }

    private double Correlation(ReadOnlySpan<float> seen)
    {
        double cross = 0,
            total = 0;
        for (int k = 0; k < _weights.Length; k++)
        {
            cross += _weights[k] * _values[k] * seen[k];
            total += _weights[k];
        }
        double other = Deviation(seen);
        return other > 1e-9 ? cross / total / (_deviation * other) : 0;
    }
}

/// <summary>
/// Translation of a window between two pictures by Lucas–Kanade from coarse to fine (Lucas and Kanade 1981; Bouguet 2000).
/// </summary>
public static class WindowShift
{
    /// <summary>
    /// From a place in one picture to the same in another, which begins as the guess. False where there is no texture in two directions.
    /// </summary>
    /// <param name="levels">How many of the pyramid's levels, finest ones; few keep away from what changes nearby.</param>
    public static bool Find(
        GrayPyramid from,
        GrayPyramid to,
        double x,
        double y,
        int radius,
        ref double toX,
        ref double toY,
        int levels = int.MaxValue
    )
    {
        int n = 2 * radius + 1,
            lanes = Vector256<float>.Count,
            stride = (n + 2 + lanes - 1) / lanes * lanes;
        levels = Math.Min(levels, from.Levels.Length);
        Span<float> wide = stackalloc float[(n + 2) * stride + lanes + 2],
            gx = stackalloc float[n * stride],
            gy = stackalloc float[n * stride],
            other = stackalloc float[n * stride];
        Span<float> mask = stackalloc float[lanes];
        for (int i = 0; i < lanes; i++)
        {
            mask[i] = n / lanes * lanes + i < n ? 1 : 0;
        }
        var last = Vector256.Create(mask);
        double dx = (toX - x) / (1 << (levels - 1)),
            dy = (toY - y) / (1 << (levels - 1));
        for (int level = levels - 1; level >= 0; level--)
        {
            GrayImage a = from.Levels[level],
                b = to.Levels[level];
            double scale = 1.0 / (1 << level),
                left = (x + 0.5) * scale - 0.5 - radius,
                top = (y + 0.5) * scale - 0.5 - radius;
            a.Patch(left - 1, top - 1, n + 2, stride, wide);
            Vector256<float> vxx = default,
                vxy = default,
                vyy = default,
                vm = default,
                vx = default,
                vy = default,
                vax = default,
                vay = default;
            for (int j = 0; j < n; j++)
            {
                ReadOnlySpan<float> row = wide.Slice((j + 1) * stride, stride + 2),
                    up = wide.Slice(j * stride + 1, stride),
                    down = wide.Slice((j + 2) * stride + 1, stride);
                for (int i = 0; i < n; i += lanes)
                {
                    // Beyond the window nothing counts.
                    Vector256<float> inside = i + lanes <= n ? Vector256<float>.One : last;
                    Vector256<float> value = Vector256.Create(row[(i + 1)..]) * inside;
                    Vector256<float> u = (Vector256.Create(row[(i + 2)..]) - Vector256.Create(row[i..])) * 0.5f * inside,
                        v = (Vector256.Create(down[i..]) - Vector256.Create(up[i..])) * 0.5f * inside;
                    u.CopyTo(gx[(j * stride + i)..]);
                    v.CopyTo(gy[(j * stride + i)..]);
                    vxx += u * u;
                    vxy += u * v;
                    vyy += v * v;
                    vm += value;
                    vx += u;
                    vy += v;
                    vax += u * value;
                    vay += v * value;
                }
            }
            double xx = Lanes.Sum(vxx),
                xy = Lanes.Sum(vxy),
                yy = Lanes.Sum(vyy),
                mean = Lanes.Sum(vm),
                sumX = Lanes.Sum(vx),
                sumY = Lanes.Sum(vy),
                ax = Lanes.Sum(vax),
                ay = Lanes.Sum(vay);
            double det = xx * yy - xy * xy,
                pixels = n * n;
            if (det < 1e-9)
            {
                if (level == 0)
                {
                    return false;
                }
                dx *= 2;
                dy *= 2;
                continue;
            }
            mean /= pixels;
            for (int step = 0; step < (level == 0 ? 12 : 8); step++)
            {
                b.Patch(left + dx, top + dy, n, stride, other);
                // The difference of means goes first, so that a change of light is not taken for a move.
                Vector256<float> bx = default,
                    by = default,
                    all = default;
                for (int j = 0; j < n; j++)
                {
                    ReadOnlySpan<float> row = other.Slice(j * stride, stride),
                        ux = gx.Slice(j * stride, stride),
                        uy = gy.Slice(j * stride, stride);
                    for (int i = 0; i < n; i += lanes)
                    {
                        var value = Vector256.Create(row[i..]);
                        all += i + lanes <= n ? value : value * last;
                        bx += value * Vector256.Create(ux[i..]);
                        by += value * Vector256.Create(uy[i..]);
                    }
                }
                double sum = Lanes.Sum(all);
                double off = sum / pixels - mean,
                    ex = ax - Lanes.Sum(bx) + off * sumX,
                    ey = ay - Lanes.Sum(by) + off * sumY;
                double mx = (yy * ex - xy * ey) / det,
                    my = (xx * ey - xy * ex) / det;
                if (!(Math.Abs(mx) + Math.Abs(my) < 20))
                {
                    return false;
                }
                (dx, dy) = (dx + mx, dy + my);
                if (mx * mx + my * my < (level == 0 ? 1e-5 : 1e-3))
                {
                    break;
                }
            }
            if (level > 0)
            {
                dx *= 2;
                dy *= 2;
            }
        }
        (toX, toY) = (x + dx, y + dy);
        return true;
    }
}
