namespace Plenk.Core.Shots;

/// <summary>A frame of a clean plate.</summary>
/// <param name="Of">The plate's picture that it was made of.</param>
/// <param name="Media">
/// RGBA, 16 bits, in the plate's encoding; the plate itself stands where its alpha is 0, what other frames gave where it is 1, what no
/// frame saw in between.
/// </param>
/// <param name="Given">
/// One channel, 16 bits: by pixel how far the frame that gave the most lies after this one, plus 32768; 0: none did.
/// </param>
/// <param name="Masked">Pixels that were taken out.</param>
/// <param name="Taken">The share of them that other frames gave, 0..1.</param>
/// <param name="Filled">The share that was painted, or that no frame saw.</param>
/// <param name="MadeOf">Tells what it was made of, and how, from what the shot is now.</param>
public sealed record CleanPlateFrame(
    int Frame,
    string Of,
    string Media,
    string Given,
    int Masked,
    double Taken,
    double Filled,
    string MadeOf
);

/// <summary>The plate without what passes before the place, over a range: how it is made, and what has been.</summary>
public sealed record CleanPlate : Extensible
{
    /// <summary>Ids of mattes around what goes.</summary>
    public IReadOnlyList<string> Mattes { get; init; } = [];

    /// <summary>Frames that give nothing, as they are typed: 1001-1010,1020.</summary>
    public string Without { get; init; } = "";

    /// <summary>Frames that are taken alone where they see a place, the first before the others; as they are typed.</summary>
    public string Preferred { get; init; } = "";

    /// <summary>Ids of projected pictures, painted over a frame: what was changed in them is carried to the others.</summary>
    public IReadOnlyList<string> Painted { get; init; } = [];

    /// <summary>Id of a moving thing that what goes lies on; null: it passes before the place.</summary>
    public string? HangsOn { get; init; }

    /// <summary>What is taken and filled stays without the plate's grain.</summary>
    public bool NoGrain { get; init; }

    /// <summary>In their order; those that have been made.</summary>
    public IReadOnlyList<CleanPlateFrame> Frames { get; init; } = [];

    /// <summary>What was told when they were made.</summary>
    public IReadOnlyList<string> Told { get; init; } = [];
}
