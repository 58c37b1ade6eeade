using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Motion.Bodies;

namespace Plenk.Core.Motion.Breaking;

/// <summary>Where dust rises: a part was hit there.</summary>
/// <param name="Jolt">How hard, newton seconds beside gravity's.</param>
public sealed record Puff(int Frame, Vec3 Place, double Jolt);

/// <summary>Dust that rises where parts hit, and its picture.</summary>
public static class Dust
{
    /// <summary>Of two hits nearer than that in place and time, metres and frames, only the harder raises dust.</summary>
    private const double Apart = 0.35;
    private const int Later = 8;
    public const int Most = 40;

    /// <summary>The hardest hits, in the order of their frames.</summary>
    /// <param name="frames">How the parts went.</param>
    public static IReadOnlyList<Puff> Hits(
        IReadOnlyList<BrokenPart> parts,
        IReadOnlyList<FallFrame> frames,
        double rate,
        double gravity,
        int count
    )
    {
        var all = new List<Puff>();
        for (int f = 1; f < frames.Count; f++)
        {
            for (int p = 0; p < parts.Count; p++)
            {
                BodyState was = frames[f - 1].Bodies[p],
                    now = frames[f].Bodies[p];
                // What lies still has gravity taken from it in every frame: that is no hit.
                if (now.Velocity.Length < 0.05 && was.Velocity.Length < 0.05)
                {
                    continue;
                }
                double jolt = parts[p].Body.Mass * (now.Velocity - was.Velocity + gravity / rate * Vec3.UnitY).Length;
                if (jolt > 2 * parts[p].Body.Mass * gravity / rate)
                {
                    all.Add(new(frames[f].Frame, now.Place, jolt));
                }
            }
        }
        var kept = new List<Puff>();
        foreach (Puff hit in all.OrderByDescending(h => h.Jolt).ThenBy(h => h.Frame))
        {
            if (kept.Count == count)
            {
                break;
            }
            if (kept.All(k => (k.Place - hit.Place).Length > Apart || Math.Abs(k.Frame - hit.Frame) > Later))
            {
                kept.Add(hit);
            }
        }
        return [.. kept.OrderBy(h => h.Frame)];
    }

    /// <summary>A cloud of dust in a colour, its own alpha beside it (straight): billows of noise that end within the picture.</summary>
    /// <returns>Four channels, linear.</returns>
    public static FloatImage Picture(int size, int seed, Vec3 color)
    {
        var picture = new FloatImage(size, size, 4);
        Parallel.For(0, size, Cores.All, y =>
        {
            for (int x = 0; x < size; x++)
            {
                double u = (x + 0.5) / size * 2 - 1,
                    v = (y + 0.5) / size * 2 - 1,
                    noise = 0,
                    all = 0,
                    high = 1,
                    weight = 1;
                for (int octave = 0; octave < 5; octave++, high *= 2, weight *= 0.55)
                {
                    noise += weight * Value(3 * high * u, 3 * high * v, (uint)(seed * 31 + octave));
                    all += weight;
                }
                noise /= all;
                // The rim is where the billows are, not a circle.
                double r = Math.Sqrt(u * u + v * v) + 0.35 * (0.5 - noise),
                    edge = Math.Clamp((0.95 - r) / 0.75, 0, 1),
                    rim = Math.Clamp((1 - Math.Sqrt(u * u + v * v)) / 0.12, 0, 1),
                    thick = 2.6 * edge * edge * (0.25 + noise) * rim;
                float light = (float)(0.9 + 0.2 * noise);
                int i = 4 * (y * size + x);
                (picture.Data[i], picture.Data[i + 1], picture.Data[i + 2]) = (
                    light * (float)color.X,
                    light * (float)color.Y,
                    light * (float)color.Z
                );
                picture.Data[i + 3] = (float)(1 - Elementary.Exp(-thick));
            }
        });
        return picture;
    }

    /// <summary>Numbers of a lattice, smooth between (value noise), 0..1.</summary>
    private static double Value(double x, double y, uint seed)
    {
        int i = (int)Math.Floor(x),
            j = (int)Math.Floor(y);
        double u = x - i,
            v = y - j;
        (u, v) = (u * u * (3 - 2 * u), v * v * (3 - 2 * v));
        double At(int a, int b) => HashMix.Of((uint)a + HashMix.Of((uint)b + HashMix.Of(seed))) / 4294967296.0;
        return (1 - v) * ((1 - u) * At(i, j) + u * At(i + 1, j)) + v * ((1 - u) * At(i, j + 1) + u * At(i + 1, j + 1));
    }
}
