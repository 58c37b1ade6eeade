using System.Numerics;
using NetTopologySuite.Geometries;
using NetTopologySuite.Geometries.Utilities;
using Plenk.Core.Contact;
using Plenk.Core.Tracing;

namespace Plenk.Formats;

/// <summary>
/// A text as a mesh: letters of a shipped font (both under the SIL Open Font License), set large as coverage, outlined, filled with
/// triangles, and given thickness and bevel. It stands on the middle of its base line and is read from +Z; metres.
/// </summary>
public static class LetteringMesh
{
    private const int Size = 240; // so many pixels to a line: an outline is then right to a few hundredths of one

    public static TriangleMesh Of(Core.Shots.Lettering text)
    {
        if (string.IsNullOrWhiteSpace(text.Text))
        {
            throw new FormatFault("empty", "The lettering has no letters", "Type a text.");
        }
        var (values, width, height) = Set(text.Text, text.Serif);
        var (capital, _, capitalHeight) = Set("H", text.Serif);
        double scale = text.HeightMetres / capitalHeight,
            tolerance = 0.08;
        IReadOnlyList<Polygon> letters = Silhouette.Polygons(Silhouette.Outlines(values, width, height), tolerance, 4);
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
            foot = Foot(text.Text, text.Serif, height);
        var metres = new AffineTransformation(scale, 0, -scale * middle, 0, -scale, scale * foot);
        TriangleMesh mesh = Extrusion.Of([.. letters.Select(p => (Polygon)metres.Transform(p))], depth, bevel);
        return mesh with
        {
            TextureCoordinates = [.. mesh.Positions.Select(p => new Vector2(0.5f, (float)Math.Clamp(1 - p.Y / text.HeightMetres, 0, 1)))],
        };
    }

    /// <summary>The row of the base line, below which only tails reach: found from an H that is set before the text.</summary>
    private static double Foot(string text, bool serif, int height)
    {
        var (both, width, tall) = Set("H" + text, serif);
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

    private static (float[] Values, int Width, int Height) Set(string text, bool serif) => LetterPicture.Of(text, serif, Size);
}
