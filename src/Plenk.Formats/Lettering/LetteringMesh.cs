using System.Numerics;
using NetTopologySuite.Geometries;
using NetTopologySuite.Geometries.Utilities;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Tracing;

namespace Plenk.Formats;

/// <summary>
/// A text as a mesh: letters set large as coverage, outlined, filled with triangles, and given thickness and bevel. It stands on the middle
/// of its base line and is read from +Z; metres. Its letters are material 0, the stroke along their outlines 1; texture coordinates go from
/// its left to its right and from its head to its foot.
/// </summary>
public static class LetteringMesh
{
    private const int Size = 240; // so many pixels to a line: an outline is then right to a few hundredths of one

    /// <param name="own">The font that was brought in for it; null: one of the shipped ones.</param>
    /// <exception cref="FormatFault">It has no letters, or the font none for them.</exception>
    public static TriangleMesh Of(Core.Shots.Lettering text, byte[]? own = null)
    {
        if (string.IsNullOrWhiteSpace(text.Text))
        {
            throw new FormatFault("empty", "The lettering has no letters", "Type a text.");
        }
        OpenTypeFont? brought = own is null ? null : OpenTypeFont.Read(own, text.FontName);
        if (brought?.Lacks(text.Text) is { Count: > 0 } lacks)
        {
            throw new FormatFault(
                "font",
                $"{brought.Name} has no letter for {string.Join(" ", lacks.Take(8))}",
                "Type letters that it has, or take another font."
            );
        }
        LetterFont font =
            brought is not null ? LetterFont.Of(brought, own!)
            : text.Serif ? LetterFont.Serif
            : LetterFont.Sans;
        (float[] Values, int Width, int Height) Set(string line) => LetterPicture.Of(line, font, Size);
        var (values, width, height) = Set(text.Text);
        // Capitals are as high as an H, or as the text itself in a font of signs.
        var (capital, _, capitalHeight) = brought?.Lacks("H").Count > 0 ? (values, 0, height) : Set("H");
        double scale = text.HeightMetres / capitalHeight,
            tolerance = 0.08;
        IReadOnlyList<Polygon> letters = Silhouette.Polygons(Contours.Of(values, width, height), tolerance, 4);
        if (letters.Count == 0 || capital.Length == 0)
        {
            throw new FormatFault(
                "empty",
                $"The font has no letters for “{text.Text}”",
                "Type letters of the Latin alphabet, digits or common signs."
            );
        }
        double depth = Math.Max(0, text.DepthMetres),
            bevel = depth > 0 ? Math.Clamp(text.BevelMetres, 0, depth / 2) : 0;
        double middle = (letters.Min(p => p.EnvelopeInternal.MinX) + letters.Max(p => p.EnvelopeInternal.MaxX)) / 2,
            foot = Foot(text.Text, Set, height);
        var metres = new AffineTransformation(scale, 0, -scale * middle, 0, -scale, scale * foot);
        Polygon[] placed = [.. letters.Select(p => (Polygon)metres.Transform(p))];
        double half = Math.Max(0, text.StrokeMetres) / 2;
        TriangleMesh mesh = Extrusion.Of(text.Hollow && half > 0 ? [] : [.. Parts(placed, p => p.Buffer(-half))], depth, bevel);
        if (half > 0)
        {
            mesh = Both(
                mesh,
                Extrusion.Of([.. Parts(placed, p => p.Buffer(half).Difference(p.Buffer(-half)))], depth, Math.Min(bevel, half / 2))
            );
        }
        float left = mesh.Positions.Length > 0 ? mesh.Positions.Min(p => p.X) : 0,
            wide = mesh.Positions.Length > 0 ? MathF.Max(1e-6f, mesh.Positions.Max(p => p.X) - left) : 1;
        return mesh with
        {
            TextureCoordinates =
            [
                .. mesh.Positions.Select(p => new Vector2(
                    Math.Clamp((p.X - left) / wide, 0, 1),
                    (float)Math.Clamp(1 - p.Y / text.HeightMetres, 0, 1)
                )),
            ],
        };
    }

    /// <summary>Letters after something was done to their outlines, which may have split or swallowed them; letters that touch are one.</summary>
    private static IEnumerable<Polygon> Parts(
        Polygon[] letters,
        Func<NetTopologySuite.Geometries.Geometry, NetTopologySuite.Geometries.Geometry> act
    )
    {
        var all = act(NetTopologySuite.Operation.Union.UnaryUnionOp.Union(letters));
        return Enumerable.Range(0, all.NumGeometries).Select(all.GetGeometryN).OfType<Polygon>().Where(p => !p.IsEmpty);
    }

    private static TriangleMesh Both(TriangleMesh letters, TriangleMesh stroke) =>
        new([.. letters.Positions, .. stroke.Positions], [.. letters.Indices, .. stroke.Indices.Select(i => i + letters.Positions.Length)])
        {
            Materials = [.. Enumerable.Repeat(0, letters.TriangleCount), .. Enumerable.Repeat(1, stroke.TriangleCount)],
        };

    /// <summary>The row of the base line, below which only tails reach: found from an H that is set before the text.</summary>
    private static double Foot(string text, Func<string, (float[] Values, int Width, int Height)> set, int height)
    {
        var (both, width, tall) = set("H" + text);
        int foot = 0;
        for (int y = 0; y < tall; y++)
        {
            for (int x = 0; x < Math.Min(width, Size / 4); x++)
            {
                if (both[y * width + x] > 0.5f)
                {
                    foot = y + 1;
                    break;
                }
            }
        }
        return height - (tall - foot);
    }
}
