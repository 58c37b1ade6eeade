using System.Security.Cryptography;

namespace Plenk.Store;

/// <summary>Where media come from: by the SHA-256 of their bytes, in lower-case hex.</summary>
public interface IMedia
{
    /// <summary>Throws <see cref="MissingMediaException"/> when there is no such file.</summary>
    byte[] Read(string hash);
}

public sealed class MissingMediaException(string hash)
    : Exception($"The file {hash[..Math.Min(12, hash.Length)]}… is not in the media store. Bring it in again.");

/// <summary>The disk has no room; nothing was half-written.</summary>
public sealed class DiskFullException(string what) : IOException($"The disk is full: {what} was not kept. Make room and try again.");

/// <summary>Files named by their hash. A file is complete (temporary name, flush, rename) or absent.</summary>
public sealed class MediaStore : IMedia
{
    private static readonly int[] NoRoom = [28, 122]; // ENOSPC; EDQUOT: a limit set for this user

    public string Root { get; }

    public MediaStore(string root)
    {
        Root = root;
        Directory.CreateDirectory(root);
    }

    /// <summary>The disk has no room, or a limit set for this user is met.</summary>
    public static bool IsFull(IOException e) =>
        NoRoom.Contains(e.HResult & 0xFFFF) || e.Message.Contains("No space left", StringComparison.Ordinal);

    public static string HashOf(ReadOnlySpan<byte> bytes) => Convert.ToHexStringLower(SHA256.HashData(bytes));

    public static bool IsHash(string text) => text.Length == 64 && text.All(char.IsAsciiHexDigitLower);

    public string PathOf(string hash)
    {
        if (!IsHash(hash))
        {
            throw new MissingMediaException(hash);
        }
        return Path.Combine(Root, hash[..2], hash);
    }

    public bool Has(string hash) => IsHash(hash) && File.Exists(PathOf(hash));

    public byte[] Read(string hash) => Has(hash) ? File.ReadAllBytes(PathOf(hash)) : throw new MissingMediaException(hash);

    public string Write(ReadOnlySpan<byte> bytes)
    {
        string hash = HashOf(bytes),
            path = PathOf(hash);
        if (File.Exists(path))
        {
            return hash;
        }
        WriteWhole(path, bytes);
        return hash;
    }

    /// <summary>Writes under a temporary name, flushes to disk, renames.</summary>
    public static void WriteWhole(string path, ReadOnlySpan<byte> bytes)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(path)!);
        string temporary = $"{path}.{Guid.NewGuid():N}.tmp";
        try
        {
            using (var file = new FileStream(temporary, FileMode.CreateNew, FileAccess.Write))
            {
                file.Write(bytes);
                file.Flush(flushToDisk: true);
            }
            File.Move(temporary, path, overwrite: true);
        }
        // EFBIG, a limit on the size of files, comes as an argument out of range.
        catch (Exception e) when (e is ArgumentOutOfRangeException || (e is IOException io && IsFull(io)))
        {
            throw new DiskFullException(Path.GetFileName(path));
        }
        finally
        {
            File.Delete(temporary);
        }
    }
}
