namespace Plenk.Core.Algebra;

/// <summary>
/// Elementary functions that give the same bits on every machine: the platform's own choose their instructions by the processor. Plain
/// multiplications and additions in a written order, no fused ones; arguments are reduced in parts (Cody and Waite 1980), what is left is
/// summed as the function's own series. Errors, of the value in units of its last place (measured against 28 decimal digits in the tests):
/// sine, cosine, tangent, exponential, logarithms and arc functions 2 (sine, cosine and tangent near their zeros 1e-16 absolute), for
/// angles up to 1e6; a power 3 + |y ln x|.
/// </summary>
public static class Elementary
{
    // π/2 in three parts, the first two with 33 bits, so that their multiples up to 2²⁰ are exact.
    private const double HalfPi1 = 1.57079632673412561417e+00,
        HalfPi2 = 6.07710050630396597660e-11,
        HalfPi3 = 2.02226624879595063154e-21;
    private const double TwoOverPi = 0.63661977236758134308;

    // ln 2 in two parts, the first with 33 bits.
    private const double Ln2High = 6.93147180369123816490e-01,
        Ln2Low = 1.90821492927058770002e-10,
        OneOverLn2 = 1.44269504088896340736;
    private const double OneOverLn10 = 0.43429448190325182765;

    public static (double Sin, double Cos) SinCos(double x)
    {
        if (!double.IsFinite(x))
        {
            return (double.NaN, double.NaN);
        }
        double n = Math.Round(x * TwoOverPi),
            r = x - n * HalfPi1 - n * HalfPi2 - n * HalfPi3;
        double s = SinNear(r),
            c = CosNear(r);
        return Quarter(n) switch
        {
            0 => (s, c),
            1 => (c, -s),
            2 => (-s, -c),
            _ => (-c, s),
        };
    }

    /// <summary>Which quarter of a turn: a whole number modulo 4.</summary>
    private static int Quarter(double n) => (int)(Math.Abs(n) < 1e15 ? (long)n : (long)(n % 4)) & 3;

    /// <summary>x · 2ⁿ, exactly where the outcome is a normal number.</summary>
    private static double Scaled(double x, int n) =>
        n is > -1000 and < 1000 ? x * BitConverter.Int64BitsToDouble((long)(n + 1023) << 52) : Math.ScaleB(x, n);

    /// <summary>x = m · 2ᵉ with m from 1 to 2.</summary>
    private static (int Exponent, double Mantissa) Parts(double x)
    {
        const long fraction = (1L << 52) - 1;
        long bits = BitConverter.DoubleToInt64Bits(x);
        int e = (int)(bits >> 52);
        if (e > 0)
        {
            return (e - 1023, BitConverter.Int64BitsToDouble((bits & fraction) | (1023L << 52)));
        }
        e = Math.ILogB(x); // below the normal numbers
        return (e, Math.ScaleB(x, -e));
    }

    public static double Sin(double x) => SinCos(x).Sin;

    public static double Cos(double x) => SinCos(x).Cos;

    public static double Tan(double x)
    {
        var (s, c) = SinCos(x);
        return s / c;
    }

    /// <summary>Within π/4: the series of the sine to r¹⁷.</summary>
    private static double SinNear(double r)
    {
        double z = r * r;
        return r
            + r
                * z
                * (
                    -1 / 6.0
                    + z
                        * (
                            1 / 120.0
                            + z
                                * (
                                    -1 / 5040.0
                                    + z
                                        * (
                                            1 / 362880.0
                                            + z
                                                * (
                                                    -1 / 39916800.0
                                                    + z * (1 / 6227020800.0 + z * (-1 / 1307674368000.0 + z * (1 / 355687428096000.0)))
                                                )
                                        )
                                )
                        )
                );
    }

    /// <summary>The series of the cosine to r¹⁸.</summary>
    private static double CosNear(double r)
    {
        double z = r * r;
        return 1
            - z / 2
            + z
                * z
                * (
                    1 / 24.0
                    + z
                        * (
                            -1 / 720.0
                            + z
                                * (
                                    1 / 40320.0
                                    + z
                                        * (
                                            -1 / 3628800.0
                                            + z
                                                * (
                                                    1 / 479001600.0
                                                    + z * (-1 / 87178291200.0 + z * (1 / 20922789888000.0 + z * (-1 / 6402373705728000.0)))
                                                )
                                        )
                                )
                        )
                );
    }

