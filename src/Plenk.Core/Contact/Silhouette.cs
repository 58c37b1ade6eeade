using NetTopologySuite.Geometries;
using NetTopologySuite.Simplify;
using NetTopologySuite.Triangulate.Polygon;
using Plenk.Core.Images;
using Shape = NetTopologySuite.Geometries.Geometry;

namespace Plenk.Core.Contact;

/// <summary>Outlines of coverage pictures as polygons with holes, and these in triangles.</summary>
public static class Silhouette
{
    /// <summary>
    /// What outlines enclose as polygons with holes, simplified: no point dropped is further away than the tolerance (Douglas and Peucker
    /// 1973, kept valid), islands under the least area left out. Pixels.
    /// </summary>
    public static IReadOnlyList<Polygon> Polygons(IReadOnlyList<double[]> outlines, double tolerance, double leastArea)
    {
        static LinearRing Ring(double[] o)
        {
            var c = new Coordinate[o.Length / 2 + 1];
            for (int i = 0; i < o.Length / 2; i++)
            {
                c[i] = new(o[2 * i], o[2 * i + 1]);
            }
            c[^1] = c[0].Copy();
            return new(c);
        }
        Polygon[] shells = [.. outlines.Where(o => o.Length >= 6 && Contours.Area(o) >= leastArea).Select(o => new Polygon(Ring(o)))],
            holes = [.. outlines.Where(o => o.Length >= 6 && -Contours.Area(o) >= leastArea).Select(o => new Polygon(Ring(o)))];
        var result = new List<Polygon>();
        foreach (Polygon shell in shells)
        {
            Shape g = shell.IsValid ? shell : shell.Buffer(0);
            foreach (Polygon hole in holes.Where(h => h.EnvelopeInternal.Intersects(shell.EnvelopeInternal)))
            {
                g = g.Difference(hole.IsValid ? hole : hole.Buffer(0));
            }
            if (tolerance > 0)
            {
                g = TopologyPreservingSimplifier.Simplify(g, tolerance);
            }
            for (int i = 0; i < g.NumGeometries; i++)
            {
                if (g.GetGeometryN(i) is Polygon { IsEmpty: false } p && p.Area >= leastArea)
                {
                    result.Add(p);
                }
            }
        }
        return result;
    }

    /// <summary>A polygon in triangles (ear clipping made Delaunay): corner coordinates, three a triangle.</summary>
    public static IReadOnlyList<(Coordinate A, Coordinate B, Coordinate C)> Triangles(Polygon polygon)
    {
        Shape parts = ConstrainedDelaunayTriangulator.Triangulate(polygon);
        return
        [
            .. Enumerable
                .Range(0, parts.NumGeometries)
                .Select(i => parts.GetGeometryN(i).Coordinates)
                .Where(c => c.Length >= 4)
                .Select(c => (c[0], c[1], c[2])),
        ];
    }
}
