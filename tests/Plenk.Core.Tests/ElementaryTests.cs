using System.Globalization;
using Plenk.Core.Algebra;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Our elementary functions against their own series in 28 decimal digits.</summary>
public class ElementaryTests
{
    private const decimal Pi = 3.1415926535897932384626433833m; // Abramowitz and Stegun, table 1.1
    private const decimal Ln2 = 0.6931471805599453094172321215m; // the same

    /// <summary>The framework's own conversion keeps 15 digits.</summary>
    private static decimal Exact(double x) => decimal.Parse(x.ToString("F28", CultureInfo.InvariantCulture), CultureInfo.InvariantCulture);

    private static decimal Exp(decimal x)
    {
        if (x < 0)
        {
            return 1 / Exp(-x);
        }
        if (x > 1)
        {
            decimal half = Exp(x / 2);
            return half * half;
        }
        decimal sum = 1,
            term = 1;
        for (int k = 1; k < 30; k++)
        {
            term *= x / k;
            sum += term;
        }
        return sum;
    }

    /// <summary>Newton's steps on the exponential.</summary>
    private static decimal Log(decimal x)
    {
        decimal y = (decimal)Math.Log((double)x);
        for (int i = 0; i < 4; i++)
        {
            y += 2 * (x - Exp(y)) / (x + Exp(y));
        }
        return y;
    }

    private static decimal Sin(decimal x)
    {
        x -= Math.Round(x / (2 * Pi)) * 2 * Pi;
        decimal sum = x,
            term = x;
        for (int k = 1; k < 40; k++)
        {
            term *= -x * x / ((2 * k) * (2 * k + 1));
            sum += term;
        }
        return sum;
    }

    private static decimal Atan(decimal x)
    {
        // Halved until the series is quick.
        int doubled = 0;
        while (Math.Abs(x) > 0.1m)
        {
            x /= 1 + Root(1 + x * x);
            doubled++;
        }
        decimal sum = x,
            power = x;
        for (int k = 1; k < 40; k++)
        {
            power *= -x * x;
            sum += power / (2 * k + 1);
        }
        return sum * (1 << doubled);
    }

    private static decimal Root(decimal x)
    {
        decimal r = (decimal)Math.Sqrt((double)x);
        for (int i = 0; i < 3; i++)
        {
            r = (r + x / r) / 2;
        }
        return r;
    }

    /// <summary>In units of the last place of the true value, or of 1 where that is smaller than one thinks of.</summary>
    private static double Off(decimal truth, double ours, double least = 0) =>
        Math.Abs((double)(truth - Exact(ours))) / Math.BitIncrement(Math.Max(least, Math.Abs((double)truth))) * Math.Pow(2, 52);

    [Fact]
    public void Sines_exponentials_logarithms_and_arcs_are_within_two_units_of_the_last_place()
    {
        var random = new Random(3);
        for (int i = 0; i < 3000; i++)
        {
            double x =
                (random.NextDouble() - 0.5)
                * (
                    i % 3 == 0 ? 2
                    : i % 3 == 1 ? 100
                    : 20000
                );
            Assert.InRange(Off(Sin(Exact(x)), Elementary.Sin(x), 0.5), 0, 2);
            Assert.InRange(Off(Sin(Exact(x) + Pi / 2), Elementary.Cos(x), 0.5), 0, 2);
            double e = (random.NextDouble() - 0.5) * 40;
            Assert.InRange(Off(Exp(Exact(e)), Elementary.Exp(e)), 0, 2);
            double l = Math.Exp(random.NextDouble() * 40 - 20);
            decimal log = Log(Exact(l));
            Assert.InRange(Off(log, Elementary.Log(l)), 0, 2);
            Assert.InRange(Off(log / Ln2, Elementary.Log2(l), 1e-3), 0, 3);
            double t = Math.Tan((random.NextDouble() - 0.5) * 3.1);
            Assert.InRange(Off(Atan(Exact(t)), Elementary.Atan(t)), 0, 2);
            double s = 2 * random.NextDouble() - 1;
            decimal asin = Atan(Exact(s) / Root(1 - Exact(s) * Exact(s)));
            Assert.InRange(Off(asin, Elementary.Asin(s)), 0, 3);
            Assert.InRange(Off(Pi / 2 - asin, Elementary.Acos(s), 1e-3), 0, 3);
            double b = random.NextDouble() * 3,
                p = random.NextDouble() * 4;
            Assert.InRange(Off(Exp(Exact(p) * Log(Exact(b))), Elementary.Pow(b, p)), 0, 3 + Math.Abs(p * Math.Log(b)));
        }
    }

    /// <summary>Of single precision, in units of its last place: half of one is the best there is.</summary>
    private static double OffSingle(double truth, float ours) =>
        Math.Abs(truth - ours) / (Math.BitIncrement((double)MathF.BitIncrement(MathF.Abs((float)truth))) - Math.Abs((float)truth));

