using System.Text.Json.Serialization;
using Plenk.Core.Images;

namespace Plenk.Core.Shots;

public sealed record PlateSource : Extensible
{
    public string Name { get; init; } = "";
    public FrameRate Rate { get; init; } = new(24, 1);
    public FrameMapping Mapping { get; init; } = new(1001, 1001);
    public int Width { get; init; }
    public int Height { get; init; }
    public int Bits { get; init; } = 8;

    /// <summary>Of the footage that these frames are a proxy of; null: they are the footage.</summary>
    public int? FullWidth { get; init; }
    public int? FullHeight { get; init; }
    public ColorEncoding Encoding { get; init; } = ColorEncoding.Srgb;

    /// <summary>Of the light that the codes stand for: bt2020, acescg, aces2065-1; null: BT.709's.</summary>
    public string? Primaries { get; init; }

    [JsonIgnore]
    public ColorSpace Space => ColorSpace.Of(Encoding, Primaries);
    public double SensorWidthMm { get; init; } = 36;
    public double SensorHeightMm { get; init; } = 20.25;
    public double? FocalMm { get; init; }

    /// <summary>Of the first frame, hh:mm:ss:ff, and the clip's name, where the files have them.</summary>
    public string? Timecode { get; init; }
    public string? Clip { get; init; }
    public IReadOnlyList<PlateFrame> Frames { get; init; } = [];

    /// <summary>What was wrong with the delivery, as it was found on arrival.</summary>
    public IReadOnlyList<PlateFault> Faults { get; init; } = [];

    /// <summary>The same frames with their grain averaged away along motion; null: not made.</summary>
    public GrainFreeCopy? GrainFree { get; init; }

    public string? MediaAt(int sourceFrame) => Frames.FirstOrDefault(f => f.Frame == sourceFrame)?.Media;

    /// <summary>The plate's own frame that a shot frame shows.</summary>
    public int FrameAt(int shotFrame, FrameRate shot) => Mapping.FrameAt(shotFrame, Rate, shot);
}
