using System.Runtime.Intrinsics;

namespace Plenk.Core.Algebra;

/// <summary>Sums in a stated order: so many lanes whatever the machine has, halves added to halves.</summary>
public static class Lanes
{
    /// <summary>((0 + 4) + (2 + 6)) + ((1 + 5) + (3 + 7)).</summary>
    public static float Sum(Vector256<float> v)
    {
        Vector128<float> h = v.GetLower() + v.GetUpper();
        return (h.GetElement(0) + h.GetElement(2)) + (h.GetElement(1) + h.GetElement(3));
    }

    /// <summary>(0 + 2) + (1 + 3).</summary>
    public static double Sum(Vector256<double> v)
    {
        Vector128<double> h = v.GetLower() + v.GetUpper();
        return h.GetElement(0) + h.GetElement(1);
    }

    /// <summary>Four partial sums, then what is left over.</summary>
    public static double Dot(ReadOnlySpan<double> a, ReadOnlySpan<double> b)
    {
        int i = 0;
        Vector256<double> sum = default;
        for (; i <= a.Length - 4; i += 4)
        {
            sum += Vector256.Create(a[i..]) * Vector256.Create(b[i..]);
        }
        double result = Sum(sum);
        for (; i < a.Length; i++)
        {
            result += a[i] * b[i];
        }
        return result;
    }

    /// <summary>Eight partial sums in single precision, then what is left over.</summary>
    public static double Dot(ReadOnlySpan<float> a, ReadOnlySpan<float> b)
    {
        int i = 0;
        Vector256<float> sum = default;
        for (; i <= a.Length - 8; i += 8)
        {
            sum += Vector256.Create(a[i..]) * Vector256.Create(b[i..]);
        }
        double result = Sum(sum);
        for (; i < a.Length; i++)
        {
            result += a[i] * b[i];
        }
        return result;
    }
}
