using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>About which spot of it a letter turns and is sized.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<LetterPivot>))]
public enum LetterPivot
{
    Foot,
    Middle,
    Head,
    Left,
    Right,
}