    /// <summary>2ⁿ eʳ with |r| ≤ ln 2 ÷ 2, its series to r¹³.</summary>
    public static double Exp(double x)
    {
        if (double.IsNaN(x))
        {
            return x;
        }
        if (x > 709.8)
        {
            return double.PositiveInfinity;
        }
        if (x < -745.2)
        {
            return 0;
        }
        double n = Math.Round(x * OneOverLn2),
            r = x - n * Ln2High - n * Ln2Low;
        double p =
            1
            + r
                * (
                    1 / 2.0
                    + r
                        * (
                            1 / 6.0
                            + r
                                * (
                                    1 / 24.0
                                    + r
                                        * (
                                            1 / 120.0
                                            + r
                                                * (
                                                    1 / 720.0
                                                    + r
                                                        * (
                                                            1 / 5040.0
                                                            + r
                                                                * (
                                                                    1 / 40320.0
                                                                    + r
                                                                        * (
                                                                            1 / 362880.0
                                                                            + r
                                                                                * (
                                                                                    1 / 3628800.0
                                                                                    + r
                                                                                        * (
                                                                                            1 / 39916800.0
                                                                                            + r * (1 / 479001600.0 + r * (1 / 6227020800.0))
                                                                                        )
                                                                                )
                                                                        )
                                                                )
                                                        )
                                                )
                                        )
                                )
                        )
                );
        return Scaled(1 + r * p, (int)n);
    }

    /// <summary>Exponent and logarithm of the mantissa in √½ … √2: 2 artanh((m − 1) ÷ (m + 1)).</summary>
    private static (double Exponent, double OfMantissa) LogParts(double x)
    {
        var (e, m) = Parts(x);
        if (m > 1.4142135623730951)
        {
            m /= 2;
            e++;
        }
        double s = (m - 1) / (m + 1),
            z = s * s;
        double series =
            z
            * (
                1 / 3.0
                + z
                    * (
                        1 / 5.0
                        + z
                            * (
                                1 / 7.0
                                + z
                                    * (
                                        1 / 9.0
                                        + z
                                            * (
                                                1 / 11.0
                                                + z
                                                    * (
                                                        1 / 13.0
                                                        + z * (1 / 15.0 + z * (1 / 17.0 + z * (1 / 19.0 + z * (1 / 21.0 + z * (1 / 23.0)))))
                                                    )
                                            )
                                    )
                            )
                    )
            );
        return (e, 2 * s + 2 * s * series);
    }

    public static double Log(double x)
    {
        if (!(x > 0) || double.IsPositiveInfinity(x))
        {
            return x == 0 ? double.NegativeInfinity
                : x > 0 ? x
                : double.NaN;
        }
        var (e, m) = LogParts(x);
        return e * Ln2High + (m + e * Ln2Low);
    }

    public static double Log2(double x)
    {
        if (!(x > 0) || double.IsPositiveInfinity(x))
        {
            return Log(x);
        }
        var (e, m) = LogParts(x);
        return e + m * OneOverLn2;
    }

    public static double Log10(double x) => Log(x) * OneOverLn10;

    public static double Pow(double x, double y)
    {
        if (y == 0 || x == 1)
        {
            return 1;
        }
        if (double.IsNaN(x) || double.IsNaN(y))
        {
            return double.NaN;
        }
        if (Math.Abs(y) <= 16 && y == Math.Floor(y))
        {
            return y < 0 ? 1 / Whole(x, (int)-y) : Whole(x, (int)y);
        }
        if (x == 0)
        {
            return y > 0 ? 0 : double.PositiveInfinity;
        }
        if (x < 0)
        {
            return y != Math.Floor(y) ? double.NaN
                : y % 2 == 0 ? Pow(-x, y)
                : -Pow(-x, y);
        }
        return Exp(y * Log(x));
    }

    private static double Whole(double x, int n)
    {
        double result = 1;
        for (; n > 0; n >>= 1, x *= x)
        {
            if ((n & 1) != 0)
            {
                result *= x;
            }
        }
        return result;
    }

    /// <summary>To r¹³ and r¹²: 4e-13 of the value and better.</summary>
    internal static (double Sin, double Cos) SinCosShort(float x)
    {
        if (!float.IsFinite(x))
        {
            return (double.NaN, double.NaN);
        }
        double n = Math.Round(x * TwoOverPi),
            r = x - n * HalfPi1 - n * HalfPi2 - n * HalfPi3,
            z = r * r;
        double s =
            r
            + r
                * z
                * (-1 / 6.0 + z * (1 / 120.0 + z * (-1 / 5040.0 + z * (1 / 362880.0 + z * (-1 / 39916800.0 + z * (1 / 6227020800.0))))));
        double c = 1 - z / 2 + z * z * (1 / 24.0 + z * (-1 / 720.0 + z * (1 / 40320.0 + z * (-1 / 3628800.0 + z * (1 / 479001600.0)))));
        return Quarter(n) switch
        {
            0 => (s, c),
            1 => (c, -s),
            2 => (-s, -c),
            _ => (-c, s),
        };
    }

