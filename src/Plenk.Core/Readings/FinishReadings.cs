using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Step 7.</summary>
public static class FinishReadings
{
    public static readonly Reading Blank = new()
    {
        Id = "finish.black",
        Step = 7,
        Name = "Black level",
        Unit = "linear",
        Tolerance = 0.01,
        How = "Darkest 1 % of the element's pixels, un-premultiplied, less the darkest 1 % of the plate's, as linear luminance (BT.709 weights).",
    };

    public static Reading BlackLevel(ShotDocument shot, FrameLayers layers, FloatImage plate, int frame, int plateWidth)
    {
        var element = new List<(float Value, int Index)>();
        var all = new List<float>();
        for (int i = 0; i < plate.Width * plate.Height; i++)
        {
            all.Add(Images.Luminance.Of(plate.Data.AsSpan(3 * i, 3)));
            ReadOnlySpan<float> e = layers.Element.Data.AsSpan(4 * i, 4);
            if (e[3] > 0.99f && layers.Holdout.Data[i] < 0.01f) { element.Add((Images.Luminance.Of(e[..3]) / e[3], i)); }
        }
        Reading reading = Blank;
        if (element.Count < 50) { return reading with { Note = $"no element is seen at {frame}" }; }
        element.Sort((a, b) => a.Value.CompareTo(b.Value));
        all.Sort();
        var dark = element[element.Count / 100];
        double plateBlack = all[all.Count / 100];
        double scale = (double)plateWidth / plate.Width;
        return (reading with
        {
            Value = dark.Value - plateBlack,
            Note = $"element {dark.Value:0.0000}, plate {plateBlack:0.0000} at {frame}",
            Worst = new(frame, (dark.Index % plate.Width + 0.5) * scale, (dark.Index / plate.Width + 0.5) * scale, Words: $"element's black {dark.Value:0.0000}"),
        }).Judged();
    }

}
