using System.Globalization;
using System.Numerics;
using System.Text;
using System.Xml;
using System.Xml.Linq;
using Plenk.Core.Images;

namespace Plenk.Formats.Looks;

/// <summary>ASC CDL v1.2 as XML (.cc, .ccc, .cdl): the first colour correction of the file, or the one with a given id.</summary>
public static class CdlFile
{
    private const string Namespace = "urn:ASC:CDL:v1.01";

    public static Cdl Read(byte[] bytes, string name, string? id = null)
    {
        FormatFault Bad(string what) => new("file", $"{name} {what}", "Export the grade again as .cc, .ccc or .cdl.");
        if (bytes.Length > 10_000_000)
        {
            throw new FormatFault("too_large", $"{name} is larger than 10 MB; a CDL is not", "Choose the CDL file.");
        }
        XDocument document;
        try
        {
            using var reader = XmlReader.Create(
                new MemoryStream(bytes),
                new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null }
            );
            document = XDocument.Load(reader);
        }
        catch (XmlException e)
        {
            throw Bad($"is not a CDL: line {e.LineNumber} is no XML");
        }
        XElement[] all = [.. document.Descendants().Where(e => e.Name.LocalName == "ColorCorrection")];
        XElement correction = (id is null ? all.FirstOrDefault() : all.FirstOrDefault(e => (string?)e.Attribute("id") == id))
            ?? throw Bad(id is null ? "holds no ColorCorrection" : $"holds no correction “{id}”");
        XElement? Find(string local) => correction.Descendants().FirstOrDefault(e => e.Name.LocalName == local);
        Vector3 Three(string local, Vector3 otherwise)
        {
            if (Find(local) is not { } e)
            {
                return otherwise;
            }
            string[] parts = e.Value.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            float[] v =
            [
                .. parts.Select(p =>
                    float.TryParse(p, NumberStyles.Float, CultureInfo.InvariantCulture, out float f) && float.IsFinite(f)
                        ? f
                        : throw Bad($"has “{p}” for a number in its {local}")
                ),
            ];
            return v.Length == 3 ? new(v[0], v[1], v[2]) : throw Bad($"has {v.Length} numbers in its {local} instead of three");
        }
        Vector3 slope = Three("Slope", Vector3.One),
            offset = Three("Offset", Vector3.Zero),
            power = Three("Power", Vector3.One);
        float saturation = 1;
        if (
            Find("Saturation") is { } s
            && !(
                float.TryParse(s.Value.Trim(), NumberStyles.Float, CultureInfo.InvariantCulture, out saturation)
                && float.IsFinite(saturation)
            )
        )
        {
            throw Bad("has a saturation that is no number");
        }
        if (slope.X < 0 || slope.Y < 0 || slope.Z < 0 || !(power.X > 0 && power.Y > 0 && power.Z > 0) || saturation < 0)
        {
            throw Bad("has a negative slope or saturation, or a power that is not above 0");
        }
        return new(slope, offset, power, saturation);
    }

    /// <summary>One correction as a .cc file.</summary>
    public static byte[] Write(Cdl cdl, string id)
    {
        static string N(Vector3 v) => string.Create(CultureInfo.InvariantCulture, $"{v.X:G9} {v.Y:G9} {v.Z:G9}");
        XNamespace n = Namespace;
        var document = new XDocument(
            new XElement(
                n + "ColorCorrection",
                new XAttribute("id", id),
                new XElement(
                    n + "SOPNode",
                    new XElement(n + "Slope", N(cdl.Slope)),
                    new XElement(n + "Offset", N(cdl.Offset)),
                    new XElement(n + "Power", N(cdl.Power))
                ),
                new XElement(n + "SatNode", new XElement(n + "Saturation", cdl.Saturation.ToString("G9", CultureInfo.InvariantCulture)))
            )
        );
        return Encoding.UTF8.GetBytes($"<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n{document}\n");
    }
}
