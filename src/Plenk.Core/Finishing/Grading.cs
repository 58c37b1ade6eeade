using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// Grades of linear colour. What is premultiplied is divided by its coverage before and multiplied after; where there is none it is left
/// alone.
/// </summary>
public sealed class Grading
{
    private readonly Vector3 _gain,
        _lift,
        _power;
    private readonly float _saturation;
    private readonly CurvePoint[]? _curve;
    private readonly double[] _slopes = [];
    private readonly Cdl? _cdl;
    private readonly bool _plain;

    public Grading(GradeSettings grade)
    {
        float stops = ElementaryF.Pow(2, (float)grade.Stops);
        _gain = grade.White.ToSingle() * grade.Gain.ToSingle() * stops;
        _lift = grade.Lift.ToSingle();
        _power = Vector3.One / grade.Gamma.ToSingle();
        _saturation = (float)grade.Saturation;
        _cdl = grade.Cdl?.ToCdl();
        _plain = _power == Vector3.One;
        if (grade.Curve is { Count: > 1 } curve)
        {
            _curve = [.. curve.OrderBy(p => p.In)];
            _slopes = Slopes(_curve);
        }
    }

    /// <summary>A colour that is not premultiplied.</summary>
    public Vector3 Apply(Vector3 c)
    {
        c = c * _gain + _lift;
        if (!_plain)
        {
            c = new(Power(c.X, _power.X), Power(c.Y, _power.Y), Power(c.Z, _power.Z));
        }
        if (_saturation != 1)
        {
            c = new Vector3(Luminance.Of(c)) + _saturation * (c - new Vector3(Luminance.Of(c)));
        }
        if (_curve is not null)
        {
            c = new(Curve(c.X), Curve(c.Y), Curve(c.Z));
        }
        if (_cdl is not null)
        {
            c = Coded(c);
        }
        return c;
    }

    /// <summary>A premultiplied colour of a coverage.</summary>
    public Vector3 Apply(Vector3 premultiplied, float alpha) => alpha > 0 ? Apply(premultiplied / alpha) * alpha : premultiplied;

    /// <summary>What lies below 0 stays as it is: a power of it means nothing.</summary>
    private static float Power(float v, float power) => v > 0 ? ElementaryF.Pow(v, power) : v;

    private Vector3 Coded(Vector3 c)
    {
        static float In(float v) => (float)ColorEncodings.LinearToAcesCct(v);
        static float Out(float v) => (float)ColorEncodings.AcesCctToLinear(v);
        Vector3 code = _cdl!.Apply(new(In(c.X), In(c.Y), In(c.Z)));
        return new(Out(code.X), Out(code.Y), Out(code.Z));
    }

    /// <summary>A cubic through the points that never turns between them (Fritsch and Carlson 1980); straight on beyond the ends.</summary>
    private float Curve(float x)
    {
        CurvePoint[] p = _curve!;
        if (x <= p[0].In)
        {
            return (float)(p[0].Out + _slopes[0] * (x - p[0].In));
        }
        if (x >= p[^1].In)
        {
            return (float)(p[^1].Out + _slopes[^1] * (x - p[^1].In));
        }
        int i = Array.FindIndex(p, q => q.In > x) - 1;
        double span = p[i + 1].In - p[i].In;
        return (float)KeyCurve.Hermite((x - p[i].In) / span, p[i].Out, _slopes[i] * span, p[i + 1].Out, _slopes[i + 1] * span);
    }

    private static double[] Slopes(CurvePoint[] p)
    {
        int n = p.Length;
        double[] secant = [.. Enumerable.Range(0, n - 1).Select(i => (p[i + 1].Out - p[i].Out) / Math.Max(1e-9, p[i + 1].In - p[i].In))];
        var slope = new double[n];
        (slope[0], slope[^1]) = (secant[0], secant[^1]);
        for (int i = 1; i < n - 1; i++)
        {
            slope[i] = secant[i - 1] * secant[i] <= 0 ? 0 : (secant[i - 1] + secant[i]) / 2;
        }
        for (int i = 0; i < n - 1; i++)
        {
            if (secant[i] == 0)
            {
                slope[i] = slope[i + 1] = 0;
                continue;
            }
            double a = slope[i] / secant[i],
                b = slope[i + 1] / secant[i],
                length = a * a + b * b;
            if (length > 9)
            {
                (slope[i], slope[i + 1]) = (3 * a / Math.Sqrt(length) * secant[i], 3 * b / Math.Sqrt(length) * secant[i]);
            }
        }
        return slope;
    }
}
