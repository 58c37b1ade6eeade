using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>How soft the edge of a real shadow is, and how soft our sun makes it on the set.</summary>
public static class SoftnessReadings
{
    public static readonly Reading Blank = new()
    {
        Id = "contact.softness",
        Step = 6,
        Name = "Shadow softness",
        Unit = "%",
        Tolerance = 25, // common practice, no source
        How =
            "From the lit to the shadowed spot of the real shadow: the width of its edge from 10 to 90 % in the plate (means over 17 "
            + "pixels along the edge, the lens's own width taken off in squares), against that of our sun's visibility on the set along "
            + "the same line. 0: as soft; more than 0: ours is softer.",
    };

    /// <summary>
    /// Width from 90 to 10 % of the way between a profile's ends, in its own steps; null where it has no single edge: its ends are alike, they lie
    /// within the edge, or it crosses a level again.
    /// </summary>
    /// <param name="profile">From lit to dark, at even steps; a sixth of it at either end is even.</param>
    public static double? Width(IReadOnlyList<double> profile)
    {
        int end = Math.Max(2, profile.Count / 6);
        if (profile.Count < 12)
        {
            return null;
        }
        double lit = profile.Take(end).Average(),
            dark = profile.TakeLast(end).Average();
        if (!(lit - dark > 0.05 * Math.Abs(lit)))
        {
            return null;
        }
        // An end that still rises or falls lies within the edge: how wide that is, is not seen.
        bool Even(IEnumerable<double> part) =>
            part.ToArray() is var v && Math.Abs(v.Take(v.Length / 2).Average() - v.Skip(v.Length / 2).Average()) < 0.06 * (lit - dark);
        if (!Even(profile.Take(end)) || !Even(profile.TakeLast(end)))
        {
            return null;
        }
        double? First(double level)
        {
            double at = dark + level * (lit - dark);
            for (int i = 1; i < profile.Count; i++)
            {
                if (profile[i - 1] >= at && profile[i] < at)
                {
                    return i - 1 + (profile[i - 1] - at) / (profile[i - 1] - profile[i]);
                }
            }
            return null;
        }
        if (First(0.9) is not { } from || First(0.1) is not { } to || to <= from)
        {
            return null;
        }
        // Past its edge a shadow stays dark: half way up again is another thing's light.
        return profile.Skip((int)Math.Ceiling(to)).Any(v => v > (lit + dark) / 2) ? null : to - from;
    }

    /// <param name="real">Of the plate, pixels.</param>
    /// <param name="ours">Of our sun on the set, pixels.</param>
    /// <param name="lens">What the plate's sharpest edges are wide, pixels; null: not known.</param>
    public static Reading Of(double real, double ours, double? lens, ShadowPair pair)
    {
        double sharp = lens ?? 0,
            own = Math.Sqrt(Math.Max(0, real * real - sharp * sharp));
        // Below half a pixel beside the lens nothing can be told of the light.
        if (own < 0.5)
        {
            return Blank with
            {
                Note = FormattableString.Invariant(
                    $"the real shadow's edge, {real:0.0} px, is no softer than the lens's, {sharp:0.0} px: nearer to what throws it nothing can be told"
                ),
            };
        }
        return (
            Blank with
            {
                Value = 100 * (ours / own - 1),
                Factor = ours > 0 ? own / ours : null,
                Note = FormattableString.Invariant($"real {own:0.0} px, ours {ours:0.0} px at {pair.Frame}"),
                Worst = new(pair.Frame, (pair.LitX + pair.DarkX) / 2, (pair.LitY + pair.DarkY) / 2),
            }
        ).Judged();
    }
}
