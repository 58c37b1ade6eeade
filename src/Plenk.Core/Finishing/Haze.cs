using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// Air between the camera and what it sees (Koschmieder 1924): C = C₀ T + A (1 − T) with T = exp(−β d), per channel; d metres along the
/// ray, A the airlight, β the extinction a metre. Premultiplied colour takes A (1 − T) times its coverage.
/// </summary>
public static class Haze
{
    public static Vector3 Transmission(HazeSettings haze, double distance)
    {
        float T(double b) =>
            double.IsFinite(distance) ? (float)Elementary.Exp(-b * distance)
            : b > 0 ? 0
            : 1;
        return new(T(haze.PerMetre.X), T(haze.PerMetre.Y), T(haze.PerMetre.Z));
    }

    /// <summary>
    /// As many metres of the floor's haze as lie on a ray: where it thins with height, β(y) = β e^(−y/H), the integral e^(−y₀/H) (1 − e^(−s
    /// d/H)) ÷ (s/H) of a ray from y₀ that rises by s a metre; d itself where it is level (in the limit) or the haze even.
    /// </summary>
    public static double Metres(HazeSettings haze, double fromY, double rise, double distance)
    {
        if (haze.ThinsOverMetres is not { } h)
        {
            return distance;
        }
        double at = Elementary.Exp(-fromY / h),
            steep = rise / h;
        if (Math.Abs(steep) < 1e-9)
        {
            return at * distance;
        }
        // Upwards to no end the rest of the air is finite.
        return double.IsInfinity(distance)
            ? steep > 0
                ? at / steep
                : double.PositiveInfinity
            : at * -Elementary.Exp(-steep * distance) / steep + at / steep;
    }

    /// <summary>A premultiplied colour seen through the air.</summary>
    public static Vector3 Through(HazeSettings haze, Vector3 premultiplied, float alpha, double distance)
    {
        Vector3 t = Transmission(haze, distance);
        return premultiplied * t + haze.Airlight.ToSingle() * (Vector3.One - t) * alpha;
    }

    /// <summary>A fit's answer: the haze, the colour without it, and what is left over (root mean square of the levels).</summary>
    public sealed record Fit(HazeSettings Haze, Vec3 Clear, double Rms);

    /// <summary>
    /// Haze from levels of like surfaces at known distances, by least squares: for every β airlight and clear colour follow linearly, the
    /// best β is searched for (variable projection, Golub and Pereyra 1973).
    /// </summary>
    /// <param name="levels">Linear; at least three distances, or two with <paramref name="clear"/> known.</param>
    /// <param name="clear">The surfaces' colour without haze, where it is known (0: black).</param>
    /// <param name="reason">Why there is no answer, in the artist's terms.</param>
    public static Fit? Of(IReadOnlyList<(double Distance, Vec3 Level)> levels, Vec3? clear, out string reason)
    {
        reason = "";
        (double Distance, Vec3 Level)[] good = [.. levels.Where(l => double.IsFinite(l.Distance) && l.Distance > 0 && l.Level.IsFinite)];
        int needed = clear is null ? 3 : 2;
        double[] distances = [.. good.Select(l => l.Distance).Order()];
        if (good.Length < needed || distances[^1] < 1.2 * distances[0])
        {
            reason =
                $"Haze needs like surfaces at {(needed == 3 ? "three" : "two")} distances that differ by a fifth and more; "
                + $"{(good.Length < needed ? $"{good.Length} {(good.Length == 1 ? "is" : "are")} given" : "these are nearly as far away")}.";
            return null;
        }
        // What differs by a fiftieth and less is the surfaces' own difference.
        if (good.Max(l => l.Level.Y) - good.Min(l => l.Level.Y) <= 0.02 * good.Average(l => l.Level.Y))
        {
            reason = "The levels are as good as even over these distances: there is no haze to tell.";
            return null;
        }
        var (airlight, perMetre, clearColour) = (new double[3], new double[3], new double[3]);
        double rms = 0;
        for (int c = 0; c < 3; c++)
        {
            double[] v =
            [
                .. good.Select(l =>
                    c == 0 ? l.Level.X
                    : c == 1 ? l.Level.Y
                    : l.Level.Z
                ),
            ];
            double? known = clear is { } k
                ? c == 0
                    ? k.X
                    : c == 1
                        ? k.Y
                        : k.Z
                : null;
            (double Error, double A, double C0) At(double beta) => Linear(good, v, beta, known);
            double low = 1e-4 / distances[^1],
                high = 20 / distances[0],
                best = low;
            const int steps = 200;
            for (int i = 0; i <= steps; i++)
            {
                double beta = low * Elementary.Pow(high / low, (double)i / steps);
                if (At(beta).Error < At(best).Error)
                {
                    best = beta;
                }
            }
            double from = best * Elementary.Pow(low / high, 1.0 / steps),
                to = best / Elementary.Pow(low / high, 1.0 / steps);
            for (int i = 0; i < 80; i++)
            {
                double a = to - (to - from) * 0.6180339887498949,
                    b = from + (to - from) * 0.6180339887498949;
                if (At(a).Error < At(b).Error)
                {
                    to = b;
                }
                else
                {
                    from = a;
                }
            }
            (double error, airlight[c], clearColour[c]) = At(perMetre[c] = (from + to) / 2);
            rms += error / good.Length / 3;
        }
        if (airlight.Any(a => a <= 0))
        {
            reason = "The levels do not go towards an airlight with distance: there is no haze to tell, or the surfaces are not alike.";
            return null;
        }
        return new(
            new(new(airlight[0], airlight[1], airlight[2]), new(perMetre[0], perMetre[1], perMetre[2])),
            new(clearColour[0], clearColour[1], clearColour[2]),
            Math.Sqrt(rms)
        );
    }

    private static (double Error, double A, double C0) Linear(
        (double Distance, Vec3 Level)[] levels,
        double[] v,
        double beta,
        double? known
    )
    {
        double aa = 0,
            at = 0,
            tt = 0,
            av = 0,
            tv = 0;
        for (int i = 0; i < v.Length; i++)
        {
            double t = Elementary.Exp(-beta * levels[i].Distance),
                a = 1 - t;
            (aa, at, tt, av, tv) = (aa + a * a, at + a * t, tt + t * t, av + a * v[i], tv + t * v[i]);
        }
        double airlight,
            clear;
        if (known is { } k)
        {
            (airlight, clear) = (aa > 1e-18 ? (av - at * k) / aa : 0, k);
        }
        else
        {
            double det = aa * tt - at * at;
            if (Math.Abs(det) < 1e-15)
            {
                return (double.PositiveInfinity, 0, 0);
            }
            (airlight, clear) = ((av * tt - tv * at) / det, (tv * aa - av * at) / det);
            // A surface gives no negative light.
            if (clear < 0)
            {
                (airlight, clear) = (aa > 1e-18 ? av / aa : 0, 0);
            }
        }
        double error = 0;
        for (int i = 0; i < v.Length; i++)
        {
            double t = Elementary.Exp(-beta * levels[i].Distance),
                r = v[i] - airlight * (1 - t) - clear * t;
            error += r * r;
        }
        return (error, airlight, clear);
    }
}
