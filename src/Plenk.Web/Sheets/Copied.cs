using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>What of a shot, as it was in a revision, this browser has copied.</summary>
/// <param name="Place">“elements/bell”; of several apart by commas.</param>
public sealed record Copied(long Shot, int Revision, int Frame, string Place)
{
    public const string Cookie = "plenk-copied";

    /// <summary>Null: nothing that can be read.</summary>
    public static Copied? Of(string? cookie) =>
        cookie?.Split(':', 4) is [var shot, var revision, var frame, var place]
        && long.TryParse(shot, NumberStyles.None, CultureInfo.InvariantCulture, out long s)
        && int.TryParse(revision, NumberStyles.None, CultureInfo.InvariantCulture, out int r)
        && int.TryParse(frame, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out int f)
            ? new(s, r, f, place)
            : null;

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Shot}:{Revision}:{Frame}:{Place}");

    public ShotPart Part(ShotDocument from, List<string> told)
    {
        try
        {
            return ShotPart.Of(from, Place.Split(',', StringSplitOptions.RemoveEmptyEntries), Frame, told);
        }
        catch (ArgumentException e)
        {
            throw new ShotFault(e.Message);
        }
    }

    public static string Name(ShotPart part) =>
        part.Elements.Select(e => e.Name).Concat(part.Pieces.Select(p => p.Name)).Concat(part.Lights.Select(l => l.Name)).ToArray() switch
        {
            [] => "It",
            [var one] => one,
            var more => $"{more[0]} and {more.Length - 1} more",
        };
}
