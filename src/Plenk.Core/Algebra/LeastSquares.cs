using MathNet.Numerics.LinearAlgebra;

namespace Plenk.Core.Algebra;

/// <summary>Few unknowns brought to where squares are least.</summary>
public static class LeastSquares
{
    private const int MostRounds = 60;

    /// <summary>
    /// Levenberg and Marquardt’s way (Marquardt 1963) with central differences: the unknowns, the sum of squares, and the inverse of the
    /// normal matrix there; null where that is singular.
    /// </summary>
    /// <param name="residuals">As many numbers every time; one that is not finite refuses the step.</param>
    /// <param name="step">Of the differences, for each unknown.</param>
    public static (double[] At, double Squares, Matrix<double>? Inverse) Solve(
        double[] start,
        Func<double[], double[]> residuals,
        ReadOnlySpan<double> step
    )
    {
        double[] steps = [.. step];
        int n = start.Length;
        double[] x = [.. start],
            now = residuals(x);
        double cost = Squares(now),
            damping = 1e-4;
        Matrix<double> normal = Matrix<double>.Build.Dense(n, n);
        for (int round = 0; round < MostRounds && cost > 0; round++)
        {
            Matrix<double> j = Jacobian(x, residuals, steps, now.Length);
            normal = j.TransposeThisAndMultiply(j);
            Vector<double> right = -j.TransposeThisAndMultiply(Vector<double>.Build.Dense(now));
            double fall = 0;
            for (; damping < 1e12; damping *= 6)
            {
                Matrix<double> damped = normal.Clone();
                for (int k = 0; k < n; k++)
                {
                    damped[k, k] += damping * (normal[k, k] + 1e-12);
                }
                double[] next = [.. damped.Solve(right).Select((d, k) => x[k] + d)],
                    there = residuals(next);
                double c = Squares(there);
                if (c < cost)
                {
                    (fall, x, now, cost) = ((cost - c) / cost, next, there, c);
                    damping = Math.Max(1e-12, damping / 8);
                    break;
                }
            }
            if (fall < 1e-14)
            {
                break;
            }
        }
        Matrix<double> last = Jacobian(x, residuals, steps, now.Length);
        normal = last.TransposeThisAndMultiply(last);
        // Unknowns of several units: told by the matrix whose diagonal is 1.
        double[] scale = [.. Enumerable.Range(0, n).Select(k => Math.Sqrt(Math.Max(normal[k, k], 1e-300)))];
        Matrix<double> even = Matrix<double>.Build.Dense(n, n, (r, c) => normal[r, c] / (scale[r] * scale[c]));
        if (!even.Enumerate().All(double.IsFinite))
        {
            return (x, cost, null);
        }
        double least = even.Evd(Symmetricity.Symmetric).EigenValues.Min(v => v.Real);
        if (!(least > 1e-12))
        {
            return (x, cost, null);
        }
        Matrix<double> inverse = even.Inverse();
        return (x, cost, Matrix<double>.Build.Dense(n, n, (r, c) => inverse[r, c] / (scale[r] * scale[c])));
    }

    private static Matrix<double> Jacobian(double[] x, Func<double[], double[]> residuals, double[] step, int rows)
    {
        Matrix<double> j = Matrix<double>.Build.Dense(rows, x.Length);
        for (int k = 0; k < x.Length; k++)
        {
            double[] moved = [.. x];
            moved[k] = x[k] + step[k];
            double[] up = residuals(moved);
            moved[k] = x[k] - step[k];
            double[] down = residuals(moved);
            for (int i = 0; i < rows; i++)
            {
                j[i, k] = (up[i] - down[i]) / (2 * step[k]);
            }
        }
        return j;
    }

    private static double Squares(double[] r)
    {
        double sum = 0;
        foreach (double v in r)
        {
            sum += v * v;
        }
        return double.IsFinite(sum) ? sum : double.PositiveInfinity;
    }
}
