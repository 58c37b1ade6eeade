using System.Numerics;
using System.Runtime.Intrinsics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Tracking;

namespace Plenk.Core.Sets;

/// <summary>A picture and the camera that saw it; the camera's picture size is the image's.</summary>
public sealed record DepthView(GrayImage Gray, Pose CameraToWorld, Pinhole Pinhole);

/// <summary>Depth along the camera's axis, +∞ where none is given, and confidence 0..1, pixel by pixel.</summary>
public sealed record DepthMap(int Width, int Height, float[] Depth, float[] Confidence)
{
    /// <summary>The same at another size by the nearest pixel: depth is never averaged.</summary>
    public DepthMap Resized(int width, int height)
    {
        var depth = new float[width * height];
        var confidence = new float[width * height];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                int from =
                    Math.Min(Height - 1, (int)((y + 0.5) * Height / height)) * Width
                    + Math.Min(Width - 1, (int)((x + 0.5) * Width / width));
                (depth[y * width + x], confidence[y * width + x]) = (Depth[from], Confidence[from]);
            }
        });
        return new(width, height, depth, confidence);
    }
}

/// <summary>
/// Depth of every pixel from known cameras: planes of even inverse depth are swept through the views (Collins 1996), pixels compared
/// by census transforms (Zabih and Woodfill 1994), of views on two sides the better side counted, costs aggregated along eight
/// paths (Hirschmüller 2008). Given is what stands out against other depths, is seen alike from another view, and is no speck.
/// </summary>
public static class DenseDepth
{
    private const int Small = 4,
        Large = 34; // penalties, in census bits, for a change of one step and of more
    private const int Outside = 30; // cost where another view ends
    private const int LeastSpeck = 60; // pixels

