using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras.Readers;

namespace Plenk.Formats.Cameras;

/// <summary>What a camera file is read against; the lens, where given, overrides the file's.</summary>
public sealed record CameraImport(int Width, int Height, double SensorWidthMm, int FirstFrame, FrameRate Rate, LensValues? Lens = null);

/// <summary>Cameras in, by the kinds of file that there are (docs/camera-files.md gives the shapes).</summary>
public static class CameraFiles
{
    public static IReadOnlyList<CameraReader> Readers { get; } = [new GltfCamera(), new UsdTextCamera(), new JsonCamera(), new CsvCamera()];

    /// <summary>All extensions, as a chooser of files takes them.</summary>
    public static string Accept => string.Join(',', Readers.SelectMany(r => r.Extensions));

    /// <summary>As a camera of ours.</summary>
    public static CameraSource Read(byte[] bytes, string name, CameraImport import)
    {
        CameraSource camera = For(bytes, name).Read(bytes, name, import);
        return camera with { Name = name, Lens = import.Lens ?? camera.Lens };
    }

    /// <summary>As the file has it, nothing assumed; its samples in order.</summary>
    public static RawCamera ReadRaw(byte[] bytes, string name, CameraImport import)
    {
        RawCamera camera = For(bytes, name).ReadRaw(bytes, name, import);
        for (int i = 1; i < camera.Samples.Count; i++)
        {
            if (!(camera.Samples[i].Frame > camera.Samples[i - 1].Frame))
            {
                throw new FormatFault(
                    "file",
                    $"{name}: frame {camera.Samples[i].Frame.ToString(CultureInfo.InvariantCulture)} does not come after "
                        + $"{camera.Samples[i - 1].Frame.ToString(CultureInfo.InvariantCulture)}",
                    "Sort the samples by frame, one each."
                );
            }
        }
        return camera.Samples.Count > 0
            ? camera
            : throw new FormatFault("file", $"{name} holds no samples of a camera", "Export one for every frame.");
    }

    private static CameraReader For(byte[] bytes, string name)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Export the camera again.");
        }
        string extension = Path.GetExtension(name).ToLowerInvariant();
        return Readers.FirstOrDefault(r => r.Extensions.Contains(extension))
            ?? throw new FormatFault(
                "file",
                $"{name} is not a camera file that is taken",
                $"Bring {string.Join(", ", Readers.Select(r => $"{r.Name} ({r.Extensions[0]})"))}."
            );
    }
}
