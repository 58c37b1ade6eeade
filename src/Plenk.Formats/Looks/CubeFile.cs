using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Images;

namespace Plenk.Formats.Looks;

/// <summary>
/// Lookup tables as .cube text: LUT_1D_SIZE or LUT_3D_SIZE, DOMAIN_MIN and DOMAIN_MAX, three numbers a line, red fastest; lines
/// that begin with # are comments.
/// </summary>
public static class CubeFile
{
    private const int LargestCube = 129,
        LongestCurve = 65536;

    public static Lut Read(byte[] bytes, string name)
    {
        FormatFault Bad(int line, string what) => new("file", $"{name}, line {line}: {what}", "Export the LUT again as .cube.");
        int size = 0,
            number = 0;
        bool cube = false;
        Vector3 min = Vector3.Zero,
            max = Vector3.One;
        var values = new List<Vector3>();
        if (bytes.Length > 80_000_000)
        {
            throw new FormatFault("too_large", $"{name} is larger than 80 MB; a LUT is not", "Choose the .cube file.");
        }
        using var reader = new StringReader(Encoding.UTF8.GetString(bytes));
        while (reader.ReadLine() is { } line)
        {
            number++;
            string text = line.Trim();
            if (text.Length == 0 || text[0] == '#')
            {
                continue;
            }
            string[] parts = text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            switch (parts[0].ToUpperInvariant())
            {
                case "TITLE":
                    continue;
                case "LUT_1D_SIZE" or "LUT_3D_SIZE":
                    cube = parts[0].Contains("3D", StringComparison.OrdinalIgnoreCase);
                    if (parts.Length != 2 || !int.TryParse(parts[1], out size) || size < 2 || size > (cube ? LargestCube : LongestCurve))
                    {
                        throw Bad(number, $"the size must be between 2 and {(cube ? LargestCube : LongestCurve)}");
                    }
                    continue;
                case "DOMAIN_MIN":
                    min = Three(parts.AsSpan(1)) ?? throw Bad(number, "DOMAIN_MIN needs three numbers");
                    continue;
                case "DOMAIN_MAX":
                    max = Three(parts.AsSpan(1)) ?? throw Bad(number, "DOMAIN_MAX needs three numbers");
                    continue;
                case "LUT_1D_INPUT_RANGE" or "LUT_3D_INPUT_RANGE":
                    if (parts.Length != 3 || !Number(parts[1], out float low) || !Number(parts[2], out float high))
                    {
                        throw Bad(number, "the input range needs two numbers");
                    }
                    (min, max) = (new(low), new(high));
                    continue;
            }
            if (size == 0)
            {
                throw Bad(number, "this is no .cube file: numbers or words come before its size");
            }
            values.Add(Three(parts) ?? throw Bad(number, $"“{(text.Length > 40 ? text[..40] : text)}” is not three numbers"));
        }
        if (size == 0)
        {
            throw Bad(number, "it has no LUT_1D_SIZE or LUT_3D_SIZE");
        }
        int expected = cube ? size * size * size : size;
        if (values.Count != expected)
        {
            throw new FormatFault(
                "file",
                $"{name} holds {values.Count:N0} colours; its size asks for {expected:N0}",
                "It may be cut off. Bring it again."
            );
        }
        Vector3 span = max - min;
        if (!(span.X > 0 && span.Y > 0 && span.Z > 0))
        {
            throw new FormatFault("file", $"{name}: its domain ends before it begins", "Export the LUT again.");
        }
        return new(size, cube, min, max, [.. values]);
    }

    /// <summary>A cube as text.</summary>
    public static byte[] Write(Lut cube, string title)
    {
        var text = new StringBuilder();
        text.Append(CultureInfo.InvariantCulture, $"TITLE \"{title.Replace('"', '\'')}\"\nLUT_3D_SIZE {cube.Size}\n");
        text.Append(CultureInfo.InvariantCulture, $"DOMAIN_MIN {cube.DomainMin.X:G9} {cube.DomainMin.Y:G9} {cube.DomainMin.Z:G9}\n");
        text.Append(CultureInfo.InvariantCulture, $"DOMAIN_MAX {cube.DomainMax.X:G9} {cube.DomainMax.Y:G9} {cube.DomainMax.Z:G9}\n");
        foreach (Vector3 v in cube.Values)
        {
            text.Append(CultureInfo.InvariantCulture, $"{v.X:G9} {v.Y:G9} {v.Z:G9}\n");
        }
        return Encoding.ASCII.GetBytes(text.ToString());
    }

    private static bool Number(string text, out float v) =>
        float.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out v) && float.IsFinite(v);

    private static Vector3? Three(ReadOnlySpan<string> parts) =>
        parts.Length == 3 && Number(parts[0], out float r) && Number(parts[1], out float g) && Number(parts[2], out float b)
            ? new(r, g, b)
            : null;
}
