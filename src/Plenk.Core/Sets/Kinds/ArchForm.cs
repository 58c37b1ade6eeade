using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets.Kinds;

/// <summary>
/// A wall with a round-headed opening through it. The head is a half circle as wide as the opening; where the opening is lower than that,
/// the circle's segment through both jambs' heads and the crown.
/// </summary>
public sealed class ArchForm : PieceForm
{
    private const int UsualSegments = 24;

    public override PieceKind Kind => PieceKind.Arch;
    public override string Adds => "Arch";
    public override Piece Default => base.Default with { Size = new(3, 3.5, 0.6), Openings = [new(0, 0.6, 2.4, 0, 3)] };
    public override IReadOnlyList<KindField> Fields =>
        [
            .. base.Fields,
            new("openings.0.from", "Opening from", "m", Min: 0),
            new("openings.0.to", "to", "m", Min: 0),
            new("openings.0.bottom", "Its sill", "m", Min: 0),
            new("openings.0.top", "Its crown", "m", Min: 0),
            new("count", "Of so many sides", "", FieldShape.Whole, 0, 256),
        ];

    public override string? Fault(Piece piece) =>
        base.Fault(piece)
        ?? (piece.Count is 0 or (>= 3 and <= 256) ? null : "an arch’s head has between 3 and 256 sides")
        ?? (
            piece.Openings is [{ } o]
            && o.From > 0
            && o.From < o.To
            && o.To < piece.Size.X
            && o.Bottom >= 0
            && o.Bottom < o.Top
            && o.Top < piece.Size.Y
                ? null
                : "an arch has one opening, inside its wall: from before to, the sill below the crown"
        );

    public override string? Says(Piece piece) =>
        piece.Openings is [{ } o] ? $"Springs at {Spring(o):0.###} m, the head’s radius is {Radius(o):0.###} m." : null;

    /// <summary>Height at which the head leaves the jambs, metres.</summary>
    public static double Spring(Opening o) => Math.Max(o.Bottom, o.Top - (o.To - o.From) / 2);

    /// <summary>Of the circle through both springing points and the crown: (c² + 4h²) / 8h for a chord c and a rise h.</summary>
    public static double Radius(Opening o)
    {
        double chord = o.To - o.From,
            rise = o.Top - Spring(o);
        return (chord * chord + 4 * rise * rise) / (8 * rise);
    }

    public override TriangleMesh Mesh(Piece piece, Func<string, string?, TriangleMesh> file)
    {
        Opening o = piece.Openings[0];
        float half = (float)piece.Size.X / 2,
            high = (float)piece.Size.Y,
            z = (float)piece.Size.Z / 2,
            from = (float)o.From - half,
            to = (float)o.To - half,
            sill = (float)o.Bottom;
        Vector2[] head = Head(o, piece.Count > 0 ? piece.Count : UsualSegments, half);
        var positions = new List<Vector3>();
        var indices = new List<int>();
        void Quad(Vector3 a, Vector3 b, Vector3 c, Vector3 d)
        {
            int at = positions.Count;
            positions.AddRange([a, b, c, d]);
            indices.AddRange([at, at + 1, at + 2, at, at + 2, at + 3]);
        }
        // A rectangle or trapezium of the wall's both faces, between x0 and x1.
        void Faces(float x0, float x1, float low0, float low1, float top)
        {
            Quad(new(x0, low0, z), new(x1, low1, z), new(x1, top, z), new(x0, top, z));
            Quad(new(x1, low1, -z), new(x0, low0, -z), new(x0, top, -z), new(x1, top, -z));
        }
        // Through the wall, seen from the left of the way from a to b.
        void Through(Vector2 a, Vector2 b) => Quad(new(a, z), new(a, -z), new(b, -z), new(b, z));

        float spring = head[0].Y;
        float[] rows = sill > 0 ? [0, sill, spring, high] : [0, spring, high];
        foreach (var (x0, x1) in ((float, float)[])[(-half, from), (to, half)])
        {
            for (int i = 0; i + 1 < rows.Length; i++)
            {
                if (rows[i] < rows[i + 1])
                {
                    Faces(x0, x1, rows[i], rows[i], rows[i + 1]);
                }
            }
        }
        for (int i = 0; i + 1 < head.Length; i++)
        {
            Faces(head[i].X, head[i + 1].X, head[i].Y, head[i + 1].Y, high);
            Through(head[i], head[i + 1]);
            Through(new(head[i + 1].X, high), new(head[i].X, high));
        }
        if (sill > 0)
        {
            Faces(from, to, 0, 0, sill);
            Through(new(to, sill), new(from, sill));
        }
        for (int i = 0; i + 1 < rows.Length; i++)
        {
            if (rows[i] >= rows[i + 1])
            {
                continue;
            }
            Through(new(-half, rows[i + 1]), new(-half, rows[i]));
            Through(new(half, rows[i]), new(half, rows[i + 1]));
            if (rows[i] >= sill && rows[i + 1] <= spring)
            {
                Through(new(from, rows[i]), new(from, rows[i + 1]));
                Through(new(to, rows[i + 1]), new(to, rows[i]));
            }
        }
        foreach (var (x0, x1) in ((float, float)[])[(-half, from), (to, half)])
        {
            Through(new(x1, high), new(x0, high));
            Through(new(x0, 0), new(x1, 0));
        }
        if (sill > 0)
        {
            Through(new(from, 0), new(to, 0));
        }
        return new([.. positions], [.. indices]);
    }

    /// <summary>The head from the left springing point over the crown to the right one, about the wall's middle.</summary>
    private static Vector2[] Head(Opening o, int segments, float half)
    {
        double r = Radius(o),
            middle = (o.From + o.To) / 2,
            centre = o.Top - r,
            spread = Math.Asin(Math.Min(1, (o.To - o.From) / 2 / r));
        if (centre > Spring(o) + 1e-9)
        {
            spread = Math.PI - spread;
        }
        var points = new Vector2[segments + 1];
        for (int i = 0; i <= segments; i++)
        {
            double a = spread * (2.0 * i / segments - 1);
            points[i] = new((float)(middle + r * Elementary.Sin(a)) - half, (float)(centre + r * Elementary.Cos(a)));
        }
        // To the bit on the jambs.
        points[0] = new((float)o.From - half, (float)Spring(o));
        points[segments] = new((float)o.To - half, (float)Spring(o));
        return points;
    }
}
