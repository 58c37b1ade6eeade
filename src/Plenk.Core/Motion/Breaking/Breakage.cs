using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Breaking;

/// <summary>A thing cannot be broken as it is asked; the message says why, in the artist's terms, and what would mend it.</summary>
public sealed class BreakFault(string message) : Exception(message);

/// <summary>How a thing breaks.</summary>
/// <param name="Density">kg/m³.</param>
public sealed record BreakSettings(int Parts, int Seed, double Density)
{
    /// <summary>Given to what is open, against its front's normals, metres; null: it has a volume.</summary>
    public double? Thickness { get; init; }

    /// <summary>Where it is struck: parts are smaller there. Null: as large everywhere.</summary>
    public Vec3? Point { get; init; }

    /// <summary>Lines on its surface that cracks follow, each two places or more, in the world.</summary>
    public IReadOnlyList<IReadOnlyList<Vec3>> Cracks { get; init; } = [];

    /// <summary>Of the blow, N s.</summary>
    public Vec3 Impulse { get; init; }

    /// <summary>Parts whose middle lies farther off from where it is struck stay fixed, metres; null: none does.</summary>
    public double? Radius { get; init; }

    /// <summary>And those that lie deeper, in the direction of the blow (of one without a direction: downwards), metres; null: it breaks through.</summary>
    public double? Depth { get; init; }

    /// <summary>
    /// A sphere of pressure that grows from where it is struck: so much on a square metre at one metre, N s/m², less with the square of the
    /// distance. 0: there is none.
    /// </summary>
    public double Blast { get; init; }

    /// <summary>How fast it grows, m/s; a part is pushed when it is reached.</summary>
    public double BlastSpeed { get; init; } = 340;
}

/// <summary>A part of a broken thing.</summary>
/// <param name="Mesh">About its centre of mass, closed; every face has its own corners.</param>
/// <param name="Middle">Where that stands before it breaks.</param>
/// <param name="Body">Ready to fall.</param>
public sealed record BrokenPart(string Name, TriangleMesh Mesh, Vec3 Middle, double Volume, FallingBody Body);

/// <summary>Things cut into parts, and struck.</summary>
public static class Breakage
{
    /// <summary>The most parts; thinner ones than this the solver cannot hold apart, metres.</summary>
    public const int MostParts = 5000;
    private const double Thinnest = 1e-3;

    /// <summary>So much smaller parts are on each side as bodies than as they are seen, metres.</summary>
    private const double Crack = 7e-4;

    /// <summary>No blow makes a part faster than this, m/s.</summary>
    private const double Fastest = 300;

    /// <summary>Parts are struck so far off their middle, as a share of the way to their nearest corner.</summary>
    private const double OffMiddle = 0.15;

