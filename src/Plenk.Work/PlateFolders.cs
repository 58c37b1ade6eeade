using Plenk.Formats.Raster;

namespace Plenk.Work;

/// <summary>
/// Folders on the server that plates may be brought from: PLENK_PLATES, parted by ':'; the demo's own by default. Links are not followed:
/// what lies outside stays outside, and a loop has no end.
/// </summary>
public static class PlateFolders
{
    private static readonly EnumerationOptions NoLinks = new()
    {
        AttributesToSkip = FileAttributes.ReparsePoint | FileAttributes.Hidden,
        IgnoreInaccessible = true,
        RecurseSubdirectories = false,
    };

    /// <summary>The roots themselves may be links: whoever runs the server named them.</summary>
    public static IReadOnlyList<string> Roots =>
        [
            .. (Environment.GetEnvironmentVariable("PLENK_PLATES") ?? Environment.GetEnvironmentVariable("PLENK_DEMO") ?? "")
                .Split(':', StringSplitOptions.RemoveEmptyEntries)
                .Select(Path.GetFullPath)
                .Where(Directory.Exists),
        ];

    /// <summary>Folders that hold mostly frames; one that has a few pictures among other things is no plate.</summary>
    public static IReadOnlyList<(string Path, string Name, int Frames)> Offered() =>
        [
            .. Roots
                .SelectMany(root =>
                    Below(root).Prepend(root).Select(d => (Path: d, Name: Path.GetRelativePath(Path.GetDirectoryName(root)!, d)))
                )
                .Select(d => (d.Path, d.Name, Files: Files(d.Path)))
                .Select(d =>
                    (
                        d.Path,
                        d.Name,
                        All: d.Files.Count,
                        Frames: d.Files.Count(f => FrameIntake.Extensions.Contains(Path.GetExtension(f).ToLowerInvariant()))
                    )
                )
                .Where(d => d.Frames > 0 && 2 * d.Frames >= d.All)
                .OrderBy(d => d.Name, StringComparer.Ordinal)
                .Select(d => (d.Path, d.Name, d.Frames)),
        ];

    private static IEnumerable<string> Below(string folder) =>
        Directory.EnumerateDirectories(folder, "*", NoLinks).SelectMany(d => Below(d).Prepend(d));

    /// <summary>A folder as it is asked for, whole; null where it does not lie below a root, or a link leads to it.</summary>
    public static string? Permitted(string asked)
    {
        if (asked.Length == 0 || asked.Contains('\0'))
        {
            return null;
        }
        string folder = Path.TrimEndingDirectorySeparator(Path.GetFullPath(asked));
        if (
            !Directory.Exists(folder)
            || Roots.FirstOrDefault(r => folder == r || folder.StartsWith(r + Path.DirectorySeparatorChar, StringComparison.Ordinal))
                is not { } root
        )
        {
            return null;
        }
        for (string at = folder; at.Length > root.Length; at = Path.GetDirectoryName(at)!)
        {
            if (new DirectoryInfo(at).Attributes.HasFlag(FileAttributes.ReparsePoint))
            {
                return null;
            }
        }
        return folder;
    }

    /// <summary>The names of a folder's files that are no links.</summary>
    public static IReadOnlyList<string> Files(string folder) =>
        [.. Directory.EnumerateFiles(folder, "*", NoLinks).Select(f => Path.GetFileName(f)).Order(StringComparer.Ordinal)];
}
