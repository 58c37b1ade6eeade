using System.Globalization;
using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;

namespace Plenk.Work.Paint;

/// <summary>
/// Layers that go out to be painted by and are left out when they come back: they are told by their names, which every paint program
/// keeps.
/// </summary>
public static class PaintGuides
{
    private const string Prefix = "guide ";

    /// <summary>More outlines than that hinder more than they guide.</summary>
    private const int MostOutlines = 40;

    /// <summary>Faces that meet at more than this have an edge between them.</summary>
    private static readonly float Crease = MathF.Cos(8 * MathF.PI / 180);

    /// <summary>It is one, in a group or not.</summary>
    public static bool Is(PaintLayer layer) =>
        layer.Name[(layer.Name.LastIndexOf('/') + 1)..].StartsWith(Prefix, StringComparison.OrdinalIgnoreCase);

    /// <summary>A layer of that name tells something when it comes back: all but guides that are not the plate's.</summary>
    public static bool Tells(string layer) =>
        !layer.StartsWith(Prefix, StringComparison.OrdinalIgnoreCase) || PaintedFrom.Of(layer) is not null;

    public static string PlateName(PaintedFrom from) => $"{Prefix}plate of {from}";

    /// <summary>The wires, the depth and each piece's outline, hidden, from the back.</summary>
    public static IEnumerable<PaintLayer> Of(PaintGround ground)
    {
        var (w, h) = (ground.Width, ground.Height);
        float[] seen = [.. ground.Distance.Where(float.IsFinite)];
        if (seen.Length == 0)
        {
            yield break;
        }
        float near = seen.Min(),
            far = seen.Max();
        // Near is bright; by inverse distance, as parallax goes.
        float Tone(float metres) => far > near ? (1 / metres - 1 / far) / (1 / near - 1 / far) : 1;
        yield return Made(
            w,
            h,
            i => float.IsFinite(ground.Distance[i]) ? new Vector4(new Vector3(Tone(ground.Distance[i])), 1) : default,
            string.Create(CultureInfo.InvariantCulture, $"{Prefix}depth, white {near:0.##} m to black {far:0.##} m")
        );
        var line = new Vector4(0.05f, 0.85f, 0.95f, 1);
        yield return Made(w, h, i => Edge(ground, i) ? line : default, $"{Prefix}wires");
        foreach (int piece in ground.Piece.Where(p => p >= 0).Distinct().Order().Take(MostOutlines))
        {
            yield return Made(
                w,
                h,
                i => ground.Piece[i] == piece && Around(ground, i).Any(k => k < 0 || ground.Piece[k] != piece) ? line : default,
                $"{Prefix}outline of {ground.Pieces[piece].Name}"
            );
        }
    }

    private static PaintLayer Made(int w, int h, Func<int, Vector4> at, string name)
    {
        var picture = new FloatImage(w, h, 4);
        Parallel.For(0, h, Core.Cores.All, y =>
        {
            for (int i = y * w; i < (y + 1) * w; i++)
            {
                at(i).CopyTo(picture.Data.AsSpan(4 * i, 4));
            }
        });
        return new(name, picture) { Hidden = true };
    }

    /// <summary>A face ends there: at another piece, at nothing, or at a face of another direction.</summary>
    private static bool Edge(PaintGround g, int i) =>
        g.Piece[i] >= 0 && Around(g, i).Any(k => k >= 0 && (g.Piece[k] != g.Piece[i] || Vector3.Dot(g.Normal[k], g.Normal[i]) < Crease));

    /// <summary>The pixels to the four sides; −1 beyond the border.</summary>
    private static IEnumerable<int> Around(PaintGround g, int i)
    {
        int x = i % g.Width,
            y = i / g.Width;
        yield return x > 0 ? i - 1 : -1;
        yield return x < g.Width - 1 ? i + 1 : -1;
        yield return y > 0 ? i - g.Width : -1;
        yield return y < g.Height - 1 ? i + g.Width : -1;
    }
}