    /// <param name="name">What is broken, for what is told.</param>
    /// <param name="mesh">In the world, metres.</param>
    /// <param name="inside">Material of what the break lays open.</param>
    /// <returns>The parts with the velocities that the blow gives them; and the volume of the whole, m³.</returns>
    /// <exception cref="BreakFault">It has no volume, crosses itself, or its parts would be too small or too fast.</exception>
    public static (IReadOnlyList<BrokenPart> Parts, double Volume) Of(string name, TriangleMesh mesh, BreakSettings with, int inside)
    {
        if (with.Parts is < 1 or > MostParts)
        {
            throw new BreakFault($"A thing breaks into 1 to {MostParts} parts; {with.Parts} are asked for.");
        }
        if (!(with.Density is > 0 and < 1e5))
        {
            throw new BreakFault(
                "Its density must be more than 0 kg/m³, and less than 100,000 (concrete 2400, brick 1900, oak 700, iron 7850)."
            );
        }
        if (with.Thickness is { } t && !(t is > 0 and < 1000))
        {
            throw new BreakFault("Its thickness must be more than 0 m.");
        }
        if (!with.Impulse.IsFinite || with.Point is { IsFinite: false })
        {
            throw new BreakFault("The blow’s place or impulse is no number.");
        }
        if (with.Cracks.FirstOrDefault(c => c.Count < 2 || c.Any(p => !p.IsFinite)) is not null)
        {
            throw new BreakFault("A line that a crack follows has two places or more, each three numbers.");
        }
        Solid whole = Whole(name, mesh, with.Thickness, inside);
        double volume = whole.Volume;
        if (!(volume > 1e-9))
        {
            throw new BreakFault($"“{name}” has no volume ({volume:0.###e0} m³). Give it a thickness.");
        }
        if (Crossing(mesh) is { } at)
        {
            throw new BreakFault(
                FormattableString.Invariant(
                    $"“{name}” crosses itself near {at.X:0.##}, {at.Y:0.##}, {at.Z:0.##}. Mend the mesh there: parts of it would be counted twice."
                )
            );
        }
        if (with.Radius is { } r && !(r > 0) || with.Depth is { } d && !(d > 0) || !(with.Blast >= 0) || !(with.BlastSpeed > 0))
        {
            throw new BreakFault("A radius, a depth and the speed of a blast must be more than 0, and a blast 0 N s/m² or more.");
        }
        if (with.Point is null && (with.Radius is not null || with.Depth is not null || with.Blast > 0))
        {
            throw new BreakFault("Say where it is struck: a radius, a depth and a blast are told from there.");
        }
        IReadOnlyList<Vec3> seeds = Voronoi.Seeds(whole, with.Parts, with.Seed, with.Point, with.Cracks);
        IReadOnlyList<Solid> cells = with.Parts == 1 ? [whole] : Voronoi.Cells(whole, seeds, inside);
        var parts = new List<BrokenPart>();
        for (int i = 0; i < cells.Count; i++)
        {
            if (cells[i].Faces.Count > 0)
            {
                parts.Add(Part($"part_{i + 1:0000}", cells[i], with.Density) ?? throw TooSmall(name, with.Parts, volume, whole));
            }
        }
        if (parts.Min(p => p.Body.Hull.Thinnest) < Thinnest)
        {
            throw TooSmall(name, with.Parts, volume, whole);
        }
        return (Blasted(name, Struck(name, Held(name, parts, with), with), with), volume);
    }

    /// <summary>Parts outside what breaks stay fixed: inside is half an ellipsoid of the radius and the depth.</summary>
    private static List<BrokenPart> Held(string name, List<BrokenPart> parts, BreakSettings with)
    {
        if (with.Point is not { } point || (with.Radius is null && with.Depth is null))
        {
            return parts;
        }
        Vec3 down = with.Impulse == Vec3.Zero ? -Vec3.UnitY : with.Impulse.Normalized();
        bool IsLoose(BrokenPart p)
        {
            Vec3 off = p.Middle - point;
            double deep = Vec3.Dot(off, down),
                far = (off - deep * down).Length;
            double Square(double of, double? most) => most is { } m ? of * of / (m * m) : 0;
            return Square(far, with.Radius) + Square(deep, with.Depth ?? with.Radius * 1e3) <= 1;
        }
        if (!parts.Any(IsLoose))
        {
            throw new BreakFault(
                FormattableString.Invariant(
                    $"No part of “{name}” lies within {with.Radius ?? with.Depth:0.###} m of where it is struck: the nearest one’s middle is {parts.Min(p => (p.Middle - point).Length):0.###} m off. Take more parts, or more room."
                )
            );
        }
        return [.. parts.Select(p => IsLoose(p) ? p : p with { Body = p.Body with { IsFixed = true } })];
    }

    /// <summary>Each loose part is pushed away from the blast, on the area that it turns to it.</summary>
    private static IReadOnlyList<BrokenPart> Blasted(string name, IReadOnlyList<BrokenPart> parts, BreakSettings with)
    {
        if (with.Blast == 0)
        {
            return parts;
        }
        Vec3 point = with.Point!.Value;
        Vec3 Pushed(BrokenPart p)
        {
            Vec3 off = p.Middle - point;
            // One that it begins in is pushed as from its rim, upwards.
            double distance = Math.Max(off.Length, p.Body.Hull.Radius);
            Vec3 away = off.Length > 1e-9 ? off.Normalized() : Vec3.UnitY;
            return with.Blast / (distance * distance) * p.Body.Hull.AreaSeenAlong(away) / p.Body.Mass * away;
        }
        double fastest = parts.Where(p => !p.Body.IsFixed).Max(p => Pushed(p).Length);
        if (fastest > Fastest)
        {
            throw new BreakFault(
                FormattableString.Invariant(
                    $"A blast of {with.Blast:0.#} N s/m² throws parts of “{name}” out of the world: {fastest:0} m/s. Take {with.Blast * Fastest / fastest:0.#} or less, or let it begin farther off."
                )
            );
        }
        return
        [
            .. parts.Select(p =>
                p.Body.IsFixed
                    ? p
                    : p with
                    {
                        Body = p.Body with
                        {
                            Start = p.Body.Start with { Velocity = p.Body.Start.Velocity + Pushed(p) },
                            LateSeconds = (p.Middle - point).Length / with.BlastSpeed,
                        },
                    }
            ),
        ];
    }

