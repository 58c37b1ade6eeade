namespace Plenk.Formats.Raster;

/// <summary>Pictures for those who judge: with words burned in, and many on one sheet.</summary>
public static class ReviewPicture
{
    /// <summary>
    /// White words on a dark edge along the lower border: one at the left, one at the right. The picture itself is left as it is.
    /// </summary>
    public static CodeImage BurnedIn(CodeImage picture, string left, string right)
    {
        var result = picture with { Codes = [.. picture.Codes] };
        int size = Math.Max(12, picture.Height / 30),
            margin = size;
        Write(result, left, size, width => margin, height => picture.Height - margin - height);
        Write(result, right, size, width => picture.Width - margin - width, height => picture.Height - margin - height);
        return result;
    }

    /// <summary>Small pictures in rows, each with its name below it, under a title; 8 bit.</summary>
    public static CodeImage ContactSheet(
        string title,
        IReadOnlyList<(string Name, CodeImage Picture)> pictures,
        int across = 6,
        int cellWidth = 320
    )
    {
        const int gap = 12,
            line = 16,
            paper = 0xF4,
            ink = 0x1E;
        int cellHeight = pictures.Max(p => cellWidth * p.Picture.Height / p.Picture.Width),
            head = 4 * line;
        across = Math.Min(across, pictures.Count);
        int rows = (pictures.Count + across - 1) / across,
            width = gap + across * (cellWidth + gap),
            height = head + rows * (cellHeight + 2 * line + gap) + gap;
        var sheet = new CodeImage(width, height, 3, 8, new ushort[width * height * 3]);
        Array.Fill(sheet.Codes, (ushort)paper);
        Write(sheet, title, (int)(1.5 * line), _ => gap, tall => (head - tall) / 2, ink);
        for (int i = 0; i < pictures.Count; i++)
        {
            int x = gap + i % across * (cellWidth + gap),
                y = head + i / across * (cellHeight + 2 * line + gap);
            Lay(sheet, pictures[i].Picture, x, y, cellWidth);
            Write(sheet, pictures[i].Name, line, _ => x, tall => y + cellHeight + line / 2, ink);
        }
        return sheet;
    }

    /// <summary>A picture made smaller by the means of its pixels.</summary>
    private static void Lay(CodeImage sheet, CodeImage picture, int left, int top, int width)
    {
        int height = width * picture.Height / picture.Width,
            n = picture.Channels;
        double step = (double)picture.Width / width,
            top8 = 255.0 / ((1 << picture.Bits) - 1);
        for (int y = 0; y < height; y++)
        {
            for (int x = 0; x < width; x++)
            {
                int x0 = (int)(x * step),
                    x1 = Math.Min(picture.Width, Math.Max(x0 + 1, (int)((x + 1) * step))),
                    y0 = Math.Min(picture.Height - 1, (int)(y * step)),
                    y1 = Math.Min(picture.Height, Math.Max(y0 + 1, (int)((y + 1) * step)));
                for (int c = 0; c < 3; c++)
                {
                    long sum = 0;
                    for (int v = y0; v < y1; v++)
                    {
                        for (int u = x0; u < x1; u++)
                        {
                            sum += picture.Codes[(v * picture.Width + u) * n + (n >= 3 ? c : 0)];
                        }
                    }
                    sheet.Codes[3 * ((top + y) * sheet.Width + left + x) + c] = (ushort)Math.Round(sum * top8 / ((x1 - x0) * (y1 - y0)));
                }
            }
        }
    }

    /// <param name="ink">Its code; null: white on a dark edge of a twelfth of the line.</param>
    private static void Write(CodeImage picture, string text, int size, Func<int, int> left, Func<int, int> top, int? ink = null)
    {
        var (values, w, h) = LetterPicture.Of(text, LetterFont.Sans, size);
        if (w == 0)
        {
            return;
        }
        int x0 = left(w),
            y0 = top(h),
            edge = ink is null ? Math.Max(1, size / 12) : 0,
            most = (1 << picture.Bits) - 1;
        float At(int x, int y) => x >= 0 && y >= 0 && x < w && y < h ? values[y * w + x] : 0;
        for (int y = -edge; y < h + edge; y++)
        {
            for (int x = -edge; x < w + edge; x++)
            {
                if (x0 + x < 0 || y0 + y < 0 || x0 + x >= picture.Width || y0 + y >= picture.Height)
                {
                    continue;
                }
                float own = At(x, y),
                    around = 0;
                for (int v = -edge; v <= edge; v++)
                {
                    for (int u = -edge; u <= edge; u++)
                    {
                        around = MathF.Max(around, At(x + u, y + v));
                    }
                }
                if (around <= 0)
                {
                    continue;
                }
                int at = ((y0 + y) * picture.Width + x0 + x) * picture.Channels;
                for (int c = 0; c < Math.Min(3, picture.Channels); c++)
                {
                    float under = picture.Codes[at + c],
                        dark = ink is null ? under * (1 - 0.8f * around) : under,
                        to = ink is { } code ? code * most / 255f : most;
                    picture.Codes[at + c] = (ushort)MathF.Round(dark + own * (to - dark));
                }
            }
        }
    }
}
