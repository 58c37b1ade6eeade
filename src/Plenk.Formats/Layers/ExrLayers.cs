using System.Globalization;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Formats.Exr;

namespace Plenk.Formats.Layers;

/// <summary>
/// A multi-part EXR, a part a layer, the first the back; RGBA associated, as the format has it, half floats. In the header of each part
/// stand texts of our own: plenk:opacity (0 to 1), plenk:blend (a name of <see cref="LayerBlend"/>), plenk:cut and plenk:hidden (true).
/// A file of one part with layers as channel names is read too; those have no order but that of their names.
/// </summary>
public static class ExrLayers
{
    private const string Opacity = "plenk:opacity",
        Blend = "plenk:blend",
        Cut = "plenk:cut",
        Hidden = "plenk:hidden";

    public static byte[] Write(LayeredPicture picture)
    {
        var taken = new HashSet<string>(StringComparer.Ordinal);
        var channels = new List<ExrChannel>();
        var attributes = new Dictionary<string, IReadOnlyDictionary<string, string>>();
        foreach (PaintLayer layer in picture.Layers)
        {
            string name = LayeredFile.Unique(layer.Name, taken);
            FloatImage canvas = LayerMerge.OnCanvas(layer with { Opacity = 1 }, picture.Width, picture.Height);
            for (int i = 0; i < canvas.Data.Length; i += 4)
            {
                for (int c = 0; c < 3; c++)
                {
                    canvas.Data[i + c] *= canvas.Data[i + 3];
                }
            }
            channels.AddRange(ExrChannel.Of(canvas, "RGBA", name, half: true));
            var own = new Dictionary<string, string>
            {
                [Opacity] = layer.Opacity.ToString("R", CultureInfo.InvariantCulture),
                [Blend] = layer.Blend.ToString(),
            };
            if (layer.Clipped)
            {
                own[Cut] = "true";
            }
            if (layer.Hidden)
            {
                own[Hidden] = "true";
            }
            attributes[name] = own;
        }
        return ExrFile.ToBytes(picture.Width, picture.Height, channels, new() { PartPerLayer = true, PartAttributes = attributes });
    }

    internal static int Layers(byte[] bytes, string name) => Named(ExrFile.Read(bytes, name)).Length;

    private static string[] Named(ExrPicture picture) =>
        [.. picture.Channels.Where(c => c.Name.EndsWith(".R", StringComparison.Ordinal)).Select(c => c.Name[..^2]).Distinct()];

    public static LayeredPicture Read(byte[] bytes, string name)
    {
        ExrPicture exr = ExrFile.Read(bytes, name);
        string[] names = Named(exr);
        LayeredFile.Check(exr.DisplayWidth, exr.DisplayHeight, names.Length, (double)exr.Width * exr.Height * names.Length, name);
        if (names.Length == 0)
        {
            throw new FormatFault("unreadable", $"{name} has no layer with a channel R", "Save the layers as RGBA, a part each.");
        }
        PaintLayer[] layers = [.. names.Select(n => Layer(exr, n, name))];
        return new(exr.DisplayWidth, exr.DisplayHeight, layers, Linear: true, 32);
    }

    private static PaintLayer Layer(ExrPicture exr, string layer, string file)
    {
        float[] Plane(string letter, float[]? otherwise) =>
            exr.Channels.FirstOrDefault(c => c.Name == $"{layer}.{letter}")?.Values
            ?? otherwise
            ?? throw new FormatFault("unreadable", $"{file}: the layer “{layer}” has no channel {letter}", "Save it as RGBA.");
        float[] r = Plane("R", null),
            a = Plane("A", [.. Enumerable.Repeat(1f, r.Length)]);
        FloatImage colour = exr.Colour(r, Plane("G", r), Plane("B", r));
        var made = new FloatImage(exr.Width, exr.Height, 4);
        for (int i = 0; i < r.Length; i++)
        {
            float alpha = float.IsFinite(a[i]) ? Math.Clamp(a[i], 0, 1) : float.NaN;
            made.Data[4 * i + 3] = alpha;
            for (int c = 0; c < 3; c++)
            {
                made.Data[4 * i + c] = alpha > 0 ? colour.Data[3 * i + c] / alpha : 0;
            }
            if (!float.IsFinite(made.Data[4 * i] + made.Data[4 * i + 1] + made.Data[4 * i + 2] + alpha))
            {
                throw new FormatFault(
                    "nan",
                    $"{file}: the layer “{layer}” holds a value that is not a number at x {i % exr.Width}, y {i / exr.Width}",
                    "Paint that spot over, or save the file again."
                );
            }
        }
        IReadOnlyDictionary<string, string> own = exr.PartAttributes.GetValueOrDefault(layer) ?? new Dictionary<string, string>();
        string blend = own.GetValueOrDefault(Blend) ?? nameof(LayerBlend.Normal);
        return new(
            layer,
            made,
            exr.DataX,
            exr.DataY,
            double.TryParse(own.GetValueOrDefault(Opacity), NumberStyles.Float, CultureInfo.InvariantCulture, out double o)
                ? Math.Clamp(o, 0, 1)
                : 1,
            Enum.TryParse(blend, out LayerBlend b) && Enum.IsDefined(b)
                ? b
                : throw new FormatFault(
                    "blend",
                    $"{file}: the layer “{layer}” is blended as “{blend}”, which is not known here",
                    $"Write one of {string.Join(", ", Enum.GetNames<LayerBlend>())} into {Blend}."
                )
        )
        {
            Clipped = own.GetValueOrDefault(Cut) == "true",
            Hidden = own.GetValueOrDefault(Hidden) == "true",
        };
    }
}
