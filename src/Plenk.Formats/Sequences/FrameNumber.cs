using System.Text.RegularExpressions;

namespace Plenk.Formats.Sequences;

/// <summary>
/// The number of a frame in a file's name: the last digits before its ending, unless they are a version's (<c>roof_v003.png</c> has none).
/// </summary>
public static partial class FrameNumber
{
    [GeneratedRegex(@"(?<!(?:^|[^A-Za-z])[vV]\d*)(\d+)(?=\.[^.]*$)", RegexOptions.CultureInvariant)]
    private static partial Regex Digits();

    /// <summary>Null where the name has none; a number too long to be one is told by <paramref name="tooLong"/>.</summary>
    public static int? Of(string name, out bool tooLong)
    {
        Match m = Digits().Match(name);
        tooLong = m.Success && !int.TryParse(m.Value, out _);
        return m.Success && !tooLong ? int.Parse(m.Value, System.Globalization.CultureInfo.InvariantCulture) : null;
    }

    public static int? Of(string name) => Of(name, out _);

    /// <summary>The name without its frame number.</summary>
    public static string Without(string name) => Digits().Replace(name, "");
}
