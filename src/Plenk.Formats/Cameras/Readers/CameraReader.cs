using Plenk.Core.Cameras;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras.Readers;

/// <summary>
/// A kind of camera file: how it is told, and what is read of it (docs/camera-files.md gives the shapes). Each has a file of its own here
/// and a line in <see cref="CameraFiles.Readers"/>.
/// </summary>
public abstract class CameraReader
{
    /// <summary>Within a sentence, like “USD text”.</summary>
    public abstract string Name { get; }

    /// <summary>With their dots, lower case.</summary>
    public abstract IReadOnlyList<string> Extensions { get; }

    /// <summary>As a camera of ours: +Y up, looking along −Z, metres.</summary>
    public abstract CameraSource Read(byte[] bytes, string name, CameraImport import);

    /// <summary>As the file has it, nothing assumed; how it is meant is found later.</summary>
    public abstract RawCamera ReadRaw(byte[] bytes, string name, CameraImport import);
}
