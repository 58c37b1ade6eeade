using System.Globalization;
using System.Numerics;
using Plenk.Core.Finishing;
using Plenk.Core.Images;

namespace Plenk.Core.Readings;

/// <summary>Step 7: the comp's element against the plate.</summary>
public static class FinishReadings
{
    public static readonly Reading BlackBlank = new()
    {
        Id = "finish.black",
        Step = 7,
        Name = "Black level",
        Unit = "linear",
        Tolerance = 0.005, // common practice, no source
        How =
            "By how much the darkest hundredth of the element in the comp is darker than the plate's in the region, the channel "
            + "that is worst; grain taken off. An element that shows nothing as dark is within.",
    };

    public static readonly Reading WhiteBlank = new()
    {
        Id = "finish.white",
        Step = 7,
        Name = "White level",
        Unit = "%",
        Tolerance = 25,
        How =
            "By how much the brightest hundredth of the element, as far as the plate's codes reach, is brighter than the brightest "
            + "hundredth of the whole plate.",
    };

    public static readonly Reading TintBlank = new()
    {
        Id = "finish.tint",
        Step = 7,
        Name = "Tint of the blacks",
        Unit = "linear",
        Tolerance = 0.005,
        How =
            "How far the element's darkest colour is off the plate's in hue: the largest difference of a channel from the mean of "
            + "the three, where the element shows something about as dark.",
    };

    public static readonly Reading EdgeBlank = new()
    {
        Id = "finish.edge",
        Step = 7,
        Name = "Edge width",
        Unit = "px",
        Tolerance = 0.6,
        How =
            "Width from 10 % to 90 % of the element's own edge, less that of the sharp straight edges of the plate in the region, "
            + "by slanted edges (ISO 12233); pixels of the plate.",
    };

    public static readonly Reading GrainBlank = new()
    {
        Id = "finish.grain",
        Step = 7,
        Name = "Grain",
        Unit = "%",
        Tolerance = 10,
        How =
            "Spread of the grain on the element over that of the plate's flat parts, level by level, less 100 %: the level that is worst.",
    };

    public static readonly Reading HoldoutBlank = new()
    {
        Id = "finish.holdout",
        Step = 7,
        Name = "Holdout edge",
        Unit = "px",
        Tolerance = 0.8,
        How =
            "Width from 10 % to 90 % of the edges that hide the element, less that of the plate's edges in the region; pixels of the plate.",
    };

    /// <summary>One frame's measures; pixels of the plate.</summary>
    /// <param name="Scale">Pixels of the measured picture a pixel of the plate.</param>
    public sealed record Measured(
        int Frame,
        double Scale,
        PlateMeasures Plate,
        Vector3 PlateWhite,
        ElementMeasures Element,
        IReadOnlyList<(double Level, double Ratio)>? Grain
    );

    private static string F(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);

    private static Reading None(Reading blank, int frame) => blank with { Note = $"no element is seen at {frame}" };

    public static Reading Black(Measured m)
    {
        if (m.Element.Black is not { } own)
        {
            return None(BlackBlank, m.Frame);
        }
        Vector3 under = m.Plate.Black - own;
        float worst = MathF.Max(under.X, MathF.Max(under.Y, under.Z));
        return (
            BlackBlank with
            {
                Value = Math.Max(0, worst),
                Note = F($"element {own.Y:0.0000}, plate {m.Plate.Black.Y:0.0000} at {m.Frame}"),
                Worst = new(
                    m.Frame,
                    (m.Element.DarkestX + 0.5) / m.Scale,
                    (m.Element.DarkestY + 0.5) / m.Scale,
                    Words: F($"element's black {own.Y:0.0000}")
                ),
            }
        ).Judged();
    }

    public static Reading White(Measured m)
    {
        if (m.Element.White is not { } own)
        {
            return None(WhiteBlank, m.Frame);
        }
        float e = Luminance.Of(own),
            p = Luminance.Of(m.PlateWhite);
        return p > 0
            ? (
                WhiteBlank with
                {
                    Value = Math.Max(0, 100 * (e / p - 1)),
                    Note = F($"element {e:0.000}, plate {p:0.000} at {m.Frame}"),
                    Worst = new(m.Frame),
                }
            ).Judged()
            : WhiteBlank with
            {
                Note = "the plate is black",
            };
    }

    public static Reading Tint(Measured m)
    {
        if (m.Element.Black is not { } own)
        {
            return None(TintBlank, m.Frame);
        }
        static float Mean(Vector3 v) => (v.X + v.Y + v.Z) / 3;
        // Twice as bright, a dark colour of the element's own is no black.
        if (Mean(own) > 2 * Mean(m.Plate.Black) + 0.005f)
        {
            return TintBlank with { Note = $"the element shows nothing as dark as the plate's black at {m.Frame}" };
        }
        Vector3 off = Vector3.Abs(own - new Vector3(Mean(own)) - (m.Plate.Black - new Vector3(Mean(m.Plate.Black))));
        return (
            TintBlank with
            {
                Value = MathF.Max(off.X, MathF.Max(off.Y, off.Z)),
                Note =
                    F($"element {own.X:0.0000} {own.Y:0.0000} {own.Z:0.0000}, ")
                    + F($"plate {m.Plate.Black.X:0.0000} {m.Plate.Black.Y:0.0000} {m.Plate.Black.Z:0.0000} at {m.Frame}"),
                Worst = new(m.Frame),
            }
        ).Judged();
    }

    public static Reading Edge(Measured m) => Width(EdgeBlank, m, m.Element.EdgePx, "the element has no straight edge that stands alone");

    public static Reading Holdout(Measured m) =>
        Width(HoldoutBlank, m, m.Element.HoldoutPx, "nothing hides the element along a straight edge");

    private static Reading Width(Reading blank, Measured m, double? own, string none)
    {
        if (m.Element.Black is null)
        {
            return None(blank, m.Frame);
        }
        if (m.Plate.EdgePx is not { } plate)
        {
            return blank with { Note = $"the plate has no straight edge in the region at {m.Frame}: choose another region" };
        }
        return own is not { } e
            ? blank with
            {
                Note = $"{none} at {m.Frame}",
            }
            : (
                blank with
                {
                    Value = (e - plate) / m.Scale,
                    Note = F($"{e / m.Scale:0.00} px against {plate / m.Scale:0.00} px of {m.Plate.Edges} edges at {m.Frame}"),
                    Worst = new(m.Frame),
                }
            ).Judged();
    }

    public static Reading Grain(Measured m)
    {
        if (m.Element.Black is null)
        {
            return None(GrainBlank, m.Frame);
        }
        if (m.Plate.Grain is null)
        {
            return GrainBlank with { Note = "no part of the plate is flat enough to tell its grain" };
        }
        if (m.Grain is null)
        {
            return (GrainBlank with { Value = -100, Note = "the element has no grain: add the step", Worst = new(m.Frame) }).Judged();
        }
        if (m.Grain.Count == 0)
        {
            return GrainBlank with { Note = $"the element shows too little at any level at {m.Frame}" };
        }
        var (level, ratio) = m.Grain.MaxBy(g => Math.Abs(g.Ratio - 1));
        return (
            GrainBlank with
            {
                Value = 100 * (ratio - 1),
                Note = F($"worst at level {level:0.000} of {m.Grain.Count}, at {m.Frame}"),
                Worst = new(m.Frame),
            }
        ).Judged();
    }
}
