using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras.Readers;

public sealed class UsdTextCamera : CameraReader
{
    public override string Name => "USD text";
    public override IReadOnlyList<string> Extensions => [".usda"];

    public override CameraSource Read(byte[] bytes, string name, CameraImport import) =>
        UsdCamera.ToSource(Encoding.UTF8.GetString(bytes), name, import);

    public override RawCamera ReadRaw(byte[] bytes, string name, CameraImport import) =>
        UsdCamera.Read(Encoding.UTF8.GetString(bytes), name);
}
