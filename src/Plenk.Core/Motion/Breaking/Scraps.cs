using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Breaking;

/// <summary>What a break throws off that is too small for bodies.</summary>
public sealed record ScrapSettings
{
    public int Count { get; init; }
    public int Seed { get; init; } = 1;

    /// <summary>Their sizes, edge to edge, metres: of a size and more there are as many as its power −1.5 (common practice, no source).</summary>
    public double SmallestMetres { get; init; } = 0.004;
    public double LargestMetres { get; init; } = 0.03;

    /// <summary>How fast they leave the crack, against the part that they come off; the root of the mean square, m/s.</summary>
    public double Speed { get; init; } = 1.5;
    public double TurnsPerSecond { get; init; } = 3;

    /// <summary>kg/m³.</summary>
    public double Density { get; init; } = 2400;

    /// <summary>The air's drag on a cube (Hoerner 1965: 1.05), times this; 0: there is no air.</summary>
    public double Drag { get; init; } = 1;
    public double Friction { get; init; } = 0.6;
    public double Bounce { get; init; } = 0.2;
}

/// <summary>Where a scrap is in a frame.</summary>
public readonly record struct ScrapState(Vec3 Place, Matrix3 Turn);

/// <summary>A scrap over all frames: one of the <see cref="Scraps.Shapes"/> in a size, metres.</summary>
/// <param name="Rests">Index of the frame from which it lies still.</param>
public sealed record Scrap(int Shape, double Metres, IReadOnlyList<ScrapState> States, int Rests);

/// <summary>
/// Small things thrown off the faces that a break lays open: each by itself under gravity and the air's drag, bouncing off what stands
/// still by Newton's restitution and Coulomb's friction until it rests. They do not touch parts, nor each other.
/// </summary>
public static class Scraps
{
    public const int Most = 5000,
        Shapes = 6;

    private const double Air = 1.2, // kg/m³
        CubeDrag = 1.05;
    private const int StepsAFrame = 8;

    /// <summary>A scrap touches what is nearer to its middle, as a share of its size.</summary>
    private const double Radius = 0.35;

    /// <summary>What leaves a surface slower than this does not leave it, m/s; what goes slower on it lies still.</summary>
    private const double Lands = 0.15,
        Slow = 0.03;

    /// <summary>By how much the air slows it, for each metre and m/s: ½ ρ c A ÷ m of a cube.</summary>
    public static double DragPerMetre(ScrapSettings with, double metres) => with.Drag * 0.5 * Air * CubeDrag / (with.Density * metres);

