using Plenk.Core.Shots;
using Plenk.Core.Tracking.Mattes;

namespace Plenk.Web.Sheets;

/// <summary>What sheets say of mattes.</summary>
public static class MatteSheet
{
    public static string Aside(Matte m) =>
        m.Off ? "off"
        : m.Frozen is not null ? "frozen"
        : MatteForms.Of(m).Aside(m);

    /// <summary>A new one by range, as it begins.</summary>
    public static Matte Beyond(string id) =>
        new()
        {
            Id = id,
            Name = "beyond 40 m",
            Kind = MatteKind.Range,
            Range = new(From: 40),
            KeepsTracksOff = false,
        };

    public static IReadOnlyList<(string, string)> Measures { get; } =
    [
        (nameof(MatteMeasure.Distance), "two distances"),
        (nameof(MatteMeasure.Height), "two heights"),
        (nameof(MatteMeasure.Slope), "two slopes"),
        (nameof(MatteMeasure.Brightness), "two brightnesses"),
    ];

    public static string UnitOf(MatteRange range) =>
        range.Of switch
        {
            MatteMeasure.Slope => "°",
            MatteMeasure.Brightness => "",
            _ => "m",
        };

    public static IReadOnlyList<(string, string)> Joins { get; } =
    [("Add", "added"), ("Subtract", "taken away"), ("Within", "what it is within")];
}
