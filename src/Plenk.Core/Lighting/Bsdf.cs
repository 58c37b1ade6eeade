using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Contact;

namespace Plenk.Core.Lighting;

/// <summary>The glTF metallic-roughness reflectance: GGX with height-correlated Smith masking and Schlick's Fresnel term.</summary>
public static class Bsdf
{
    /// <summary>Trowbridge–Reitz (GGX) distribution; Walter et al. 2007, eq. 33.</summary>
    public static float Distribution(float nh, float alpha)
    {
        float a2 = alpha * alpha,
            d = nh * nh * (a2 - 1) + 1;
        return a2 / (MathF.PI * d * d);
    }

    /// <summary>Smith masking of one direction; Walter et al. 2007, eq. 34.</summary>
    public static float Masking(float c, float alpha)
    {
        float a2 = alpha * alpha;
        return 2 * c / (c + MathF.Sqrt(a2 + (1 - a2) * c * c));
    }

    /// <summary>Height-correlated visibility G / (4 n·l n·v); Heitz 2014.</summary>
    public static float Visibility(float nl, float nv, float alpha)
    {
        float a2 = alpha * alpha;
        return 0.5f / (nl * MathF.Sqrt(a2 + (1 - a2) * nv * nv) + nv * MathF.Sqrt(a2 + (1 - a2) * nl * nl));
    }

    /// <summary>Schlick 1994.</summary>
    public static Vector3 Fresnel(Vector3 f0, float vh, float f90 = 1)
    {
        float m = 1 - vh,
            m2 = m * m;
        return f0 + (new Vector3(f90) - f0) * (m2 * m2 * m);
    }

    /// <summary>Reflectance for unit vectors normal, towards the light, towards the viewer. Without the cosine.</summary>
    public static Vector3 Evaluate(Material m, Vector3 n, Vector3 l, Vector3 v)
    {
        var (diffuse, specular) = Parts(m, n, l, v);
        return diffuse + specular;
    }

    /// <summary>The same in its two parts.</summary>
    public static (Vector3 Diffuse, Vector3 Specular) Parts(Material m, Vector3 n, Vector3 l, Vector3 v)
    {
        float nl = Vector3.Dot(n, l),
            nv = Vector3.Dot(n, v);
        if (nl <= 0 || nv <= 0)
        {
            return default;
        }
        if (!m.Mirrors)
        {
            return (m.Diffuse / MathF.PI, default);
        }
        Vector3 h = Vector3.Normalize(l + v);
        float vh = Vector3.Dot(v, h);
        Vector3 f = Fresnel(m.F0, vh, m.F90);
        float specular = Distribution(Vector3.Dot(n, h), m.Alpha) * Visibility(nl, nv, m.Alpha);
        return ((Vector3.One - f) * m.Diffuse / MathF.PI, f * specular);
    }

    /// <summary>
    /// How densely <see cref="SampleSpecular"/> draws a direction l, per steradian; Heitz, JCGT 2018, eq. 17, and Walter et al. 2007, eq.
    /// 14.
    /// </summary>
    public static float SpecularDensity(Material m, Vector3 n, Vector3 l, Vector3 v)
    {
        float nv = MathF.Max(Vector3.Dot(n, v), 1e-4f),
            nl = Vector3.Dot(n, l);
        if (nl <= 1e-4f)
        {
            return 0;
        }
        return Masking(nv, m.Alpha) * Distribution(Vector3.Dot(n, Vector3.Normalize(l + v)), m.Alpha) / (4 * nv);
    }

    /// <summary>
    /// A reflected direction drawn from the visible normals (Heitz, JCGT 2018) and its weight f · cos / pdf without the
    /// Fresnel term. False when it points below the surface.
    /// </summary>
    public static bool SampleSpecular(Material m, Vector3 n, Vector3 v, Vector2 u, out Vector3 direction, out float weight, out float vh)
    {
        var (t, b) = Tracing.Sampling.Frame(n);
        float alpha = m.Alpha;
        var local = new Vector3(Vector3.Dot(v, t), Vector3.Dot(v, b), MathF.Max(Vector3.Dot(v, n), 1e-4f));
        Vector3 vs = Vector3.Normalize(new Vector3(alpha * local.X, alpha * local.Y, local.Z));
        float length = vs.X * vs.X + vs.Y * vs.Y;
        Vector3 t1 = length > 0 ? new Vector3(-vs.Y, vs.X, 0) / MathF.Sqrt(length) : Vector3.UnitX;
        Vector3 t2 = Vector3.Cross(vs, t1);
        float r = MathF.Sqrt(u.X);
        var (sin, cos) = ElementaryF.SinCos(2 * MathF.PI * u.Y);
        float p1 = r * cos,
            p2 = r * sin,
            s = 0.5f * (1 + vs.Z);
        p2 = (1 - s) * MathF.Sqrt(MathF.Max(0, 1 - p1 * p1)) + s * p2;
        Vector3 nh = p1 * t1 + p2 * t2 + MathF.Sqrt(MathF.Max(0, 1 - p1 * p1 - p2 * p2)) * vs;
        Vector3 h = Vector3.Normalize(new Vector3(alpha * nh.X, alpha * nh.Y, MathF.Max(1e-6f, nh.Z)));
        vh = Vector3.Dot(local, h);
        Vector3 l = 2 * vh * h - local;
        direction = t * l.X + b * l.Y + n * l.Z;
        float nl = l.Z,
            nv = local.Z,
            a2 = alpha * alpha;
        weight = 0;
        if (nl <= 1e-4f || vh <= 0)
        {
            return false;
        }
        // G2 / G1(v) for the height-correlated form.
        float lambdaV = MathF.Sqrt(a2 + (1 - a2) * nv * nv) / nv,
            lambdaL = MathF.Sqrt(a2 + (1 - a2) * nl * nl) / nl;
        weight = (1 + lambdaV) / (lambdaV + lambdaL);
        direction = Vector3.Normalize(direction);
        return true;
    }
}
