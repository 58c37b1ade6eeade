using System.Text.Json.Serialization;

namespace Plenk.Core.Readings;

[JsonConverter(typeof(JsonStringEnumConverter<Verdict>))]
public enum Verdict
{
    /// <summary>Nothing to measure yet; Note says what is missing.</summary>
    Nothing,
    Within,
    Near,
    Outside,
}

/// <summary>Where a reading is worst. Pixels refer to the plate's size; world in metres.</summary>
public sealed record WorstPlace(
    int? Frame = null,
    double? X = null,
    double? Y = null,
    double[]? World = null,
    string? Piece = null,
    string? Words = null
);

/// <summary>One measured check of a step. PerFrame, where there is one, is what the rail draws.</summary>
public sealed record Reading
{
    public required string Id { get; init; }

    /// <summary>1 Plate … 8 Hand over.</summary>
    public required int Step { get; init; }
    public required string Name { get; init; }
    public double? Value { get; init; }
    public required string Unit { get; init; }

    /// <summary>What it is held against unless the artist says otherwise.</summary>
    public required double Tolerance { get; init; }

    /// <summary>The value must stay above the tolerance rather than below it.</summary>
    public bool Over { get; init; }
    public Verdict Verdict { get; init; }
    public string Note { get; init; } = "";
    public required string How { get; init; }
    public WorstPlace? Worst { get; init; }

    /// <summary>Id of what it is worst on: an element; null: of no one thing.</summary>
    public string? Thing { get; init; }

    /// <summary>By what it would be multiplied to be as it should; null: that is not known.</summary>
    public double? Factor { get; init; }
    public IReadOnlyList<FrameValue>? PerFrame { get; init; }

    /// <summary>The same reading with its verdict: near begins at 80 % of the tolerance (125 % for one that must stay above).</summary>
    public Reading Judged() =>
        this with
        {
            Verdict =
                Value is not { } v ? Verdict // said without a number, or nothing yet
                : double.IsNaN(v) ? Verdict.Nothing
                : Over
                    ? (
                        v < Tolerance ? Verdict.Outside
                        : v < 1.25 * Tolerance ? Verdict.Near
                        : Verdict.Within
                    )
                : Math.Abs(v) > Tolerance ? Verdict.Outside
                : Math.Abs(v) >= 0.8 * Tolerance && Tolerance > 0 ? Verdict.Near
                : Verdict.Within,
        };
}

/// <summary>One reading taken at several frames.</summary>
public static class OverFrames
{
    /// <summary>That of the frame where it is worst, with all of them beside it; where no frame has one, the first's reason.</summary>
    public static Reading Worst(IReadOnlyList<(int Frame, Reading Reading)> frames)
    {
        var measured = frames.Where(f => f.Reading.Value is not null).ToList();
        if (measured.Count == 0)
        {
            return frames[0].Reading;
        }
        Reading worst = measured[0].Reading.Over
            ? measured.MinBy(f => f.Reading.Value!.Value).Reading
            : measured.MaxBy(f => Math.Abs(f.Reading.Value!.Value)).Reading;
        return worst with
        {
            PerFrame = measured.Count > 1 ? [.. measured.Select(f => new FrameValue(f.Frame, f.Reading.Value!.Value))] : null,
        };
    }
}

public sealed record FrameValue(int Frame, double Value);
