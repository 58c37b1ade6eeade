using System.Numerics;
using NetTopologySuite.Geometries;
using Plenk.Core.Tracing;
using Shape = NetTopologySuite.Geometries.Geometry;

namespace Plenk.Core.Contact;

/// <summary>
/// Flat shapes given thickness: polygons in their own plane (metres, y up, read from +Z) become closed meshes about z = 0.
/// </summary>
public static class Extrusion
{
    /// <param name="depth">Of the whole; 0: a flat sheet, read from +Z.</param>
    /// <param name="bevel">Of the front's edges, across and in depth.</param>
    public static TriangleMesh Of(IReadOnlyList<Polygon> polygons, double depth, double bevel = 0)
    {
        var mesh = new Builder();
        foreach (Polygon p in polygons)
        {
            Shape top = bevel > 0 ? p.Buffer(-bevel) : p;
            mesh.Fill(top, depth / 2, front: true);
            if (depth <= 0)
            {
                continue;
            }
            mesh.Fill(p, -depth / 2, front: false);
            if (bevel > 0)
            {
                mesh.Slope(p, top, depth / 2 - bevel, depth / 2);
            }
            mesh.Wall(p, -depth / 2, depth / 2 - bevel);
        }
        return mesh.Build();
    }

    private sealed class Builder
    {
        private readonly List<Vector3> _positions = [];
        private readonly List<int> _indices = [];

        private int Add(Coordinate c, double z)
        {
            _positions.Add(new((float)c.X, (float)c.Y, (float)z));
            return _positions.Count - 1;
        }

        private void Triangle(Coordinate a, double za, Coordinate b, double zb, Coordinate c, double zc, bool front)
        {
            int i = Add(a, za),
                j = Add(b, zb),
                k = Add(c, zc);
            Vector3 n = Vector3.Cross(_positions[j] - _positions[i], _positions[k] - _positions[i]);
            _indices.AddRange(n.Z > 0 == front ? [i, j, k] : [i, k, j]);
        }

        public void Fill(Shape shape, double z, bool front)
        {
            foreach (Polygon p in Parts(shape))
            {
                foreach (var (a, b, c) in Silhouette.Triangles(p))
                {
                    Triangle(a, z, b, z, c, z, front);
                }
            }
        }

        /// <summary>From the outline at one height to the smaller one at another.</summary>
        public void Slope(Polygon outer, Shape inner, double low, double high)
        {
            Shape edge = outer.Boundary;
            double near = 1e-7 * Math.Max(outer.EnvelopeInternal.Width, outer.EnvelopeInternal.Height);
            double Z(Coordinate c) => edge.Distance(new Point(c)) < near ? low : high;
            foreach (Polygon p in Parts(outer.Difference(inner)))
            {
                foreach (var (a, b, c) in Silhouette.Triangles(p))
                {
                    Triangle(a, Z(a), b, Z(b), c, Z(c), front: true);
                }
            }
        }

        public void Wall(Polygon p, double back, double front)
        {
            foreach (LineString ring in (LineString[])[p.ExteriorRing, .. p.InteriorRings])
            {
                // The inside lies to the left of a ring that runs counter-clockwise around it, and of a hole's that runs clockwise.
                bool insideLeft =
                    NetTopologySuite.Algorithm.Orientation.IsCCW(ring.CoordinateSequence) == ReferenceEquals(ring, p.ExteriorRing);
                for (int i = 0; i + 1 < ring.NumPoints; i++)
                {
                    Coordinate a = ring.GetCoordinateN(i),
                        b = ring.GetCoordinateN(i + 1);
                    int i0 = Add(a, back),
                        i1 = Add(b, back),
                        i2 = Add(b, front),
                        i3 = Add(a, front);
                    _indices.AddRange(insideLeft ? [i0, i1, i2, i0, i2, i3] : [i0, i2, i1, i0, i3, i2]);
                }
            }
        }

        private static IEnumerable<Polygon> Parts(Shape shape) =>
            Enumerable.Range(0, shape.NumGeometries).Select(shape.GetGeometryN).OfType<Polygon>().Where(p => !p.IsEmpty);

        public TriangleMesh Build() => new([.. _positions], [.. _indices]);
    }
}