    /// <summary>To r⁹: 1e-11 of the value.</summary>
    internal static double ExpShort(double x)
    {
        if (double.IsNaN(x))
        {
            return x;
        }
        if (x > 90)
        {
            return double.PositiveInfinity;
        }
        if (x < -105)
        {
            return 0;
        }
        double n = Math.Round(x * OneOverLn2),
            r = x - n * Ln2High - n * Ln2Low;
        double p =
            1
            + r
                * (
                    1 / 2.0
                    + r
                        * (
                            1 / 6.0
                            + r * (1 / 24.0 + r * (1 / 120.0 + r * (1 / 720.0 + r * (1 / 5040.0 + r * (1 / 40320.0 + r * (1 / 362880.0))))))
                        )
                );
        return Scaled(1 + r * p, (int)n);
    }

    /// <summary>To s¹³: 1e-12 of the mantissa's logarithm.</summary>
    internal static double LogShort(double x)
    {
        if (!(x > 0) || double.IsPositiveInfinity(x))
        {
            return Log(x);
        }
        var (e, m) = Parts(x);
        if (m > 1.4142135623730951)
        {
            m /= 2;
            e++;
        }
        double s = (m - 1) / (m + 1),
            z = s * s;
        double series = z * (1 / 3.0 + z * (1 / 5.0 + z * (1 / 7.0 + z * (1 / 9.0 + z * (1 / 11.0 + z * (1 / 13.0))))));
        return e * Ln2High + (2 * s + 2 * s * series + e * Ln2Low);
    }

    /// <summary>Of x > 0, for what is rounded to single precision: 1e-11 + 1e-12 |y ln x| of the value.</summary>
    internal static double PowShort(double x, double y) => ExpShort(y * LogShort(x));

    private static readonly double[] AtanOfQuarters =
    [
        0,
        0.24497866312686415417,
        0.46364760900080611621,
        0.64350110879328438680,
        0.78539816339744830962,
    ];

    public static double Atan(double x)
    {
        double a = Math.Abs(x);
        bool over = a > 1;
        double t = over ? 1 / a : a;
        if (double.IsNaN(x))
        {
            return x;
        }
        int k = (int)Math.Round(4 * t);
        double c = k / 4.0,
            u = (t - c) / (1 + t * c),
            z = u * u;
        double near =
            u
            + u
                * z
                * (
                    -1 / 3.0
                    + z
                        * (
                            1 / 5.0
                            + z
                                * (
                                    -1 / 7.0
                                    + z
                                        * (
                                            1 / 9.0
                                            + z
                                                * (
                                                    -1 / 11.0
                                                    + z * (1 / 13.0 + z * (-1 / 15.0 + z * (1 / 17.0 + z * (-1 / 19.0 + z * (1 / 21.0)))))
                                                )
                                        )
                                )
                        )
                );
        double value = AtanOfQuarters[k] + near;
        if (over)
        {
            value = Math.PI / 2 - value;
        }
        return x < 0 ? -value : value;
    }

    public static double Atan2(double y, double x)
    {
        if (double.IsNaN(x) || double.IsNaN(y))
        {
            return double.NaN;
        }
        double ax = Math.Abs(x),
            ay = Math.Abs(y);
        double a =
            ax == 0 && ay == 0 ? 0
            : double.IsInfinity(ax) && double.IsInfinity(ay) ? Math.PI / 4
            : ay > ax ? Math.PI / 2 - Atan(ax / ay)
            : Atan(ay / ax);
        if (x < 0 || double.IsNegative(x))
        {
            a = Math.PI - a;
        }
        return y < 0 || double.IsNegative(y) ? -a : a;
    }

    public static double Asin(double x) => Math.Abs(x) > 1 ? double.NaN : Atan2(x, Math.Sqrt((1 - x) * (1 + x)));

    public static double Acos(double x) => Math.Abs(x) > 1 ? double.NaN : Atan2(Math.Sqrt((1 - x) * (1 + x)), x);
}

/// <summary>
/// The same in single precision, summed in double precision as far as that asks: within 0.5001 of the last place (a power within 0.501), so
/// nearly always the rounded true value.
/// </summary>
public static class ElementaryF
{
    public static (float Sin, float Cos) SinCos(float x)
    {
        var (s, c) = Elementary.SinCosShort(x);
        return ((float)s, (float)c);
    }

    public static float Sin(float x) => (float)Elementary.SinCosShort(x).Sin;

    public static float Cos(float x) => (float)Elementary.SinCosShort(x).Cos;

    public static float Tan(float x) => (float)Elementary.Tan(x);

    public static float Exp(float x) => (float)Elementary.ExpShort(x);

    public static float Log(float x) => (float)Elementary.LogShort(x);

    public static float Log2(float x) => (float)Elementary.Log2(x);

    public static float Pow(float x, float y) =>
        x > 0 && float.IsFinite(x) && float.IsFinite(y) && !(MathF.Abs(y) <= 16 && y == MathF.Floor(y))
            ? (float)Elementary.PowShort(x, y)
            : (float)Elementary.Pow(x, y);

    public static float Atan2(float y, float x) => (float)Elementary.Atan2(y, x);

    public static float Asin(float x) => (float)Elementary.Asin(x);

    public static float Acos(float x) => (float)Elementary.Acos(x);
}
