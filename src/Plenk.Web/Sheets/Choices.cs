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

    public static IEnumerable<(string Value, string Text)> Elements(ShotDocument shot) =>
        shot.Elements.Select(e => (e.Id, Named(e.Name, e.Id)));

    public static IEnumerable<(string Value, string Text)> Points(ShotDocument shot) => shot.SurveyPoints.Select(p => (p.Name, p.Name));
}