    // Against the double ones, which the digits above hold.
    [Fact]
    public void In_single_precision_they_are_nearly_always_the_rounded_value()
    {
        var random = new Random(4);
        for (int i = 0; i < 200_000; i++)
        {
            float x =
                    (float)(
                        (random.NextDouble() - 0.5)
                        * (
                            i % 3 == 0 ? 2
                            : i % 3 == 1 ? 100
                            : 20000
                        )
                    ),
                e = (float)((random.NextDouble() - 0.5) * 170);
            Assert.InRange(OffSingle(Elementary.Sin(x), ElementaryF.Sin(x)), 0, 0.5001);
            Assert.InRange(OffSingle(Elementary.Cos(x), ElementaryF.Cos(x)), 0, 0.5001);
            Assert.InRange(OffSingle(Elementary.Exp(e), ElementaryF.Exp(e)), 0, 0.5002);
            float l = i % 2 == 0 ? (float)Math.Exp(e) : 1 + x / 1e6f;
            Assert.InRange(OffSingle(Elementary.Log(l), ElementaryF.Log(l)), 0, 0.5001);
            float b = (float)random.NextDouble() * 3,
                p = (float)(random.NextDouble() * 8 - 4);
            if (b > 0)
            {
                Assert.InRange(OffSingle(Elementary.Pow(b, p), ElementaryF.Pow(b, p)), 0, 0.501);
            }
        }
        Assert.Equal(
            (0f, float.PositiveInfinity, 1f, float.NegativeInfinity),
            (ElementaryF.Exp(-200), ElementaryF.Exp(200), ElementaryF.Pow(2, 0), ElementaryF.Log(0))
        );
        Assert.Equal(
            (0f, 8f, 0.25f, float.PositiveInfinity),
            (ElementaryF.Pow(0, 0.5f), ElementaryF.Pow(2, 3), ElementaryF.Pow(2, -2), ElementaryF.Pow(float.PositiveInfinity, 0.5f))
        );
        Assert.True(float.IsNaN(ElementaryF.Log(-1)) && float.IsNaN(ElementaryF.Pow(-2, 0.5f)) && float.IsNaN(ElementaryF.Sin(float.NaN)));
        Assert.Equal((float)Elementary.Log(1e-42f), ElementaryF.Log(1e-42f)); // below the normal numbers
    }

    // IEEE 754-2019, 9.2.1: what they give at their ends.
    [Fact]
    public void Ends_are_as_the_standard_says()
    {
        Assert.True(
            double.IsNaN(Elementary.Sin(double.PositiveInfinity))
                && double.IsNaN(Elementary.Log(-1))
                && double.IsNaN(Elementary.Acos(1.0000001))
                && double.IsNaN(Elementary.Pow(-2, 0.5))
        );
        Assert.Equal(
            (double.NegativeInfinity, double.PositiveInfinity, 0.0),
            (Elementary.Log(0), Elementary.Exp(1000), Elementary.Exp(-1000))
        );
        Assert.Equal(
            (1.0, 0.0, -8.0, 1.0),
            (Elementary.Pow(7, 0), Elementary.Pow(0, 2), Elementary.Pow(-2, 3), Elementary.Pow(double.NaN, 0))
        );
        Assert.Equal((3.0, -2.0, 10.0), (Elementary.Log2(8), Elementary.Log2(0.25), Elementary.Log2(1024)));
        Assert.Equal(
            (Math.PI, -Math.PI, 0.0, Math.PI / 2),
            (Elementary.Atan2(0.0, -1), Elementary.Atan2(-0.0, -1), Elementary.Atan2(0.0, 1), Elementary.Atan2(1, 0))
        );
        Assert.Equal(
            (-Math.PI / 2, 3 * Math.PI / 4, -3 * Math.PI / 4),
            (Elementary.Atan2(-1, 0), Elementary.Atan2(1, -1), Elementary.Atan2(-1, -1))
        );
    }

    [Fact]
    public void Sums_have_a_stated_order_and_parts_do_not_hang_on_threads()
    {
        double[] a = [.. Enumerable.Range(0, 1003).Select(i => Math.Sqrt(i) * (i % 7 - 3))],
            b = [.. Enumerable.Range(0, 1003).Select(i => 1.0 / (i + 1))];
        double[] lanes = new double[4];
        for (int i = 0; i < 1000; i++)
        {
            lanes[i % 4] += a[i] * b[i];
        }
        double twin = lanes[0] + lanes[2] + (lanes[1] + lanes[3]);
        for (int i = 1000; i < 1003; i++)
        {
            twin += a[i] * b[i];
        }
        Assert.Equal(twin, Lanes.Dot((ReadOnlySpan<double>)a, b));
        double[][] parts =
        [
            .. ((int[])[1, 2, 7]).Select(threads =>
            {
                using (Cores.Using(threads))
                {
                    return Chunks.Of(a.Length, 64, (from, to) => a[from..to].Sum());
                }
            }),
        ];
        Assert.Equal(parts[0], parts[1]);
        Assert.Equal(parts[0], parts[2]);
    }
}
