using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>Which letter goes first.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<LetterOrder>))]
public enum LetterOrder
{
    Forwards,
    Backwards,
    FromMiddle,
    ToMiddle,
    BySeed,
}