    private static BreakFault TooSmall(string name, int parts, double volume, Solid whole)
    {
        var (min, max) = whole.Mesh(Vec3.Zero).Bounds();
        Vector3 size = max - min;
        return new(
            FormattableString.Invariant(
                $"{parts} parts of “{name}” ({size.X:0.###} × {size.Y:0.###} × {size.Z:0.###} m) are thinner than 1 mm: the solver cannot hold them apart. Take fewer, or {(volume < 1e-3 ? "check its scale, or " : "")}another seed."
            )
        );
    }

    /// <summary>As it is where it is closed; thickened where that is asked for; else with its flat rims closed.</summary>
    private static Solid Whole(string name, TriangleMesh mesh, double? thickness, int inside)
    {
        int open;
        try
        {
            return Solid.Of(mesh);
        }
        catch (SolidFault e)
        {
            open = e.OpenEdges;
        }
        try
        {
            Solid made = thickness is { } metres ? Solid.Of(Thickened(mesh, metres, inside)) : Solid.Of(mesh, inside);
            // Flat on both sides: nothing between them.
            if (thickness is not null || made.Volume > 1e-6)
            {
                return made;
            }
        }
        catch (SolidFault) when (thickness is not null)
        {
            throw new BreakFault(
                $"“{name}” is open along {open} edges and closes in no way: some of its edges have three faces or more, or faces are turned against each other. Mend the mesh."
            );
        }
        catch (SolidFault) { }
        throw new BreakFault($"“{name}” is open along {open} edges: it has no volume and no thickness. Give it a thickness, or close it.");
    }

