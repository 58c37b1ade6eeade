using System.Numerics;
using NetTopologySuite.Geometries;
using NetTopologySuite.Operation.Valid;

namespace Plenk.Core.Shots;

/// <summary>What is drawn as a line on the ground, as a polygon of the plane x, z; and what is wrong with it.</summary>
public static class DrawnOutline
{
    internal static readonly GeometryFactory Factory = new();

    /// <summary>What is wrong with a drawn piece, in the artist's terms; null where it is whole or not drawn at all.</summary>
    public static string? Fault(Piece piece)
    {
        if (piece.Kind is not (PieceKind.Outline or PieceKind.Strip))
        {
            return null;
        }
        if (
            piece.Corners.Count % 2 != 0
            || !piece.Corners.All(double.IsFinite)
            || piece.Holes.Any(h => h.Count % 2 != 0 || h.Count < 6 || !h.All(double.IsFinite))
        )
        {
            return "its corners are not pairs of numbers";
        }
        int corners = piece.Corners.Count / 2;
        if (piece.Kind == PieceKind.Strip)
        {
            return corners < 2 ? "a path needs two places or more" : null;
        }
        if (corners < 3)
        {
            return $"an outline needs three corners or more; it has {corners}";
        }
        if (!(piece.Size.Y > 0) && piece.Walls)
        {
            return "its walls have no height";
        }
        if (!piece.Walls && !piece.Ground)
        {
            return "it has neither floor nor walls";
        }
        if (new IsValidOp(Shape(piece)).ValidationError is { } error)
        {
            string where = error.Coordinate is { } c ? $" near x {c.X:0.##}, z {c.Y:0.##}" : "";
            return error.ErrorType is TopologyValidationErrors.SelfIntersection or TopologyValidationErrors.RingSelfIntersection
                    ? $"its outline crosses itself{where}; pull a corner so that it does not"
                : error.ErrorType is TopologyValidationErrors.HoleOutsideShell or TopologyValidationErrors.NestedHoles
                    ? $"a hole does not lie within the floor{where}"
                : $"its outline encloses nothing{where}";
        }
        foreach (Opening o in piece.Openings)
        {
            if (o.Wall < 0 || o.Wall >= corners)
            {
                return $"an opening is in wall {o.Wall + 1}; there are {corners}";
            }
            var (a, b) = Wall(piece, o.Wall);
            double length = Vector3.Distance(a, b);
            if (
                !(o.From < o.To)
                || !(o.Bottom < o.Top)
                || o.From < -1e-6
                || o.To > length + 1e-6
                || o.Bottom < -1e-6
                || o.Top > piece.Size.Y + 1e-6
            )
            {
                return $"an opening in wall {o.Wall + 1} reaches beyond it (the wall is {length:0.##} m long and {piece.Size.Y:0.##} m high)";
            }
        }
        return null;
    }

    internal static Polygon Shape(Piece piece)
    {
        LinearRing Ring(IReadOnlyList<double> corners)
        {
            Coordinate[] points =
            [
                .. Enumerable.Range(0, corners.Count / 2).Select(i => new Coordinate(corners[2 * i], corners[2 * i + 1])),
            ];
            return Factory.CreateLinearRing([.. points, points[0].Copy()]);
        }
        return Factory.CreatePolygon(Ring(piece.Corners), [.. piece.Holes.Select(Ring)]);
    }

    internal static (Vector3 A, Vector3 B) Wall(Piece piece, int wall)
    {
        int n = piece.Corners.Count / 2,
            next = (wall + 1) % n;
        return (
            new((float)piece.Corners[2 * wall], 0, (float)piece.Corners[2 * wall + 1]),
            new((float)piece.Corners[2 * next], 0, (float)piece.Corners[2 * next + 1])
        );
    }
}