    /// <param name="parts">With what the break laid open as their material <paramref name="inside"/>.</param>
    /// <param name="frames">How the parts went; 0 s is the first.</param>
    /// <param name="struck">Most come from there; null: from everywhere alike.</param>
    /// <exception cref="BreakFault">They cannot be like that.</exception>
    public static IReadOnlyList<Scrap> Of(
        IReadOnlyList<BrokenPart> parts,
        int inside,
        IReadOnlyList<FallFrame> frames,
        StillSet? set,
        double rate,
        double gravity,
        Vec3? struck,
        ScrapSettings with,
        CancellationToken stop = default
    )
    {
        Check(with);
        var faces = new List<(int Part, Vec3 A, Vec3 B, Vec3 C, double Until)>();
        double all = 0,
            wide = parts.Count == 0 ? 1 : Math.Max(0.1, parts.Max(p => (p.Middle - (struck ?? p.Middle)).Length));
        for (int p = 0; p < parts.Count; p++)
        {
            // What stays fixed breaks against what comes loose, whose faces are the same.
            if (parts[p].Body.IsFixed)
            {
                continue;
            }
            TriangleMesh mesh = parts[p].Mesh;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                if (mesh.Materials?[t] != inside)
                {
                    continue;
                }
                var (a, b, c) = mesh.Triangle(t);
                double area = Vector3.Cross(b - a, c - a).Length() / 2,
                    away = struck is { } s ? (parts[p].Middle + Vec3.From((a + b + c) / 3) - s).Length / wide : 0;
                all += area * Elementary.Exp(-4 * away);
                faces.Add((p, Vec3.From(a), Vec3.From(b), Vec3.From(c), all));
            }
        }
        if (faces.Count == 0 || with.Count == 0 || frames.Count == 0)
        {
            return [];
        }
        int?[] loose = [.. Enumerable.Range(0, parts.Count).Select(p => Loose(frames, p))];
        var made = new Scrap[with.Count];
        Parallel.For(0, with.Count, Cores.Until(stop), i =>
        {
            uint state = HashMix.Of(HashMix.Of((uint)with.Seed) ^ ((uint)i * 2654435761u));
            double Next()
            {
                state = HashMix.Of(state + 0x9E3779B9u);
                return (state >> 8) * (1.0 / 16777216);
            }
            Vec3 Round()
            {
                double z = 2 * Next() - 1,
                    turn = 2 * Math.PI * Next(),
                    r = Math.Sqrt(1 - z * z);
                return new(r * Elementary.Cos(turn), z, r * Elementary.Sin(turn));
            }
            double at = all * Next();
            int low = 0,
                high = faces.Count - 1;
            while (low < high)
            {
                int mid = (low + high) / 2;
                (low, high) = faces[mid].Until < at ? (mid + 1, high) : (low, mid);
            }
            var face = faces[low];
            double u = Math.Sqrt(Next()),
                v = Next();
            Vec3 spot = (1 - u) * face.A + u * (1 - v) * face.B + u * v * face.C,
                normal = Vec3.Cross(face.B - face.A, face.C - face.A).Normalized();
            // Inverse of 1 − N(s) ∝ s^−1.5 between the smallest and the largest.
            double a = Elementary.Pow(with.SmallestMetres, -1.5),
                b = Elementary.Pow(with.LargestMetres, -1.5),
                metres = Elementary.Pow(a + Next() * (b - a), -1 / 1.5);
            // Off the face to all sides of it, as fast as Rayleigh's distribution of that mean square has it.
            double length = with.Speed * Math.Sqrt(-Elementary.Log(1 - Next()));
            Vec3 way = Round();
            way = Vec3.Dot(way, normal) < 0 ? -way : way;
            Vec3 axis = Round();
            double turns = 2 * Math.PI * with.TurnsPerSecond * (0.3 + 1.4 * Next());
            Matrix3 first = Rotations.FromAxisAngle(Round(), 2 * Math.PI * Next());
            made[i] = Fly(
                new(face.Part, i % Shapes, metres, spot, length * way, turns * axis, first),
                frames,
                loose[face.Part],
                set,
                rate,
                gravity,
                with
            );
        });
        return made;
    }

    private static void Check(ScrapSettings with)
    {
        if (with.Count is < 0 or > Most)
        {
            throw new BreakFault($"Up to {Most} scraps come off a break; {with.Count} are asked for.");
        }
        if (!(with.SmallestMetres > 1e-4 && with.LargestMetres >= with.SmallestMetres && with.LargestMetres < 10))
        {
            throw new BreakFault("Scraps are larger than 0.1 mm, and the largest is no smaller than the smallest.");
        }
        if (
            !(
                with is
                {
                    Speed: >= 0 and < 300,
                    TurnsPerSecond: >= 0 and < 1000,
                    Drag: >= 0 and < 1000,
                    Density: > 0 and < 1e5,
                    Friction: >= 0 and <= 10,
                    Bounce: >= 0 and <= 1
                }
            )
        )
        {
            throw new BreakFault("Scraps leave with 0 to 300 m/s and up to 1000 turns a second; their drag is 0 or more.");
        }
    }

    /// <summary>
    /// Index of the frame from which a part goes: what is struck has its speed in the frame before it is seen to move. Null: it never does.
    /// </summary>
    private static int? Loose(IReadOnlyList<FallFrame> frames, int part)
    {
        Vec3 stood = frames[0].Bodies[part].Place;
        for (int f = 1; f < frames.Count; f++)
        {
            if ((frames[f].Bodies[part].Place - stood).Length > 1e-4)
            {
                return frames[f - 1].Bodies[part].Velocity.Length > 0.05 ? f - 1 : f;
            }
        }
        return null;
    }

    private readonly record struct Thrown(int Part, int Shape, double Metres, Vec3 Spot, Vec3 Velocity, Vec3 Spin, Matrix3 Turn);

    private static Scrap Fly(
        Thrown thrown,
        IReadOnlyList<FallFrame> frames,
        int? loose,
        StillSet? set,
        double rate,
        double gravity,
        ScrapSettings with
    )
    {
        var states = new ScrapState[frames.Count];
        int from = loose ?? frames.Count;
        for (int f = 0; f < Math.Min(from + 1, frames.Count); f++)
        {
            BodyState part = frames[f].Bodies[thrown.Part];
            states[f] = new(part.ToWorld(thrown.Spot), part.Turn * thrown.Turn);
        }
        if (from >= frames.Count)
        {
            return new(thrown.Shape, thrown.Metres, states, frames.Count - 1);
        }
        BodyState off = frames[from].Bodies[thrown.Part];
        Vec3 at = states[from].Place,
            velocity = off.VelocityAt(at) + off.Turn * thrown.Velocity,
            spin = off.Turn * thrown.Spin;
        Matrix3 turn = states[from].Turn;
        double step = 1 / (rate * StepsAFrame),
            drag = DragPerMetre(with, thrown.Metres),
            radius = Radius * thrown.Metres;
        var near = new List<int>();
        int rests = frames.Count - 1;
        bool lies = false;
        for (int f = from + 1; f < frames.Count; f++)
        {
            for (int k = 0; k < StepsAFrame && !lies; k++)
            {
                // Gravity's path is exact over a step, and so is what quadratic drag leaves of a speed.
                Vec3 next = at + step * velocity - 0.5 * gravity * step * step * Vec3.UnitY;
                velocity -= gravity * step * Vec3.UnitY;
                velocity /= 1 + drag * velocity.Length * step;
                double angle = spin.Length * step;
                if (angle > 1e-9)
                {
                    turn = Rotations.FromAxisAngle(spin.Normalized(), angle) * turn;
                }
                Vec3 gone = next - at;
                if (set is null || !(gone.Length > 1e-9) || Touched(set, at, next, gone.Normalized(), radius, near) is not { } touch)
                {
                    at = next;
                    continue;
                }
                // Never to the other side of something that is near as well.
                if (set.Meets(at, touch.Place, _ => true, near) is null)
                {
                    at = touch.Place;
                }
                double into = Vec3.Dot(velocity, touch.Normal);
                if (into < 0)
                {
                    Vec3 slide = velocity - into * touch.Normal;
                    double bounce = -into < Lands ? 0 : with.Bounce,
                        push = -(1 + bounce) * into,
                        left = slide.Length > 1e-9 ? Math.Max(0, 1 - with.Friction * push / slide.Length) : 0;
                    velocity = left * slide - bounce * into * touch.Normal;
                    // It rolls on as it slides.
                    spin = Vec3.Cross(touch.Normal, left * slide) / Math.Max(1e-4, 2 * radius);
                }
                lies = velocity.Length < Slow && touch.Normal.Y > 0.2;
                if (lies)
                {
                    rests = f;
                }
            }
            states[f] = new(at, turn);
        }
        return new(thrown.Shape, thrown.Metres, states, rests);
    }

    /// <summary>Where a ball on its way first touches what stands still: its middle then, and the normal against its way.</summary>
    private static (Vec3 Place, Vec3 Normal)? Touched(StillSet set, Vec3 from, Vec3 to, Vec3 way, double radius, List<int> near)
    {
        if (set.Meets(from, to + radius * way, _ => true, near) is not { } met)
        {
            return null;
        }
        Vec3 normal = set.Normal(met.Triangle);
        normal = Vec3.Dot(normal, way) > 0 ? -normal : normal;
        Vec3 spot = from + met.Share * (to + radius * way - from);
        return (spot + radius * normal, normal);
    }

    /// <summary>An edgy chunk about a metre wide, with flat faces.</summary>
    public static TriangleMesh Shape(int which)
    {
        uint state = HashMix.Of((uint)which + 77);
        double Next()
        {
            state = HashMix.Of(state + 0x9E3779B9u);
            return (state >> 8) * (1.0 / 16777216);
        }
        ConvexHull hull = ConvexHull.Of(
            Enumerable
                .Range(0, 8)
                .Select(i => new Vec3(
                    ((i & 1) - 0.5) * (0.5 + 0.6 * Next()),
                    ((i >> 1 & 1) - 0.5) * (0.4 + 0.5 * Next()),
                    ((i >> 2 & 1) - 0.5) * (0.5 + 0.6 * Next())
                ))
        )!;
        var places = new List<Vector3>();
        var normals = new List<Vector3>();
        foreach (var face in hull.Faces)
        {
            for (int k = 1; k + 1 < face.Corners.Length; k++)
            {
                Vector3 a = hull.Vertices[face.Corners[0]].ToSingle(),
                    b = hull.Vertices[face.Corners[k]].ToSingle(),
                    c = hull.Vertices[face.Corners[k + 1]].ToSingle(),
                    n = Vector3.Normalize(Vector3.Cross(b - a, c - a));
                places.AddRange([a, b, c]);
                normals.AddRange([n, n, n]);
            }
        }
        return new TriangleMesh([.. places], [.. Enumerable.Range(0, places.Count)]) with { Normals = [.. normals] };
    }
}
