using System.Reflection;
using NetVips;

namespace Plenk.Formats;

/// <summary>A line of text in a shipped font as coverage, cut to its ink.</summary>
public static class LetterPicture
{
    private const int Dpi = 72;

    /// <param name="size">Of the line, pixels.</param>
    /// <returns>Coverage 0..1, row by row from the top; nothing for a text without letters.</returns>
    public static (float[] Values, int Width, int Height) Of(string text, bool serif, int size)
    {
        if (string.IsNullOrWhiteSpace(text)) { return ([], 0, 0); }
        using Image set = Image.Text(System.Net.WebUtility.HtmlEncode(text), font: serif ? $"Source Serif 4 SemiBold {size}" : $"IBM Plex Sans SemiBold {size}", fontfile: File(serif), dpi: Dpi);
        byte[] codes = set.WriteToMemory<byte>();
        return ([.. codes.Select(c => c / 255f)], set.Width, set.Height);
    }

    private static readonly Lock Writing = new();

    /// <summary>The font as a file of its own: the text engine takes it from one.</summary>
    private static string File(bool serif)
    {
        string name = serif ? "serif.woff" : "sans.woff";
        using Stream from = Assembly.GetExecutingAssembly().GetManifestResourceStream($"Plenk.Formats.Lettering.{name}")!;
        string path = Path.Combine(Path.GetTempPath(), $"plenk-{from.Length}-{name}");
        lock (Writing)
        {
            if (System.IO.File.Exists(path) && new FileInfo(path).Length == from.Length) { return path; }
            string half = $"{path}.{Guid.NewGuid():N}";
            using (FileStream to = System.IO.File.Create(half)) { from.CopyTo(to); }
            System.IO.File.Move(half, path, overwrite: true);
        }
        return path;
    }
}
