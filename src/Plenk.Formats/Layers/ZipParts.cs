using System.IO.Compression;

namespace Plenk.Formats.Layers;

/// <summary>Members of a zip file, which may say that they are small and be endless.</summary>
internal static class ZipParts
{
    /// <exception cref="FormatFault">It is larger unpacked than is held of any picture.</exception>
    public static byte[] Bytes(ZipArchiveEntry entry, string file)
    {
        long most = Math.Min(PictureMemory.Bytes / 4, Array.MaxLength);
        if (entry.Length > most)
        {
            throw TooLarge(entry, file);
        }
        using Stream from = entry.Open();
        using var to = new MemoryStream();
        var part = new byte[1 << 16];
        for (int n; (n = from.Read(part)) > 0; )
        {
            if (to.Length + n > most)
            {
                throw TooLarge(entry, file);
            }
            to.Write(part, 0, n);
        }
        return to.ToArray();
    }

    private static FormatFault TooLarge(ZipArchiveEntry entry, string file) =>
        new(
            "too_large",
            $"{file}: {entry.FullName} is larger unpacked than pictures are held here",
            "Save the painting at the size that is needed."
        );
}
