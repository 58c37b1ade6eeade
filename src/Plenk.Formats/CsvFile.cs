using System.Text;

namespace Plenk.Formats;

/// <summary>RFC 4180: quoted fields with doubled quotes, line breaks inside quotes, CR LF or LF; a byte order mark is skipped.</summary>
public static class CsvFile
{
    public static List<string[]> Read(string text)
    {
        var rows = new List<string[]>();
        var row = new List<string>();
        var field = new StringBuilder();
        bool quoted = false,
            any = false;
        int i = text.StartsWith('\uFEFF') ? 1 : 0;
        for (; i < text.Length; i++)
        {
            char c = text[i];
            if (quoted)
            {
                if (c != '"')
                {
                    field.Append(c);
                }
                else if (i + 1 < text.Length && text[i + 1] == '"')
                {
                    field.Append('"');
                    i++;
                }
                else
                {
                    quoted = false;
                }
                continue;
            }
            switch (c)
            {
                case '"':
                    quoted = true;
                    any = true;
                    break;
                case ',':
                    row.Add(field.ToString());
                    field.Clear();
                    any = true;
                    break;
                case '\r':
                    break;
                case '\n':
                    End();
                    break;
                default:
                    field.Append(c);
                    any = true;
                    break;
            }
        }
        if (any || field.Length > 0)
        {
            End();
        }
        return rows;

        void End()
        {
            row.Add(field.ToString());
            rows.Add([.. row]);
            row.Clear();
            field.Clear();
            any = false;
        }
    }

    public static string Row(IEnumerable<string> fields) =>
        string.Join(',', fields.Select(f => f.AsSpan().IndexOfAny("\",\r\n") >= 0 ? "\"" + f.Replace("\"", "\"\"") + "\"" : f)) + "\r\n";
}
