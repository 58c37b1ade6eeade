using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>
/// What is set: a number, a whole one, three of them, a number where 0 stands for none, one of the shot's lights, mattes or elements, or
/// yes or no.
/// </summary>
[JsonConverter(typeof(JsonStringEnumConverter<FieldShape>))]
public enum FieldShape
{
    Number,
    Whole,
    Triple,
    NumberOrNone,
    Light,

    /// <summary>A light, or an element.</summary>
    Shining,
    Matte,
    Element,
    Tick,
}

/// <summary>Something that can be set of a thing of some kind: a step, a piece.</summary>
/// <param name="Path">
/// Of the value in the thing's JSON, like “defocus.fNumber”; members of lists by their place from 0, like “openings.0.top”.
/// </param>
/// <param name="Label">Beside it.</param>
/// <param name="Unit">After it.</param>
/// <param name="Min">Null: no bound.</param>
/// <param name="Digits">After the point, of triples.</param>
public sealed record KindField(
    string Path,
    string Label,
    string Unit = "",
    FieldShape Shape = FieldShape.Number,
    double? Min = null,
    double? Max = null,
    int Digits = 4
);
