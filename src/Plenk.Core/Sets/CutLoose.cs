using System.Numerics;
using NetTopologySuite.Geometries;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>A part cannot be cut out of a piece like that; the message says why, in the artist's terms.</summary>
public sealed class CutFault(string message) : Exception(message);

/// <summary>A flat part cut out of a piece: what is left, with the hole and its walls, and the part by itself.</summary>
/// <param name="Rest">In the piece's own space.</param>
/// <param name="Part">In its own space: x along its foot, y up its front, z out of it; the middle of its foot is the origin, its front at z = 0.</param>
/// <param name="Place">Of the part, in the piece's own space.</param>
/// <param name="Pocket">Walls and back of a room behind the hole, in the part's space, faces inwards; null: none is asked for.</param>
/// <param name="Width">Of the part, metres.</param>
/// <param name="Height">Of the part, metres.</param>
public sealed record CutPart(TriangleMesh Rest, TriangleMesh Part, Pose Place, TriangleMesh? Pocket, double Width, double Height);

/// <summary>Doors, lids, hatches and slabs cut loose from pieces.</summary>
public static class CutLoose
{
    /// <summary>Faces that lie so near to the outline's plane are cut, metres and cosine.</summary>
    private const double Flat = 0.005,
        Along = 0.999;

    /// <param name="mesh">Of the piece, in its own space.</param>
    /// <param name="outline">Corners on a flat face of it, in its own space, in their order.</param>
    /// <param name="normal">Of that face, outwards.</param>
    /// <param name="up">What is up there: the part's foot is lowest along it.</param>
    /// <param name="thickness">Of the part and of the hole's walls, in the piece's own space.</param>
    /// <param name="pocket">How deep a room behind the hole is; 0: there is none.</param>
    /// <exception cref="CutFault">The outline is no outline, or lies not on the piece.</exception>
    public static CutPart Of(TriangleMesh mesh, IReadOnlyList<Vec3> outline, Vec3 normal, Vec3 up, double thickness, double pocket)
    {
        if (outline.Count < 3)
        {
            throw new CutFault("An outline has three corners or more.");
        }
        if (!(thickness > 0))
        {
            throw new CutFault("What is cut loose has a thickness of more than 0 m.");
        }
        Vec3 n = normal.Normalized(),
            y = up - Vec3.Dot(up, n) * n;
        y = (y.Length > 1e-3 ? y : Vec3.Cross(Math.Abs(n.X) < 0.9 ? Vec3.UnitX : Vec3.UnitZ, n)).Normalized();
        Vec3 x = Vec3.Cross(y, n);
        double[] across = [.. outline.Select(p => Vec3.Dot(x, p))],
            along = [.. outline.Select(p => Vec3.Dot(y, p))];
        double level = outline.Average(p => Vec3.Dot(n, p));
        Vec3 origin = (across.Min() + across.Max()) / 2 * x + along.Min() * y + level * n;
        var place = new Pose(Matrix3.FromColumns(x, y, n), origin);
        (double X, double Y)[] flat = [.. outline.Select(p => place.ToLocal(p)).Select(p => (p.X, p.Y))];
        Polygon cut = Shape(flat);
        if (!cut.IsValid)
        {
            throw new CutFault("The outline crosses itself. Draw its corners one after another around what is cut loose.");
        }
        if (cut.Area < 1e-4)
        {
            throw new CutFault("The outline holds less than a square centimetre.");
        }
        flat = [.. cut.ExteriorRing.Coordinates.SkipLast(1).Select(c => (c.X, c.Y))];
        var rest = new Builder();
        double taken = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (pa, pb, pc) = mesh.Triangle(t);
            Vec3 a = place.ToLocal(Vec3.From(pa)),
                b = place.ToLocal(Vec3.From(pb)),
                c = place.ToLocal(Vec3.From(pc)),
                face = Vec3.Cross(b - a, c - a);
            bool lies =
                face.Length > 0 && face.Normalized().Z > Along && Math.Max(Math.Abs(a.Z), Math.Max(Math.Abs(b.Z), Math.Abs(c.Z))) < Flat;
            if (!lies)
            {
                rest.Add(place, a, b, c);
                continue;
            }
            Polygon own = Shape([(a.X, a.Y), (b.X, b.Y), (c.X, c.Y)]);
            NetTopologySuite.Geometries.Geometry left = own.Difference(cut);
            taken += own.Area - left.Area;
            for (int g = 0; g < left.NumGeometries; g++)
            {
                if (left.GetGeometryN(g) is Polygon { Area: > 1e-10 } polygon)
                {
                    Fill(polygon, (p, q, r) => rest.Add(place, new(p.X, p.Y, 0), new(q.X, q.Y, 0), new(r.X, r.Y, 0)));
                }
            }
        }
        if (taken < 0.98 * cut.Area)
        {
            throw new CutFault(
                FormattableString.Invariant(
                    $"{100 * (1 - taken / cut.Area):0} % of the outline lies beside the face it is drawn on. Draw it on one flat face of the piece."
                )
            );
        }
        var part = new Builder();
        var walls = new Builder();
        Vec3 At((double X, double Y) p, double z) => new(p.X, p.Y, z);
        for (int i = 0; i < flat.Length; i++)
        {
            var (p, q) = (flat[i], flat[(i + 1) % flat.Length]);
            part.Quad(At(p, -thickness), At(q, -thickness), At(q, 0), At(p, 0));
            // The hole's walls look into it.
            rest.Quad(place, At(q, -thickness), At(p, -thickness), At(p, 0), At(q, 0));
            if (pocket > 0)
            {
                walls.Quad(At(q, -thickness - pocket), At(p, -thickness - pocket), At(p, -thickness), At(q, -thickness));
            }
        }
        Fill(cut, (p, q, r) =>
        {
            part.Add(null, At(p, 0), At(q, 0), At(r, 0));
            part.Add(null, At(r, -thickness), At(q, -thickness), At(p, -thickness));
            if (pocket > 0)
            {
                walls.Add(null, At(p, -thickness - pocket), At(q, -thickness - pocket), At(r, -thickness - pocket));
            }
        });
        return new(
            rest.Mesh(),
            part.Mesh(),
            place,
            pocket > 0 ? walls.Mesh() : null,
            across.Max() - across.Min(),
            along.Max() - along.Min()
        );
    }

    /// <summary>Anticlockwise, closed.</summary>
    private static Polygon Shape((double X, double Y)[] ring)
    {
        Coordinate[] c = [.. ring.Append(ring[0]).Select(p => new Coordinate(p.X, p.Y))];
        if (!NetTopologySuite.Algorithm.Orientation.IsCCW(c))
        {
            Array.Reverse(c);
        }
        return new Polygon(new LinearRing(c));
    }

    private static void Fill(Polygon polygon, Action<(double X, double Y), (double X, double Y), (double X, double Y)> add)
    {
        static (double X, double Y)[] Ring(LineString ring, bool anticlockwise)
        {
            Coordinate[] c = ring.Coordinates;
            if (NetTopologySuite.Algorithm.Orientation.IsCCW(c) != anticlockwise)
            {
                Array.Reverse(c);
            }
            return [.. c.SkipLast(1).Select(p => (p.X, p.Y))];
        }
        (double X, double Y)[][] loops = [Ring(polygon.ExteriorRing, true), .. polygon.InteriorRings.Select(r => Ring(r, false))];
        (double X, double Y)[] all = [.. loops.SelectMany(l => l)];
        foreach (var (a, b, c) in PlanarFill.Triangles(loops))
        {
            add(all[a], all[b], all[c]);
        }
    }

    private sealed class Builder
    {
        private readonly List<Vector3> _positions = [];

        public void Add(Pose? to, Vec3 a, Vec3 b, Vec3 c)
        {
            foreach (Vec3 p in (ReadOnlySpan<Vec3>)[a, b, c])
            {
                _positions.Add((to is { } pose ? pose.ToWorld(p) : p).ToSingle());
            }
        }

        public void Quad(Vec3 a, Vec3 b, Vec3 c, Vec3 d) => Quad(null, a, b, c, d);

        public void Quad(Pose? to, Vec3 a, Vec3 b, Vec3 c, Vec3 d)
        {
            Add(to, a, b, c);
            Add(to, a, c, d);
        }

        public TriangleMesh Mesh() => new([.. _positions], [.. Enumerable.Range(0, _positions.Count)]);
    }
}
