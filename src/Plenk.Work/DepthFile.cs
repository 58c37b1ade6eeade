using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Formats;
using Plenk.Formats.Exr;

namespace Plenk.Work;

/// <summary>Depth maps as EXR: depth.Z along the camera's axis, +∞ where none is given, and confidence.Y.</summary>
public static class DepthFile
{
    public static byte[] Write(DepthMap map) =>
        ExrFile.ToBytes(map.Width, map.Height, [new("depth.Z", map.Depth), new("confidence.Y", map.Confidence)]);

    public static DepthMap Read(byte[] bytes, string name)
    {
        ExrPicture picture = ExrFile.Read(bytes, name);
        float[] Of(string channel) =>
            picture.Channels.FirstOrDefault(c => c.Name == channel)?.Values
            ?? throw new FormatFault("unreadable", $"{name} has no channel {channel}", "Make it again.");
        return new DepthMap(picture.Width, picture.Height, Of("depth.Z"), Of("confidence.Y"));
    }

    /// <summary>
    /// A depth picture of another program, of any convention, on the plate's grid and in metres along the camera's axis; where it says
    /// nothing, +∞ and no confidence.
    /// </summary>
    public static DepthMap Import(byte[] bytes, string name, DepthConvention convention, Pinhole pinhole)
    {
        if (convention.Fault is { } fault)
        {
            throw new ShotFault(fault);
        }
        ExrPicture picture = ExrFile.Read(bytes, name);
        // Under any layer's name: Z, or a single Y or R.
        float[] values = picture.Any("Z", "z", "Y", "R")
            ?? throw new FormatFault("unreadable", $"{name} has no channel Z, Y or R", "Render depth as one channel.");
        if (Math.Abs((double)picture.Width / picture.Height - (double)pinhole.Width / pinhole.Height) > 0.01)
        {
            throw new ShotFault(
                $"{name} is {picture.Width} × {picture.Height}, another shape than the plate, {pinhole.Width} × {pinhole.Height}. "
                    + "Render it through the shot's camera."
            );
        }
        Pinhole own = pinhole.Resized(picture.Width, picture.Height);
        var depth = new float[values.Length];
        var confidence = new float[values.Length];
        for (int i = 0; i < values.Length; i++)
        {
            depth[i] = own.TryDirection(i % picture.Width + 0.5, i / picture.Width + 0.5, out Vec3 d)
                ? (float)convention.ToAxis(values[i], d.Length)
                : float.PositiveInfinity;
            confidence[i] = float.IsFinite(depth[i]) ? 1 : 0;
        }
        if (confidence.All(c => c == 0))
        {
            throw new ShotFault($"{name} holds no depth that way: every value means nothing hit. Was it rendered by another convention?");
        }
        var map = new DepthMap(picture.Width, picture.Height, depth, confidence);
        return map.Width == pinhole.Width && map.Height == pinhole.Height ? map : map.Resized(pinhole.Width, pinhole.Height);
    }
}
