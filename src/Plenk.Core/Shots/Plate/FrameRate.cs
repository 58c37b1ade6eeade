using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>Frames a second as a ratio: 24000/1001 is not 23.976.</summary>
public sealed record FrameRate(int Num, int Den)
{
    [JsonIgnore]
    public double PerSecond => (double)Num / Den;

    public override string ToString() => Den == 1 ? $"{Num}" : $"{Num}/{Den}";
}
