using Plenk.Core.Cameras;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras.Readers;

public sealed class GltfCamera : CameraReader
{
    public override string Name => "a glTF";
    public override IReadOnlyList<string> Extensions => [".glb", ".gltf"];

    public override CameraSource Read(byte[] bytes, string name, CameraImport import) =>
        GltfFile.ReadCamera(bytes, name, import.Width, import.Height, import.FirstFrame, import.Rate);

    public override RawCamera ReadRaw(byte[] bytes, string name, CameraImport import) => FromSource(Read(bytes, name, import));

    private static RawCamera FromSource(CameraSource source) =>
        new()
        {
            Samples =
            [
                .. source.Samples.Select(s => new RawCameraSample(
                    s.Frame,
                    new(s.CameraToWorld[3], s.CameraToWorld[7], s.CameraToWorld[11]),
                    CameraSamples.Rows(s.CameraToWorld, 4),
                    null,
                    s.FocalPx
                )),
            ],
            Width = source.Width,
            Height = source.Height,
        };
}
