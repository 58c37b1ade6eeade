using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>A rendered picture lit again from its own data: world positions and normals.</summary>
public static class Relight
{
    /// <summary>Rays towards lamps that have a size, for a picture that is looked at while lamps are moved.</summary>
    public const int QuickRays = 8;

    /// <summary>
    /// The surfaces that the positions show, as triangles between neighbouring pixels; torn where they step by more than they can by
    /// slope alone. Null where there are none.
    /// </summary>
    public static TriangleMesh? Surface(FloatImage position, int step = 1)
    {
        int w = position.Width / step,
            h = position.Height / step;
        var number = new int[w * h];
        Array.Fill(number, -1);
        var points = new List<Vector3>();
        Vector3 At(int x, int y)
        {
            Span<float> p = position.Pixel(x * step, y * step);
            return new(p[0], p[1], p[2]);
        }
        for (int y = 0; y < h; y++)
        {
            for (int x = 0; x < w; x++)
            {
                Vector3 p = At(x, y);
                if (!float.IsFinite(p.X + p.Y + p.Z) || p.LengthSquared() is 0 or > 1e16f)
                {
                    continue;
                }
                number[y * w + x] = points.Count;
                points.Add(p);
            }
        }
        var indices = new List<int>();
        // A step counts as a tear against the smaller of its neighbouring steps.
        bool Whole(Vector3 a, Vector3 b, Vector3 c)
        {
            float ab = Vector3.Distance(a, b),
                bc = Vector3.Distance(b, c),
                ca = Vector3.Distance(c, a),
                least = MathF.Min(ab, MathF.Min(bc, ca)),
                most = MathF.Max(ab, MathF.Max(bc, ca));
            return most < 12 * least;
        }
        for (int y = 0; y + 1 < h; y++)
        {
            for (int x = 0; x + 1 < w; x++)
            {
                int a = number[y * w + x],
                    b = number[y * w + x + 1],
                    c = number[(y + 1) * w + x],
                    d = number[(y + 1) * w + x + 1];
                if (a >= 0 && b >= 0 && c >= 0 && Whole(points[a], points[b], points[c]))
                {
                    indices.AddRange([a, c, b]);
                }
                if (b >= 0 && c >= 0 && d >= 0 && Whole(points[b], points[c], points[d]))
                {
                    indices.AddRange([b, c, d]);
                }
            }
        }
        return indices.Count == 0 ? null : new([.. points], [.. indices]);
    }

    /// <summary>
    /// The light that lamps and ambient make of it, linear RGB: albedo/π · E, and a highlight. Nothing where a position is not finite or a
    /// normal is zero.
    /// </summary>
    /// <param name="albedo">Null: the look's grey.</param>
    /// <param name="eye">Where it was rendered from; null: not known, and there is no highlight.</param>
    /// <param name="occluders">What casts shadows; null: nothing does.</param>
    /// <param name="onSet">
    /// The occluders are the surfaces themselves: a ray starts on the one that lies under the position, however coarse that is.
    /// </param>
    public static FloatImage Light(
        FloatImage position,
        FloatImage normal,
        FloatImage? albedo,
        LightRig rig,
        RelightLook look,
        Vector3? eye,
        TraceScene? occluders,
        CancellationToken stop = default,
        int rays = QuickRays,
        bool onSet = false
    )
    {
        var result = new FloatImage(position.Width, position.Height, 3);
        IReadOnlyList<SampledLight> lamps = rig.Sampled;
        bool shiny = look.Specular > 0 && eye is not null;
        float faint = ElementaryF.Exp(ElementaryF.Log(1e-6f) / MathF.Max(1, look.Width)); // beyond it a highlight is a millionth of its middle
        Vector3 even = new Vector3(look.Ambient) + (rig.FillPlate + rig.FillNew) / MathF.PI;
        Parallel.For(0, position.Height, Cores.Until(stop), y =>
        {
            for (int x = 0; x < position.Width; x++)
            {
                int i = y * position.Width + x;
                var p = new Vector3(position.Data[3 * i], position.Data[3 * i + 1], position.Data[3 * i + 2]);
                var n = new Vector3(normal.Data[3 * i], normal.Data[3 * i + 1], normal.Data[3 * i + 2]);
                float length = n.Length();
                if (!float.IsFinite(p.X + p.Y + p.Z + length) || length < 1e-3f || p.LengthSquared() > 1e16f)
                {
                    continue;
                }
                n /= length;
                Vector3 colour = albedo is null
                        ? new(look.Albedo)
                        : new(albedo.Data[3 * i], albedo.Data[3 * i + 1], albedo.Data[3 * i + 2]),
                    v = eye is { } e ? Vector3.Normalize(e - p) : n;
                // Off the surface by what a pixel of it may be uneven, so that it does not shade itself.
                Vector3 from = onSet ? OnSet(occluders!, p, n) : p + n * (2e-3f * (eye is { } at ? Vector3.Distance(at, p) : 1));
                Vector3 sum = colour * even;
                Vector3 Reflected(Vector3 d)
                {
                    Vector3 reflected = colour * (look.Diffuse / MathF.PI);
                    if (!shiny)
                    {
                        return reflected;
                    }
                    float nh = MathF.Max(0, Vector3.Dot(n, Vector3.Normalize(d + v)));
                    return nh > faint
                        ? reflected + new Vector3(look.Specular * (look.Width + 2) / (2 * MathF.PI) * ElementaryF.Pow(nh, look.Width))
                        : reflected;
                }
                uint seed = Sampling.PixelSeed(x, y, 17);
                for (int k = 0; k < lamps.Count; k++)
                {
                    if (lamps[k] is PointLight point)
                    {
                        Vector3 e1 = point.At(p, n, out Vector3 d, out float distance);
                        if (
                            e1 == default
                            || (
                                look.Shadows
                                && point.CastsShadow
                                && occluders?.Occluded(new Ray(from, d, 0, distance * (1 - 1e-5f)), RayKinds.LightSet) == true
                            )
                        )
                        {
                            continue;
                        }
                        sum += Reflected(d) * e1;
                        continue;
                    }
                    for (uint j = 0; j < rays; j++)
                    {
                        LightSample s = lamps[k].Sample(p, n, Sampling.Point(j, seed, (uint)k), null);
                        if (
                            !(s.Factor > 0)
                            || (look.Shadows && occluders?.Occluded(new Ray(from, s.Direction, 0, s.Distance), RayKinds.LightSet) == true)
                        )
                        {
                            continue;
                        }
                        sum += Reflected(s.Direction) * s.Irradiance / rays;
                    }
                }
                (result.Data[3 * i], result.Data[3 * i + 1], result.Data[3 * i + 2]) = (sum.X, sum.Y, sum.Z);
            }
        });
        return result;
    }

    /// <summary>
    /// Just off the set's own surface that lies nearest under a position, along its normal; else a little off the position.
    /// </summary>
    private static Vector3 OnSet(TraceScene set, Vector3 p, Vector3 n)
    {
        float reach = 2e-3f * (1 + p.Length());
        var ray = new Ray(p + n * reach, -n, 0, 2 * reach);
        Hit hit = set.Intersect(ray, RayKinds.LightSet);
        Vector3 at = hit.IsHit ? ray.At(hit.T) : p;
        return at + n * (hit.IsHit ? SetPass.SurfaceOffset(at, at.Length()) : reach);
    }
}