    /// <param name="nearest">Of what is looked for, in the cameras' unit.</param>
    /// <param name="steps">Planes between nearest and farthest; a multiple of 64.</param>
    public static DepthMap Sweep(
        DepthView reference,
        IReadOnlyList<DepthView> others,
        double nearest,
        double farthest,
        int steps = 128,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        if (others.Count == 0)
        {
            throw new ArgumentException("depth needs another view", nameof(others));
        }
        if (!(nearest > 0) || !(farthest > nearest) || steps % 64 != 0)
        {
            throw new ArgumentException("depths lie between a nearest and a farthest one, with a multiple of 64 planes");
        }
        double high = 1 / nearest,
            low = double.IsInfinity(farthest) ? 0 : 1 / farthest;
        Swept own = Best(reference, others, low, high, steps, stop, part => progress?.Invoke(0.5 * part));
        // Looked at from the view farthest away, with this one among its own.
        DepthView partner = others.MaxBy(o => (o.CameraToWorld.Position - reference.CameraToWorld.Position).LengthSquared)!;
        Swept check = Best(
            partner,
            [
                reference,
                .. others.Where(o =>
                    o != partner
                    && (o.CameraToWorld.Position - partner.CameraToWorld.Position).LengthSquared
                        > 0.05 * (reference.CameraToWorld.Position - partner.CameraToWorld.Position).LengthSquared
                ),
            ],
            low,
            high,
            steps,
            stop,
            part => progress?.Invoke(0.5 + 0.5 * part)
        );
        int w = reference.Gray.Width,
            h = reference.Gray.Height;
        double step = (high - low) / (steps - 1);
        var depth = new float[w * h];
        var confidence = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                depth[i] = float.PositiveInfinity;
                double inverse = own.Inverse[i];
                if (!(inverse > 1e-9) || !reference.Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 d))
                {
                    continue;
                }
                Vec3 world = reference.CameraToWorld.ToWorld(d / inverse),
                    there = partner.CameraToWorld.ToLocal(world);
                if (!partner.Pinhole.TryProject(there, out double px, out double py) || !partner.Pinhole.Contains(px, py))
                {
                    continue;
                }
                float seen = check.Inverse[(int)py * w + (int)px];
                if (Math.Abs(seen - 1 / -there.Z) > 1.6 * step)
                {
                    continue;
                }
                depth[i] = (float)(1 / inverse);
                confidence[i] = own.Margin[i];
            }
        });
        Despeckle(depth, confidence, w, h, (float)(2 * step));
        return new(w, h, depth, confidence);
    }

    private sealed record Swept(float[] Inverse, float[] Margin);

    private static Swept Best(
        DepthView reference,
        IReadOnlyList<DepthView> others,
        double low,
        double high,
        int steps,
        CancellationToken stop,
        Action<double> progress
    )
    {
        int w = reference.Gray.Width,
            h = reference.Gray.Height;
        byte[] cost = Costs(reference, others, low, high, steps, stop, part => progress(0.5 * part));
        ushort[] sum = Aggregate(cost, reference.Gray, steps, stop, part => progress(0.5 + 0.5 * part));
        var inverse = new float[w * h];
        var margin = new float[w * h];
        double step = (high - low) / (steps - 1);
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                ReadOnlySpan<ushort> s = sum.AsSpan((y * w + x) * steps, steps);
                int best = 0;
                for (int k = 1; k < steps; k++)
                {
                    if (s[k] < s[best])
                    {
                        best = k;
                    }
                }
                int second = int.MaxValue;
                for (int k = 0; k < steps; k++)
                {
                    if (Math.Abs(k - best) > 2 && s[k] < second)
                    {
                        second = s[k];
                    }
                }
                double at = best;
                if (best > 0 && best < steps - 1)
                {
                    double l = s[best - 1],
                        m = s[best],
                        r = s[best + 1],
                        bend = l - 2 * m + r;
                    if (bend > 0)
                    {
                        at += Math.Clamp(0.5 * (l - r) / bend, -0.5, 0.5);
                    }
                }
                inverse[y * w + x] = (float)(low + at * step);
                margin[y * w + x] = Math.Clamp((second - s[best]) / (0.12f * Math.Max(1, second)), 0, 1);
            }
        });
        return new(inverse, margin);
    }

    /// <summary>7 × 7 census: which neighbours are darker than the pixel, 48 bits.</summary>
    private static ulong[] Census(float[] gray, int w, int h)
    {
        var result = new ulong[w * h];
        Parallel.For(3, h - 3, Cores.All, y =>
        {
            for (int x = 3; x < w - 3; x++)
            {
                float c = gray[y * w + x];
                ulong bits = 0;
                for (int v = -3; v <= 3; v++)
                {
                    for (int u = -3; u <= 3; u++)
                    {
                        if (u == 0 && v == 0)
                        {
                            continue;
                        }
                        bits = bits << 1 | (gray[(y + v) * w + x + u] < c ? 1UL : 0);
                    }
                }
                result[y * w + x] = bits;
            }
        });
        return result;
    }

    /// <summary>A view with its lens taken off: the picture of a straight camera of the same focal length.</summary>
    private static float[] Straight(DepthView view)
    {
        Pinhole p = view.Pinhole;
        if (p.Lens.IsIdentity)
        {
            return view.Gray.Data;
        }
        var result = new float[p.Width * p.Height];
        Parallel.For(0, p.Height, Cores.All, y =>
        {
            for (int x = 0; x < p.Width; x++)
            {
                double nx = (x + 0.5 - p.Cx) / p.Fx,
                    ny = (y + 0.5 - p.Cy) / p.Fy;
                result[y * p.Width + x] = p.Lens.TryDistort(nx, ny, out double dx, out double dy)
                    ? view.Gray.At((float)(p.Cx + p.Fx * dx - 0.5), (float)(p.Cy + p.Fy * dy - 0.5))
                    : 0;
            }
        });
        return result;
    }

    /// <summary>Bits by which the census differs, for every pixel and plane; of the views on either side the better side.</summary>
    private static byte[] Costs(
        DepthView reference,
        IReadOnlyList<DepthView> others,
        double low,
        double high,
        int steps,
        CancellationToken stop,
        Action<double> progress
    )
    {
        int w = reference.Gray.Width,
            h = reference.Gray.Height,
            done = 0;
        ulong[] own = Census(reference.Gray.Data, w, h);
        var views = others
            .Select(o =>
            {
                Matrix3 r = o.CameraToWorld.Rotation.Transpose() * reference.CameraToWorld.Rotation;
                Vec3 t = o.CameraToWorld.ToLocal(reference.CameraToWorld.Position);
                // Sides are told by the way the other lies along the picture.
                return (
                    Census: Census(Straight(o), w, h),
                    Turn: r,
                    Shift: t,
                    o.Pinhole,
                    Side: (reference.CameraToWorld.ToLocal(o.CameraToWorld.Position) is var p && Math.Abs(p.X) > Math.Abs(p.Y) ? p.X : p.Y)
                        > 0
                );
            })
            .ToArray();
        bool twoSides = views.Any(v => v.Side) && views.Any(v => !v.Side);
        var cost = new byte[(long)w * h * steps];
        double step = (high - low) / (steps - 1);
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            Span<int> sums = stackalloc int[2 * steps],
                counts = stackalloc int[2];
            for (int x = 0; x < w; x++)
            {
                Span<byte> row = cost.AsSpan((y * w + x) * steps, steps);
                if (!reference.Pinhole.TryDirection(x + 0.5, y + 0.5, out Vec3 d))
                {
                    row.Fill(Outside);
                    continue;
                }
                sums.Clear();
                counts.Clear();
                ulong bits = own[y * w + x];
                foreach (var v in views)
                {
                    // The ray, and the shift that a plane's nearness adds to it; y down, z forward from here.
                    Vec3 a = v.Turn * d;
                    float ax = (float)a.X,
                        ay = (float)-a.Y,
                        az = (float)-a.Z,
                        tx = (float)v.Shift.X,
                        ty = (float)-v.Shift.Y,
                        tz = (float)-v.Shift.Z;
                    float fx = (float)v.Pinhole.Fx,
                        fy = (float)v.Pinhole.Fy,
                        cx = (float)v.Pinhole.Cx,
                        cy = (float)v.Pinhole.Cy;
                    int side = twoSides && v.Side ? steps : 0;
                    counts[side > 0 ? 1 : 0]++;
                    for (int k = 0; k < steps; k++)
                    {
                        float n = (float)(low + k * step),
                            z = az + tz * n;
                        int bad = Outside;
                        if (z > 1e-6f)
                        {
                            float iz = 1 / z,
                                px = cx + fx * (ax + tx * n) * iz,
                                py = cy + fy * (ay + ty * n) * iz;
                            if (px >= 3 && py >= 3 && px < w - 3 && py < h - 3)
                            {
                                bad = BitOperations.PopCount(bits ^ v.Census[(int)py * w + (int)px]);
                            }
                        }
                        sums[side + k] += bad;
                    }
                }
                for (int k = 0; k < steps; k++)
                {
                    int one = counts[0] > 0 ? sums[k] / counts[0] : int.MaxValue,
                        two = counts[1] > 0 ? sums[steps + k] / counts[1] : int.MaxValue;
                    row[k] = (byte)Math.Min(one, two);
                }
            }
            progress((double)Interlocked.Increment(ref done) / h);
        });
        return cost;
    }

    /// <summary>
    /// Costs summed along eight paths, each of which pays for changes of depth; less for large ones where the picture has an edge.
    /// </summary>
    private static ushort[] Aggregate(byte[] cost, GrayImage gray, int steps, CancellationToken stop, Action<double> progress)
    {
        int w = gray.Width,
            h = gray.Height,
            pad = Vector256<ushort>.Count;
        var sum = new ushort[(long)w * h * steps];
        // Along rows, both ways.
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            var before = new ushort[steps + 2 * pad];
            var now = new ushort[steps + 2 * pad];
            foreach (int way in (int[])[1, -1])
            {
                int x = way > 0 ? 0 : w - 1,
                    from = -1;
                for (int n = 0; n < w; n++, x += way)
                {
                    int i = y * w + x;
                    Step(cost, sum, i, steps, from < 0 ? null : before, now, from < 0 ? 0 : MathF.Abs(gray.Data[i] - gray.Data[from]), pad);
                    (before, now, from) = (now, before, i);
                }
            }
        });
        progress(0.3);
        // From above and from below, straight and both diagonals: row after row.
        foreach (int way in (int[])[1, -1])
        {
            ushort[][] before = [.. Enumerable.Range(0, 3 * w).Select(_ => new ushort[steps + 2 * pad])],
                now = [.. Enumerable.Range(0, 3 * w).Select(_ => new ushort[steps + 2 * pad])];
            int y = way > 0 ? 0 : h - 1;
            for (int n = 0; n < h; n++, y += way)
            {
                stop.ThrowIfCancellationRequested();
                ushort[][] above = before,
                    current = now;
                bool first = n == 0;
                int line = y;
                Parallel.ForEach(System.Collections.Concurrent.Partitioner.Create(0, w, Math.Max(32, w / 8)), Cores.All, range =>
                {
                    for (int x = range.Item1; x < range.Item2; x++)
                    {
                        for (int k = -1; k <= 1; k++)
                        {
                            int u = x + k,
                                i = line * w + x;
                            bool starts = first || u < 0 || u >= w;
                            Step(
                                cost,
                                sum,
                                i,
                                steps,
                                starts ? null : above[3 * u + k + 1],
                                current[3 * x + k + 1],
                                starts ? 0 : MathF.Abs(gray.Data[i] - gray.Data[i - way * w + k]),
                                pad
                            );
                        }
                    }
                });
                (before, now) = (now, before);
            }
            progress(way > 0 ? 0.65 : 1);
        }
        return sum;
    }

    /// <summary>
    /// One step of a path: L(d) = C(d) + min(L'(d), L'(d ± 1) + small, min L' + large) − min L'; added to the sum. Buffers are padded by a
    /// vector on each side.
    /// </summary>
    private static void Step(byte[] cost, ushort[] sum, int pixel, int steps, ushort[]? before, ushort[] now, float edge, int pad)
    {
        long at = (long)pixel * steps;
        Span<ushort> next = now;
        next[..pad].Fill(10000);
        next[(pad + steps)..].Fill(10000);
        if (before is null)
        {
            for (int k = 0; k < steps; k++)
            {
                next[pad + k] = cost[at + k];
                sum[at + k] += cost[at + k];
            }
            return;
        }
        ushort least = ushort.MaxValue;
        for (int k = pad; k < pad + steps; k++)
        {
            least = Math.Min(least, before[k]);
        }
        var small = Vector256.Create((ushort)Small);
        var jump = Vector256.Create((ushort)(least + Math.Max(Small + 2, (int)(Large / (1 + 25 * edge)))));
        var lowest = Vector256.Create(least);
        int width = Vector256<ushort>.Count;
        for (int k = 0; k < steps; k += 2 * width)
        {
            (Vector256<ushort> c0, Vector256<ushort> c1) = Vector256.Widen(Vector256.Create(cost.AsSpan((int)(at + k))));
            for (int half = 0; half < 2; half++)
            {
                int b = pad + k + half * width;
                Vector256<ushort> l = Vector256.Min(
                    Vector256.Min(Vector256.Create(before.AsSpan(b)), jump),
                    Vector256.Min(Vector256.Create(before.AsSpan(b - 1)), Vector256.Create(before.AsSpan(b + 1))) + small
                );
                l = l - lowest + (half == 0 ? c0 : c1);
                l.CopyTo(now.AsSpan(b));
                int s = (int)(at + k + half * width);
                (Vector256.Create(sum.AsSpan(s)) + l).CopyTo(sum.AsSpan(s));
            }
        }
    }

    /// <summary>Takes out patches smaller than a speck that stand apart from what surrounds them.</summary>
    private static void Despeckle(float[] depth, float[] confidence, int w, int h, float tolerance)
    {
        var label = new int[w * h];
        var stack = new Stack<int>();
        var members = new List<int>();
        for (int start = 0; start < label.Length; start++)
        {
            if (label[start] != 0 || float.IsInfinity(depth[start]))
            {
                continue;
            }
            members.Clear();
            stack.Push(start);
            label[start] = 1;
            while (stack.TryPop(out int i))
            {
                members.Add(i);
                int x = i % w;
                Try(i, i - w);
                Try(i, i + w);
                if (x > 0)
                {
                    Try(i, i - 1);
                }
                if (x < w - 1)
                {
                    Try(i, i + 1);
                }
            }
            if (members.Count >= LeastSpeck)
            {
                continue;
            }
            foreach (int i in members)
            {
                (depth[i], confidence[i]) = (float.PositiveInfinity, 0);
            }
        }

        void Try(int from, int to)
        {
            if (
                to < 0
                || to >= label.Length
                || label[to] != 0
                || float.IsInfinity(depth[to])
                || MathF.Abs(1 / depth[to] - 1 / depth[from]) > tolerance
            )
            {
                return;
            }
            label[to] = 1;
            stack.Push(to);
        }
    }
}
