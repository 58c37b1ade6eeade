using Plenk.Core.Shots;

namespace Plenk.Web.Sheets;

/// <summary>Things of a shot as a field offers them: their ids and what they are called.</summary>
public static class Choices
{
    private static string Named(string name, string id) => name.Length > 0 ? name : id;

    public static IEnumerable<(string Value, string Text)> Lights(ShotDocument shot) =>
        shot.Lights.Select(l => (l.Id, Named(l.Name, l.Id)));

    public static IEnumerable<(string Value, string Text)> Mattes(ShotDocument shot) =>
        shot.Mattes.Select(m => (m.Id, Named(m.Name, m.Id)));

    public static IEnumerable<(string Value, string Text)> Pieces(ShotDocument shot) =>
        shot.Pieces.Select(p => (p.Id, Named(p.Name, p.Id)));

    public static IEnumerable<(string Value, string Text)> Elements(ShotDocument shot) =>
        shot.Elements.Select(e => (e.Id, Named(e.Name, e.Id)));

    public static IEnumerable<(string Value, string Text)> Points(ShotDocument shot) => shot.SurveyPoints.Select(p => (p.Name, p.Name));

    /// <summary>An id made of a stem and the first number that is free.</summary>
    public static string FreeId(IEnumerable<string> taken, string stem)
    {
        HashSet<string> all = [.. taken];
        int n = 1;
        while (all.Contains($"{stem}_{n}"))
        {
            n++;
        }
        return $"{stem}_{n}";
    }
}
