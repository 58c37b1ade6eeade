using System.Reflection;
using System.Security.Cryptography;
using NetVips;

namespace Plenk.Formats;

/// <summary>A font that letters are set in: its file on this machine, and what the text engine calls it.</summary>
public sealed record LetterFont(string File, string Called)
{
    private static readonly Lock Writing = new();
    private static readonly Lazy<LetterFont> SansFont = new(() => Shipped("sans"));
    private static readonly Lazy<LetterFont> SerifFont = new(() => Shipped("serif"));

    /// <summary>The shipped ones, both under the SIL Open Font License.</summary>
    public static LetterFont Sans => SansFont.Value;
    public static LetterFont Serif => SerifFont.Value;

    private static LetterFont Shipped(string name)
    {
        using Stream from = Assembly.GetExecutingAssembly().GetManifestResourceStream($"Plenk.Formats.Lettering.{name}.woff")!;
        var bytes = new byte[from.Length];
        from.ReadExactly(bytes);
        return Of(OpenTypeFont.Read(bytes, name), bytes);
    }

    /// <summary>
    /// Unpacked into a file of its own, under a name of its own: the text engine takes fonts from files, passes over packed ones, and would
    /// take another one of the same family for it.
    /// </summary>
    /// <param name="bytes">The file that the font was read from.</param>
    public static LetterFont Of(OpenTypeFont font, byte[] bytes)
    {
        string family = $"plenk{Convert.ToHexStringLower(SHA256.HashData(bytes))[..24]}",
            path = Path.Combine(Path.GetTempPath(), $"{family}.ttf");
        lock (Writing)
        {
            if (!System.IO.File.Exists(path))
            {
                string half = $"{path}.{Guid.NewGuid():N}";
                System.IO.File.WriteAllBytes(half, font.Named(family));
                System.IO.File.Move(half, path, overwrite: true);
            }
        }
        return new(path, family);
    }
}

/// <summary>A line of text as coverage, cut to its ink.</summary>
public static class LetterPicture
{
    private const int Dpi = 72;

    /// <param name="size">Of the line, pixels.</param>
    /// <returns>Coverage 0..1, row by row from the top; nothing for a text without letters.</returns>
    /// <exception cref="FormatFault">The font's letters cannot be drawn.</exception>
    public static (float[] Values, int Width, int Height) Of(string text, LetterFont font, int size)
    {
        if (string.IsNullOrWhiteSpace(text))
        {
            return ([], 0, 0);
        }
        // The comma ends the name: else its last word would be taken for a weight, and another font for it.
        try
        {
            using Image set = Image.Text(
                System.Net.WebUtility.HtmlEncode(text),
                font: $"{font.Called}, {size}",
                fontfile: font.File,
                dpi: Dpi
            );
            byte[] codes = set.WriteToMemory<byte>();
            return ([.. codes.Select(c => c / 255f)], set.Width, set.Height);
        }
        catch (VipsException)
        {
            throw new FormatFault("font", $"“{text}” cannot be set in this font: its letters are broken", "Take another font.");
        }
    }
}
