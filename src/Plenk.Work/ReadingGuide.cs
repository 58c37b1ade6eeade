using System.Globalization;
using System.Text;
using Plenk.Core.Readings;

namespace Plenk.Work;

/// <summary>What every reading means, as the guide shows it: from the readings themselves, so that it is true.</summary>
public static class ReadingGuide
{
    private static readonly string[] Steps = ["Plate", "Camera", "Set", "Projection", "Light", "Contact", "Finish", "Hand over"];

    /// <summary>Markdown.</summary>
    public static string Write()
    {
        var text = new StringBuilder(
            """
            # What the readings mean

            A reading is one measured check of a step: a number with its unit, and a tolerance that it is held against. The vial beside it stands level where the number is
            within its tolerance, leans near its end from 80 % of it (for one that must stay over it, below 125 %), and lies against the end outside. “Nothing yet” says what is
            missing. The tolerances below are where a shot begins; yours stand at each reading and are kept with the shot. A press on a reading goes to the worst place of the
            worst frame; the rail draws it over the range where it has a number for each frame.

            One that is near its tolerance or outside, and whose mend is certain, offers it with its amount: an element is raised or lowered by what it
            sinks or floats (its keyed places with it), the sun is turned to where a shadow, a fit or date and place found it, what lights from around is raised or lowered to the level of
            a real shadow. “Look first” shows the comp
            as it would be; nothing is kept until the offer itself is pressed, and Undo takes it back. Black, edge width and grain offer the step that is
            set by measuring.

            """.ReplaceLineEndings("\n")
        );
        foreach (var step in ReadingKind.All.Select(k => k.Blank).GroupBy(r => r.Step).OrderBy(g => g.Key))
        {
            text.Append(CultureInfo.InvariantCulture, $"\n## {step.Key} {Steps[step.Key - 1]}\n");
            foreach (Reading r in step)
            {
                string unit = r.Unit.Length > 0 ? $" {r.Unit}" : "";
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"\n### {r.Name}\n\n{r.How}\n\nMust be {(r.Over ? "over" : "within")} {r.Tolerance:0.####}{unit}.\n"
                );
            }
        }
        return text.ToString();
    }
}
