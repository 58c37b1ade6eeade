using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>
/// Where hulls touch each other and the set. Two hulls by the axes along which they can be parted: normals of faces, and across edges
/// (Gottschalk 1996; edges by their faces' arcs, Gregorius 2013); what touches is the other's face cut by the sides of the one along whose
/// normal they are least deep in one another.
/// </summary>
public sealed class Touching
{
    /// <summary>So near counts as touching, metres: what rests keeps its contacts.</summary>
    private const double Near = 5e-4;

    /// <summary>An axis across edges is looked for only where faces leave hulls this deep in one another.</summary>
    private const double Deep = 2e-3;
    private readonly IReadOnlyList<FallingBody> _bodies;
    private readonly StillSet? _set;
    private readonly double _friction,
        _bounce;
    private readonly HashSet<(int Body, int Piece)> _through = [];
    private readonly Dictionary<(int Body, int Piece), double> _sunk = [];
    private readonly Vec3[][] _vertices,
        _normals;
    private readonly double[][] _offsets;
    private readonly Vec3[] _low,
        _high;
    private readonly List<int> _near = [];

    /// <param name="set">Null: there is none.</param>
    /// <param name="friction">Of the set.</param>
    /// <param name="bounce">Of the set.</param>
    public Touching(IReadOnlyList<FallingBody> bodies, StillSet? set, double friction, double bounce)
    {
        (_bodies, _set, _friction, _bounce) = (bodies, set, friction, bounce);
        _vertices = [.. bodies.Select(b => new Vec3[b.Hull.Vertices.Length])];
        _normals = [.. bodies.Select(b => new Vec3[b.Hull.Faces.Length])];
        _offsets = [.. bodies.Select(b => new double[b.Hull.Faces.Length])];
        (_low, _high) = (new Vec3[bodies.Count], new Vec3[bodies.Count]);
    }

    /// <summary>Pieces that a body stands in from the beginning: they do not hold it up.</summary>
    public IReadOnlyCollection<(int Body, int Piece)> Through => _through;

    /// <summary>
    /// Pieces that a body stands in a little way from the beginning, as a step stands in a floor: they hold it up as deep as it stood, and
    /// no deeper once it has come out. Metres.
    /// </summary>
    public IReadOnlyDictionary<(int Body, int Piece), double> Sunk => _sunk;

