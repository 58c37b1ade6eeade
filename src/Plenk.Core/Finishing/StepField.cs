using System.Text.Json.Serialization;

namespace Plenk.Core.Finishing;

/// <summary>What is set of a step: a number, three of them (red, green, blue), a number where 0 stands for none, or one of the shot's lights or mattes.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<FieldShape>))]
public enum FieldShape
{
    Number,
    Triple,
    NumberOrNone,
    Light,
    Matte,
}

/// <summary>A field of a step's sheet.</summary>
/// <param name="Path">Of the value in the step's JSON, like “defocus.fNumber”.</param>
/// <param name="Label">Beside it.</param>
/// <param name="Unit">After it.</param>
/// <param name="Min">Null: no bound.</param>
/// <param name="Digits">After the point, of triples.</param>
public sealed record StepField(
    string Path,
    string Label,
    string Unit = "",
    FieldShape Shape = FieldShape.Number,
    double? Min = null,
    double? Max = null,
    int Digits = 4
);