    /// <summary>An open mesh as a solid: the same again behind it, and walls along its open edges. Its front keeps its pictures.</summary>
    public static TriangleMesh Thickened(TriangleMesh mesh, double metres, int inside)
    {
        int[] place = mesh.Welded(out int places);
        var normals = new Vec3[places];
        var edges = new HashSet<(int, int)>();
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (a, b, c) = mesh.Triangle(t);
            Vec3 n = Vec3.Cross(Vec3.From(b - a), Vec3.From(c - a));
            for (int k = 0; k < 3; k++)
            {
                int i = place[mesh.Indices[3 * t + k]],
                    j = place[mesh.Indices[3 * t + (k + 1) % 3]];
                normals[i] += n;
                edges.Add((i, j));
            }
        }
        int many = mesh.Positions.Length;
        Vector3[] behind =
        [
            .. mesh.Positions.Select((p, v) => normals[place[v]] is { Length: > 0 } n ? p - (float)metres * n.Normalized().ToSingle() : p),
        ];
        var indices = new List<int>(mesh.Indices);
        var materials = new List<int>(mesh.Materials ?? new int[mesh.TriangleCount]);
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            indices.AddRange([many + mesh.Indices[3 * t], many + mesh.Indices[3 * t + 2], many + mesh.Indices[3 * t + 1]]);
            materials.Add(inside);
            for (int k = 0; k < 3; k++)
            {
                int v = mesh.Indices[3 * t + k],
                    w = mesh.Indices[3 * t + (k + 1) % 3];
                if (!edges.Contains((place[w], place[v])))
                {
                    indices.AddRange([w, v, many + v, w, many + v, many + w]);
                    materials.AddRange([inside, inside]);
                }
            }
        }
        return new([.. mesh.Positions, .. behind], [.. indices])
        {
            TextureCoordinates = mesh.TextureCoordinates is { } uv ? [.. uv, .. uv] : null,
            Materials = [.. materials],
        };
    }

    /// <summary>A place where an edge goes through a face that it has no corner in common with; null: none does.</summary>
    private static Vec3? Crossing(TriangleMesh mesh)
    {
        var set = new StillSet([mesh]);
        int[] place = mesh.Welded(out _);
        var near = new List<int>();
        // The set leaves out faces without area, and keeps the others in their order.
        int[] own =
        [
            .. Enumerable
                .Range(0, mesh.TriangleCount)
                .Where(t =>
                    mesh.Triangle(t) is var (a, b, c) && Vec3.Cross(Vec3.From(b) - Vec3.From(a), Vec3.From(c) - Vec3.From(a)).Length > 1e-12
                ),
        ];
        foreach (int t in own)
        {
            for (int k = 0; k < 3; k++)
            {
                int i = mesh.Indices[3 * t + k],
                    j = mesh.Indices[3 * t + (k + 1) % 3];
                Vec3 from = Vec3.From(mesh.Positions[i]),
                    to = Vec3.From(mesh.Positions[j]),
                    inset = 1e-4 * (to - from);
                bool Apart(int f)
                {
                    int g = own[f];
                    for (int c = 0; c < 3; c++)
                    {
                        int p = place[mesh.Indices[3 * g + c]];
                        if (p == place[i] || p == place[j])
                        {
                            return false;
                        }
                    }
                    return true;
                }
                if (set.Meets(from + inset, to - inset, Apart, near, 1e-3) is var (share, _))
                {
                    return from + inset + share * (to - from - 2 * inset);
                }
            }
        }
        return null;
    }

    private static BrokenPart? Part(string name, Solid cell, double density)
    {
        Vec3 about = cell.Faces[0].Corners[0].At;
        MassOf mass = MassOf.Mesh(cell.Mesh(about));
        Vec3 middle = about + mass.Middle;
        if (!(mass.Volume > 1e-12) || ConvexHull.Of(cell.Faces.SelectMany(f => f.Corners).Select(c => c.At - middle)) is not { } hull)
        {
            return null;
        }
        // What is left of a crack: parts that fit to a hair would wedge in each other and in the hole that they fall out of.
        double less = Math.Max(0.97, 1 - 2 * Crack / hull.Thinnest);
        return new(
            name,
            cell.Mesh(middle),
            middle,
            mass.Volume,
            new(name, hull.Sized(less), density * mass.Volume, mass.Inertia * density, BodyState.At(middle))
        );
    }

    /// <summary>
    /// The blow shared out: each part gets a share that falls off with its distance from where it is struck, all of them the whole impulse.
    /// </summary>
    private static IReadOnlyList<BrokenPart> Struck(string name, List<BrokenPart> parts, BreakSettings with)
    {
        if (with.Impulse == Vec3.Zero)
        {
            return parts;
        }
        BrokenPart[] loose = [.. parts.Where(p => !p.Body.IsFixed)];
        Vec3 point = with.Point ?? loose.Aggregate(Vec3.Zero, (s, p) => s + p.Body.Mass * p.Middle) / loose.Sum(p => p.Body.Mass);
        double reach = loose.Max(p => (p.Middle - point).Length + p.Body.Hull.Radius) / 3,
            nearest = loose.Min(p => (p.Middle - point).Length);
        double Weight(BrokenPart p) => Elementary.Exp(-((p.Middle - point).LengthSquared - nearest * nearest) / (2 * reach * reach));
        double whole = loose.Sum(p => p.Body.Mass * Weight(p)),
            fastest = with.Impulse.Length / whole;
        if (fastest > Fastest)
        {
            throw new BreakFault(
                FormattableString.Invariant(
                    $"An impulse of {with.Impulse.Length:0.#} N s throws “{name}” ({loose.Sum(p => p.Body.Mass):0.###} kg) out of the world: {fastest:0} m/s. Take {Fastest * whole:0.#} N s or less."
                )
            );
        }
        return
        [
            .. parts.Select(p =>
            {
                if (p.Body.IsFixed)
                {
                    return p;
                }
                Vec3 v = Weight(p) / whole * with.Impulse,
                    struck = OffMiddle * p.Body.Hull.Vertices.MinBy(c => (p.Middle + c - point).LengthSquared);
                Vec3 spin = p.Body.Inertia.Inverse() * (p.Body.Mass * Vec3.Cross(struck, v));
                return p with { Body = p.Body with { Start = p.Body.Start with { Velocity = v, Spin = spin } } };
            }),
        ];
    }
}
