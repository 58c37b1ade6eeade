using System.Globalization;
using System.Text;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras;

/// <summary>
/// Survey points in: CSV with the header name, x, y, z and, where a point is already clicked, frame, px, py (a row a click).
/// </summary>
public static class SurveyFile
{
    public static IReadOnlyList<SurveyPoint> Read(byte[] bytes, string name)
    {
        var rows = CsvFile.Read(Encoding.UTF8.GetString(bytes));
        string[] header = rows.Count > 0 ? [.. rows[0].Select(h => h.Trim().ToLowerInvariant())] : [];
        int Column(string key) => Array.IndexOf(header, key);
        foreach (string key in (string[])["name", "x", "y", "z"])
        {
            if (Column(key) < 0)
            {
                throw new FormatFault(
                    "file",
                    $"{name}: the header has no column “{key}”",
                    "The first row must name the columns: name, x, y, z, and if points are already clicked frame, px, py."
                );
            }
        }
        var points = new Dictionary<string, SurveyPoint>();
        for (int i = 1; i < rows.Count; i++)
        {
            if (rows[i].Length == 1 && rows[i][0].Length == 0)
            {
                continue;
            }
            bool Filled(string key) => Column(key) >= 0 && Column(key) < rows[i].Length && rows[i][Column(key)].Length > 0;
            double V(string key) =>
                Filled(key)
                && double.TryParse(rows[i][Column(key)], NumberStyles.Float, CultureInfo.InvariantCulture, out double v)
                && double.IsFinite(v)
                    ? v
                    : throw new FormatFault(
                        "nan",
                        $"{name}, row {i + 1}: column “{key}” is not a number",
                        "Numbers are written with a point."
                    );
            string point = rows[i][Column("name")].Trim();
            if (point.Length == 0)
            {
                throw new FormatFault("file", $"{name}, row {i + 1}: the point has no name", "Name every point.");
            }
            if (!points.TryGetValue(point, out SurveyPoint? p))
            {
                p = new() { Name = point, Position = new(V("x"), V("y"), V("z")) };
            }
            if (Filled("frame"))
            {
                p = p with { Clicks = [.. p.Clicks, new((int)V("frame"), V("px"), V("py"))] };
            }
            points[point] = p;
        }
        if (points.Count == 0)
        {
            throw new FormatFault("file", $"{name} names no points", "Write one row a point.");
        }
        return [.. points.Values];
    }
}