    /// <summary>Takes the hulls to where the bodies are.</summary>
    public void Place(ReadOnlySpan<BodyState> states, ReadOnlySpan<bool> moved)
    {
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (moved[i])
            {
                Place(i, states[i]);
            }
        }
    }

    private void Place(int i, in BodyState state)
    {
        ConvexHull hull = _bodies[i].Hull;
        Matrix3 turn = state.Turn;
        Vec3 low = new(double.MaxValue, double.MaxValue, double.MaxValue),
            high = -low;
        for (int k = 0; k < hull.Vertices.Length; k++)
        {
            Vec3 v = _vertices[i][k] = turn * hull.Vertices[k] + state.Place;
            (low, high) = (Vec3.Min(low, v), Vec3.Max(high, v));
        }
        for (int k = 0; k < hull.Faces.Length; k++)
        {
            _normals[i][k] = turn * hull.Faces[k].Normal;
            _offsets[i][k] = hull.Faces[k].Offset + Vec3.Dot(_normals[i][k], state.Place);
        }
        var edge = new Vec3(Near, Near, Near);
        (_low[i], _high[i]) = (low - edge, high + edge);
    }

    /// <summary>Notes the pieces that bodies stand in by more than so many metres.</summary>
    public void NoteThrough(ReadOnlySpan<BodyState> states, double deep)
    {
        if (_set is null)
        {
            return;
        }
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (_bodies[i].Carried is not null)
            {
                continue;
            }
            _set.Near(_low[i], _high[i], _near);
            foreach (int t in _near)
            {
                if (!_through.Contains((i, _set.PieceOf(t))) && Inside(i, t, deep))
                {
                    _through.Add((i, _set.PieceOf(t)));
                }
            }
            foreach (int piece in _near.Select(_set.PieceOf).Distinct().Where(q => _through.Contains((i, q))).ToArray())
            {
                if (Depth(i, piece, states[i].Place) is { } stands)
                {
                    _through.Remove((i, piece));
                    _sunk[(i, piece)] = stands;
                }
            }
        }
    }

    /// <summary>
    /// How deep a body stands in what is level enough of a piece; null: its middle is below that, or it stands in it by more than half of
    /// it, or beside it.
    /// </summary>
    private double? Depth(int body, int piece, Vec3 middle)
    {
        double deepest = 0,
            most = Math.Max(0.02, _bodies[body].Hull.Thinnest / 2);
        bool level = false;
        foreach (int t in _near)
        {
            if (_set!.PieceOf(t) != piece)
            {
                continue;
            }
            if (!IsLevel(t))
            {
                // A wall that reaches into it would throw it sideways.
                if (Inside(body, t, most / 2))
                {
                    return null;
                }
                continue;
            }
            var (a, b, c) = _set.Corners(t);
            Vec3 n = _set.Normal(t);
            n = n.Y < 0 ? -n : n;
            foreach (Vec3 v in _vertices[body])
            {
                double depth = -Vec3.Dot(n, v - a);
                if (depth <= 0 || !Over(a, b, c, _set.Normal(t), v))
                {
                    continue;
                }
                // A floor's underside is no floor.
                if (Vec3.Dot(n, middle - a) <= 0)
                {
                    if (depth < most)
                    {
                        return null;
                    }
                    continue;
                }
                if (depth > most)
                {
                    return null;
                }
                (level, deepest) = (true, Math.Max(deepest, depth));
            }
        }
        return level ? deepest : null;
    }

    private bool IsLevel(int triangle) => Math.Abs(_set!.Normal(triangle).Y) > 0.5;

    /// <summary>What a body has come out of by now it does not go back into.</summary>
    private void Rise(int body)
    {
        foreach (var ((own, piece), was) in _sunk.Where(s => s.Key.Body == body).ToArray())
        {
            double deepest = 0;
            foreach (int t in _near)
            {
                if (_set!.PieceOf(t) != piece || !IsLevel(t))
                {
                    continue;
                }
                var (a, b, c) = _set.Corners(t);
                Vec3 n = _set.Normal(t);
                foreach (Vec3 v in _vertices[body])
                {
                    double depth = -Vec3.Dot(n.Y < 0 ? -n : n, v - a);
                    if (depth > deepest && depth <= was + 0.02 && Over(a, b, c, n, v))
                    {
                        deepest = depth;
                    }
                }
            }
            if (deepest <= 0)
            {
                _sunk.Remove((own, piece));
            }
            else if (deepest < was)
            {
                _sunk[(own, piece)] = deepest;
            }
        }
    }

    /// <summary>Some of a triangle lies in a hull that is smaller by so much all around.</summary>
    private bool Inside(int body, int triangle, double deep)
    {
        var (a, b, c) = _set!.Corners(triangle);
        List<Vec3> polygon = [a, b, c];
        for (int f = 0; f < _normals[body].Length && polygon.Count > 0; f++)
        {
            polygon = Cut(polygon, _normals[body][f], _offsets[body][f] - deep);
        }
        return polygon.Count >= 3;
    }

    private static List<Vec3> Cut(List<Vec3> polygon, Vec3 n, double offset)
    {
        var kept = new List<Vec3>(polygon.Count + 1);
        for (int i = 0; i < polygon.Count; i++)
        {
            Vec3 p = polygon[i],
                q = polygon[(i + 1) % polygon.Count];
            double dp = Vec3.Dot(n, p) - offset,
                dq = Vec3.Dot(n, q) - offset;
            if (dp <= 0)
            {
                kept.Add(p);
            }
            if (dp <= 0 != dq <= 0)
            {
                kept.Add(p + dp / (dp - dq) * (q - p));
            }
        }
        return kept;
    }

    /// <summary>All touches of what is awake.</summary>
    /// <param name="awake">What moves.</param>
    /// <param name="there">What is there at all.</param>
    public void Find(ReadOnlySpan<BodyState> states, ReadOnlySpan<bool> awake, ReadOnlySpan<bool> there, List<Touch> touches)
    {
        touches.Clear();
        // Bodies along x, each against those that begin before it ends (Baraff 1992).
        int n = _bodies.Count;
        var order = new int[n];
        int many = 0;
        for (int i = 0; i < n; i++)
        {
            if (there[i])
            {
                order[many++] = i;
            }
        }
        double[] keys = new double[many];
        for (int k = 0; k < many; k++)
        {
            keys[k] = _low[order[k]].X;
        }
        Array.Sort(keys, order, 0, many);
        for (int p = 0; p < many; p++)
        {
            int i = order[p];
            for (int q = p + 1; q < many && _low[order[q]].X <= _high[i].X; q++)
            {
                int j = order[q];
                if (
                    (awake[i] || awake[j])
                    && (_bodies[i].Carried is null || _bodies[j].Carried is null)
                    && _low[i].Y <= _high[j].Y
                    && _low[j].Y <= _high[i].Y
                    && _low[i].Z <= _high[j].Z
                    && _low[j].Z <= _high[i].Z
                )
                {
                    Pair(Math.Min(i, j), Math.Max(i, j), states, touches);
                }
            }
        }
        for (int i = 0; i < n; i++)
        {
            if (awake[i] && there[i] && _bodies[i].Carried is null)
            {
                OnSet(i, states, touches);
            }
        }
    }

    private Touch Made(int a, int b, Vec3 at, Vec3 normal, double depth, ReadOnlySpan<BodyState> states)
    {
        Vec3 going = states[a].VelocityAt(at) - (b < 0 ? Vec3.Zero : states[b].VelocityAt(at)),
            slip = going - Vec3.Dot(going, normal) * normal;
        if (slip.Length < 1e-4)
        {
            // What rests would slip down.
            slip = -Vec3.UnitY + normal.Y * normal;
        }
        if (slip.Length < 1e-6)
        {
            slip = Vec3.Cross(normal, Math.Abs(normal.X) < 0.9 ? Vec3.UnitX : Vec3.UnitZ);
        }
        double friction = b < 0 ? _friction : _bodies[b].Friction,
            bounce = b < 0 ? _bounce : _bodies[b].Bounce;
        return new(
            a,
            b,
            at,
            normal,
            slip.Normalized(),
            Math.Sqrt(friction * _bodies[a].Friction),
            Math.Max(bounce, _bodies[a].Bounce),
            0.1,
            depth
        );
    }

    private (double Separation, int Face) Along(int a, int b, double most)
    {
        Vec3[] normals = _normals[a],
            vertices = _vertices[b];
        double best = double.NegativeInfinity;
        int face = 0;
        for (int f = 0; f < normals.Length; f++)
        {
            Vec3 n = normals[f];
            double least = double.PositiveInfinity;
            foreach (Vec3 v in vertices)
            {
                double d = n.X * v.X + n.Y * v.Y + n.Z * v.Z;
                least = d < least ? d : least;
            }
            least -= _offsets[a][f];
            if (least > best)
            {
                (best, face) = (least, f);
                if (best > most)
                {
                    break;
                }
            }
        }
        return (best, face);
    }

    private void Pair(int a, int b, ReadOnlySpan<BodyState> states, List<Touch> touches)
    {
        var (sa, fa) = Along(a, b, Near);
        if (sa > Near)
        {
            return;
        }
        var (sb, fb) = Along(b, a, Near);
        if (sb > Near)
        {
            return;
        }
        double face = Math.Max(sa, sb);
        if (face < -Deep && AcrossEdges(a, b, face, states, out Touch? edge) is var parted)
        {
            if (parted)
            {
                return;
            }
            if (edge is { } e)
            {
                touches.Add(e);
                return;
            }
        }
        // The first one's, unless the other's is clearly less deep: no changing to and fro.
        bool ofB = sb > sa + 1e-4;
        FaceTouches(ofB ? b : a, ofB ? fb : fa, ofB ? a : b, ofB, a, b, states, touches);
    }

    private void FaceTouches(
        int reference,
        int face,
        int other,
        bool ofB,
        int a,
        int b,
        ReadOnlySpan<BodyState> states,
        List<Touch> touches
    )
    {
        Vec3 n = _normals[reference][face];
        int incident = 0;
        double most = double.PositiveInfinity;
        for (int f = 0; f < _normals[other].Length; f++)
        {
            double d = Vec3.Dot(_normals[other][f], n);
            if (d < most)
            {
                (most, incident) = (d, f);
            }
        }
        List<Vec3> polygon = [.. _bodies[other].Hull.Faces[incident].Corners.Select(c => _vertices[other][c])];
        int[] corners = _bodies[reference].Hull.Faces[face].Corners;
        for (int k = 0; k < corners.Length && polygon.Count > 0; k++)
        {
            Vec3 p = _vertices[reference][corners[k]],
                q = _vertices[reference][corners[(k + 1) % corners.Length]],
                side = Vec3.Cross(q - p, n);
            if (side.Length > 1e-12)
            {
                side = side.Normalized();
                polygon = Cut(polygon, side, Vec3.Dot(side, p));
            }
        }
        var found = new List<(Vec3 At, double Depth)>();
        foreach (Vec3 p in polygon)
        {
            double depth = _offsets[reference][face] - Vec3.Dot(n, p);
            if (depth >= -Near)
            {
                found.Add((p + depth / 2 * n, depth));
            }
        }
        Vec3 push = ofB ? n : -n;
        foreach (var (at, depth) in Fewer(found))
        {
            touches.Add(Made(a, b, at, push, depth, states));
        }
    }

    /// <summary>Four that span most: the deepest, the one furthest from it, and those furthest from the line between them on either side.</summary>
    private static List<(Vec3 At, double Depth)> Fewer(List<(Vec3 At, double Depth)> all)
    {
        if (all.Count <= 4)
        {
            return all;
        }
        var first = all.MaxBy(c => c.Depth);
        var second = all.MaxBy(c => (c.At - first.At).LengthSquared);
        Vec3 along = second.At - first.At,
            up = all.Select(c => Vec3.Cross(along, c.At - first.At)).MaxBy(v => v.LengthSquared);
        double Side((Vec3 At, double Depth) c) => Vec3.Dot(up, Vec3.Cross(along, c.At - first.At));
        var third = all.MaxBy(Side);
        var fourth = all.MinBy(Side);
        return [.. new[] { first, second, third, fourth }.Distinct()];
    }

    /// <summary>
    /// True: an axis across two edges parts them. Else, where such an axis leaves them less deep than all faces, the touch there.
    /// </summary>
    private bool AcrossEdges(int a, int b, double face, ReadOnlySpan<BodyState> states, out Touch? touch)
    {
        touch = null;
        double best = face + 1e-4;
        Vec3 between = states[a].Place - states[b].Place;
        foreach (HullEdge ea in _bodies[a].Hull.Edges)
        {
            Vec3 pa = _vertices[a][ea.A],
                da = _vertices[a][ea.B] - pa,
                a1 = _normals[a][ea.Left],
                a2 = _normals[a][ea.Right];
            foreach (HullEdge eb in _bodies[b].Hull.Edges)
            {
                Vec3 b1 = -_normals[b][eb.Left],
                    b2 = -_normals[b][eb.Right];
                // The arcs between the faces' normals cross on the sphere.
                Vec3 pb = _vertices[b][eb.A],
                    db = _vertices[b][eb.B] - pb;
                double c = Vec3.Dot(b1, da),
                    d = Vec3.Dot(b2, da),
                    e = Vec3.Dot(a1, db),
                    f = Vec3.Dot(a2, db);
                // An edge of a hull runs against the cross of its faces' normals, right and left: it stands for that in all four products.
                if (!(c * d < 0 && e * f < 0 && c * f > 0))
                {
                    continue;
                }
                Vec3 n = Vec3.Cross(da, db);
                double length = n.Length;
                if (length < 1e-6 * da.Length * db.Length || length == 0)
                {
                    continue;
                }
                n /= length;
                // From b to a.
                if (Vec3.Dot(n, between) < 0)
                {
                    n = -n;
                }
                double separation = Least(a, n) - Largest(b, n);
                if (separation > Near)
                {
                    return true;
                }
                if (separation > best)
                {
                    best = separation;
                    touch = Made(a, b, Middle(pa, da, pb, db), n, -separation, states);
                }
            }
        }
        return false;
    }

    private double Least(int body, Vec3 n)
    {
        double least = double.PositiveInfinity;
        foreach (Vec3 v in _vertices[body])
        {
            least = Math.Min(least, Vec3.Dot(n, v));
        }
        return least;
    }

    private double Largest(int body, Vec3 n) => -Least(body, -n);

    /// <summary>Half way between the nearest spots of two lines.</summary>
    private static Vec3 Middle(Vec3 p, Vec3 d, Vec3 q, Vec3 e)
    {
        Vec3 w = p - q;
        double a = Vec3.Dot(d, d),
            b = Vec3.Dot(d, e),
            c = Vec3.Dot(e, e),
            x = Vec3.Dot(d, w),
            y = Vec3.Dot(e, w),
            det = a * c - b * b;
        double s = Math.Clamp((b * y - c * x) / det, 0, 1),
            t = Math.Clamp((a * y - b * x) / det, 0, 1);
        return (p + s * d + (q + t * e)) / 2;
    }

    /// <summary>A body against the set: its corners behind triangles, and edges of the set that stick into it.</summary>
    private void OnSet(int i, ReadOnlySpan<BodyState> states, List<Touch> touches)
    {
        if (_set is null)
        {
            return;
        }
        _set.Near(_low[i], _high[i], _near);
        if (_near.Count == 0)
        {
            return;
        }
        double most = Math.Max(0.02, _bodies[i].Hull.Thinnest / 2);
        Vec3 middle = states[i].Place;
        int from = touches.Count;
        if (_sunk.Count > 0)
        {
            Rise(i);
        }
        for (int k = 0; k < _vertices[i].Length; k++)
        {
            Vec3 v = _vertices[i][k];
            double least = double.PositiveInfinity;
            Vec3 best = default;
            foreach (int t in _near)
            {
                if (_through.Count > 0 && _through.Contains((i, _set.PieceOf(t))))
                {
                    continue;
                }
                double sunk = _sunk.Count > 0 && _sunk.TryGetValue((i, _set.PieceOf(t)), out double stood) ? stood : 0;
                if (sunk > 0 && !IsLevel(t))
                {
                    continue;
                }
                var (a, b, c) = _set.Corners(t);
                Vec3 n = _set.Normal(t);
                double side = Vec3.Dot(n, middle - a) >= 0 ? 1 : -1,
                    depth = -side * Vec3.Dot(n, v - a) - sunk;
                if (depth < -Near || depth > most || depth >= least || !Over(a, b, c, n, v) || (depth > Deep && !Entered(middle, v, n)))
                {
                    continue;
                }
                (least, best) = (depth, side * n);
            }
            if (double.IsFinite(least))
            {
                touches.Add(Made(i, -1, v, best, least, states));
            }
        }
        foreach (int t in _near)
        {
            if (
                (_through.Count > 0 && _through.Contains((i, _set.PieceOf(t))))
                || (_sunk.Count > 0 && _sunk.ContainsKey((i, _set.PieceOf(t))))
            )
            {
                continue;
            }
            var (a, b, c) = _set.Corners(t);
            for (int s = 0; s < 3; s++)
            {
                if (_set.Sticks(t, s))
                {
                    Edge(
                        i,
                        s == 0 ? a
                            : s == 1 ? b
                            : c,
                        s == 0 ? b
                            : s == 1 ? c
                            : a,
                        most,
                        states,
                        touches
                    );
                }
            }
        }
        if (touches.Count - from > 12)
        {
            // So many corners: those that are deepest, in their order.
            List<Touch> own = touches[from..];
            double least = own.Select(o => o.Depth).OrderDescending().ElementAt(11);
            touches.RemoveRange(from, own.Count);
            touches.AddRange(own.Where(o => o.Depth >= least).Take(12));
        }
    }

    /// <summary>
    /// The way from a body's middle to its corner goes through a face of that direction. A corner that hangs over an edge lies behind the
    /// face below the edge as well, but has not come through it.
    /// </summary>
    private bool Entered(Vec3 middle, Vec3 corner, Vec3 normal)
    {
        Vec3 d = corner - middle;
        foreach (int t in _near)
        {
            Vec3 n = _set!.Normal(t);
            double way = Vec3.Dot(n, d);
            if (Math.Abs(Vec3.Dot(n, normal)) < 0.9 || Math.Abs(way) < 1e-12)
            {
                continue;
            }
            var (a, b, c) = _set.Corners(t);
            double share = Vec3.Dot(n, a - middle) / way;
            if (share is >= 0 and <= 1 && Over(a, b, c, n, middle + share * d))
            {
                return true;
            }
        }
        return false;
    }

    private static bool Over(Vec3 a, Vec3 b, Vec3 c, Vec3 n, Vec3 p)
    {
        const double out1 = -1e-9;
        return Vec3.Dot(Vec3.Cross(b - a, p - a), n) >= out1
            && Vec3.Dot(Vec3.Cross(c - b, p - b), n) >= out1
            && Vec3.Dot(Vec3.Cross(a - c, p - c), n) >= out1;
    }

    private void Edge(int i, Vec3 from, Vec3 to, double most, ReadOnlySpan<BodyState> states, List<Touch> touches)
    {
        // The part of it within the hull (Cyrus and Beck 1978).
        double t0 = 0,
            t1 = 1;
        Vec3 d = to - from;
        Vec3[] normals = _normals[i];
        for (int f = 0; f < normals.Length; f++)
        {
            double off = Vec3.Dot(normals[f], from) - _offsets[i][f],
                way = Vec3.Dot(normals[f], d);
            if (Math.Abs(way) < 1e-14)
            {
                if (off > 0)
                {
                    return;
                }
                continue;
            }
            double t = -off / way;
            if (way > 0)
            {
                t1 = Math.Min(t1, t);
            }
            else
            {
                t0 = Math.Max(t0, t);
            }
            if (t0 >= t1)
            {
                return;
            }
        }
        // Out by the face that is nearest to the middle of that part; both ends are held.
        Vec3 mid = from + (t0 + t1) / 2 * d;
        int face = 0;
        double least = double.PositiveInfinity;
        for (int f = 0; f < normals.Length; f++)
        {
            double depth = _offsets[i][f] - Vec3.Dot(normals[f], mid);
            if (depth < least)
            {
                (least, face) = (depth, f);
            }
        }
        if (least > most)
        {
            return;
        }
        Vec3 push = -normals[face];
        foreach (double t in (ReadOnlySpan<double>)(t1 - t0 > 1e-3 / Math.Max(1e-9, d.Length) ? [t0, t1] : [(t0 + t1) / 2]))
        {
            Vec3 at = from + t * d;
            touches.Add(Made(i, -1, at, push, Math.Max(0, _offsets[i][face] - Vec3.Dot(normals[face], at)), states));
        }
    }
}
