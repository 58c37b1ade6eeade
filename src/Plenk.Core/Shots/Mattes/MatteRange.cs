using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>What a range is of.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<MatteMeasure>))]
public enum MatteMeasure
{
    /// <summary>Metres from the camera along its axis to the set; where nothing of it is, further than anything.</summary>
    Distance,

    /// <summary>Metres of the world, upwards.</summary>
    Height,

    /// <summary>Degrees between the set's surface and one that faces up: 0 a floor, 90 a wall, 180 a ceiling.</summary>
    Slope,

    /// <summary>The plate's luminance, linear (ITU-R BT.709).</summary>
    Brightness,
}

/// <summary>Whole between two values of something that is known of each pixel; a bound that is open is not there.</summary>
/// <param name="Soft">Beyond either bound it goes to nothing over so much.</param>
public sealed record MatteRange(MatteMeasure Of = MatteMeasure.Distance, double? From = null, double? To = null, double Soft = 0)
{
    /// <summary>How much of something with that value lies in it, 0..1; of one that is not known (NaN) nothing.</summary>
    public float Share(double value) =>
        double.IsNaN(value) ? 0 : (float)(Side(value - (From ?? double.NegativeInfinity)) * Side((To ?? double.PositiveInfinity) - value));

    /// <summary>1 inside, falling straight to 0 over the soft width; ∞ − ∞, beyond everything, is inside.</summary>
    private double Side(double inside) =>
        !(inside < 0) ? 1
        : Soft > 0 ? Math.Max(0, 1 + inside / Soft)
        : 0;
}
