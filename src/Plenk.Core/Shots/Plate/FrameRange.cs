using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

public sealed record FrameRange(int First, int Last)
{
    [JsonIgnore]
    public int Count => Last - First + 1;

    public bool Contains(int frame) => frame >= First && frame <= Last;
}
