namespace Plenk.Core.Algebra;

/// <summary>Dense Cholesky on the lower half, rows contiguous.</summary>
public static class Cholesky
{
    /// <summary>Solves A x = b in place of A; null when A is not positive definite.</summary>
    public static double[]? Solve(double[] a, double[] b, int n)
    {
        for (int i = 0; i < n; i++)
        {
            Span<double> row = a.AsSpan(i * n, i + 1);
            for (int j = 0; j < i; j++)
            {
                row[j] = (row[j] - Lanes.Dot(row[..j], a.AsSpan(j * n, j))) / a[j * n + j];
            }
            double d = row[i] - Lanes.Dot(row[..i], row[..i]);
            if (!(d > 0))
            {
                return null;
            }
            row[i] = Math.Sqrt(d);
        }
        var x = (double[])b.Clone();
        for (int i = 0; i < n; i++)
        {
            x[i] = (x[i] - Lanes.Dot(a.AsSpan(i * n, i), x.AsSpan(0, i))) / a[i * n + i];
        }
        for (int i = n - 1; i >= 0; i--)
        {
            x[i] /= a[i * n + i];
            for (int j = 0; j < i; j++)
            {
                x[j] -= a[i * n + j] * x[i];
            }
        }
        return x;
    }

    /// <summary>The inverse (lower half) from the factor that <see cref="Solve"/> left in place of its matrix.</summary>
    public static double[] InverseOfFactor(double[] l, int n)
    {
        // Row by row of L⁻¹, kept as rows of its transpose so that products run along memory.
        var t = new double[n * n]; // t[j, i] = (L⁻¹)[i, j]
        Parallel.For(0, n, Cores.All, j =>
        {
            Span<double> x = t.AsSpan(j * n, n);
            x[j] = 1 / l[j * n + j];
            for (int i = j + 1; i < n; i++)
            {
                x[i] = -Lanes.Dot(l.AsSpan(i * n + j, i - j), x[j..i]) / l[i * n + i];
            }
        });
        var inverse = new double[n * n];
        Parallel.For(0, n, Cores.All, i =>
        {
            for (int j = 0; j <= i; j++)
            {
                inverse[i * n + j] = Lanes.Dot(t.AsSpan(i * n + i, n - i), t.AsSpan(j * n + i, n - i));
            }
        });
        return inverse;
    }
}
