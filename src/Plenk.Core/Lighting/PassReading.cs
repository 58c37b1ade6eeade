using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting;

/// <summary>
/// One way in which a pass may be meant: its axes swapped and flipped by a signed permutation, in the world or in the camera's space; and
/// how far that is off (pixels for positions, degrees for normals).
/// </summary>
/// <param name="Metres">Of positions: metres a unit.</param>
public sealed record PassGuess(string Name, Matrix3 Axes, bool InCamera, double Error, double Metres = 1);

/// <param name="Positions">Best first; empty where no camera tells.</param>
/// <param name="Known">Whether the camera's rays say how positions are meant; else they are taken as ours.</param>
/// <param name="Told">What is odd about the values.</param>
public sealed record PassReport(
    IReadOnlyList<PassGuess> Positions,
    bool Known,
    IReadOnlyList<PassGuess> Normals,
    IReadOnlyList<string> Told,
    bool NormalsEncoded
)
{
    /// <summary>
    /// How many times worse the next unit is than the one that was found; null: the camera stands at the passes' origin, or they are in its
    /// space, and any unit lies on its rays.
    /// </summary>
    public double? UnitMargin { get; init; }

    /// <summary>Metres a unit of the positions; null: it cannot be told, and is taken as one.</summary>
    public double? Metres => Known && UnitMargin is not null ? Positions[0].Metres : null;

    /// <summary>How many times worse the second reading of the normals is than the first.</summary>
    public double Margin => Normals.Count > 1 ? Normals[1].Error / Math.Max(0.05, Normals[0].Error) : 1;
}

/// <summary>
/// Position and normal passes of other programs read as they are meant, by measurement: positions against the camera's rays, normals
/// against those that the positions themselves imply.
/// </summary>
public static class PassReader
{
    private const int Samples = 900;

    /// <summary>A unit is told where the next one is so many times worse.</summary>
    private const double LeastMargin = 2;

    /// <summary>Units that positions come in, metres; the metre first: where nothing tells them apart it is taken.</summary>
    public static IReadOnlyList<(double Metres, string Name)> Units { get; } =
    [
        (1, "metres"),
        (0.001, "millimetres"),
        (0.01, "centimetres"),
        (0.0254, "inches"),
        (0.1, "decimetres"),
        (0.3048, "feet"),
        (0.9144, "yards"),
        (10, "tens of metres"),
        (100, "hundreds of metres"),
        (1000, "kilometres"),
    ];

    /// <summary>The 48 ways to swap and flip three axes; half of them mirror.</summary>
    public static IReadOnlyList<(string Name, Matrix3 Axes)> SignedPermutations { get; } = [.. Make()];

    private static IEnumerable<(string, Matrix3)> Make()
    {
        int[][] orders =
        [
            [0, 1, 2],
            [0, 2, 1],
            [1, 0, 2],
            [1, 2, 0],
            [2, 0, 1],
            [2, 1, 0],
        ];
        foreach (int[] o in orders)
        {
            for (int signs = 0; signs < 8; signs++)
            {
                var rows = new double[3, 3];
                string name = "";
                for (int r = 0; r < 3; r++)
                {
                    int s = (signs >> r & 1) == 0 ? 1 : -1;
                    rows[r, o[r]] = s;
                    name += $"{(s < 0 ? "−" : "+")}{"XYZ"[o[r]]} ";
                }
                yield return (
                    name.Trim(),
                    new(rows[0, 0], rows[0, 1], rows[0, 2], rows[1, 0], rows[1, 1], rows[1, 2], rows[2, 0], rows[2, 1], rows[2, 2])
                );
            }
        }
    }

    /// <summary>How far places lie off a camera's rays through the pixels that show them: the middle one of all, pixels.</summary>
    internal static double OffRays(IEnumerable<(int X, int Y, Vec3 Place)> seen, Pose pose, Pinhole pinhole)
    {
        double[] off =
        [
            .. seen.Select(s =>
                    pinhole.TryProject(pose, s.Place, out double px, out double py)
                        ? Math.Sqrt((px - s.X - 0.5) * (px - s.X - 0.5) + (py - s.Y - 0.5) * (py - s.Y - 0.5))
                        : 1e4
                )
                .Order(),
        ];
        return off[off.Length / 2];
    }

    /// <param name="pinhole">On the passes' own pixels; null: no camera is known.</param>
    public static PassReport Read(FloatImage position, FloatImage normal, Pose? cameraToWorld, Pinhole? pinhole)
    {
        var told = new List<string>();
        bool encoded = Look(position, normal, told);
        int w = position.Width,
            h = position.Height,
            step = Math.Max(1, (int)Math.Sqrt((double)w * h / Samples));
        Vec3 P(int x, int y)
        {
            Span<float> p = position.Pixel(x, y);
            return new(p[0], p[1], p[2]);
        }
        Vec3 N(int x, int y)
        {
            Span<float> n = normal.Pixel(x, y);
            return encoded ? new Vec3(2 * n[0] - 1, 2 * n[1] - 1, 2 * n[2] - 1).Normalized() : new Vec3(n[0], n[1], n[2]).Normalized();
        }
        static bool Some(Vec3 p) => p.IsFinite && p.LengthSquared is > 1e-12 and < 1e16;
        var spots = new List<(int X, int Y)>();
        for (int y = 1 + step / 2; y < h - 1; y += step)
        {
            for (int x = 1 + step / 2; x < w - 1; x += step)
            {
                if (
                    !Some(P(x, y))
                    || !Some(P(x - 1, y))
                    || !Some(P(x + 1, y))
                    || !Some(P(x, y - 1))
                    || !Some(P(x, y + 1))
                    || !N(x, y).IsFinite
                )
                {
                    continue;
                }
                // Flat between its neighbours: no step of depth, no crease.
                Vec3 a = P(x + 1, y) - P(x, y),
                    b = P(x, y) - P(x - 1, y),
                    c = P(x, y - 1) - P(x, y),
                    d = P(x, y) - P(x, y + 1);
                if ((a - b).Length > 0.15 * Math.Max(a.Length, b.Length) || (c - d).Length > 0.15 * Math.Max(c.Length, d.Length))
                {
                    continue;
                }
                spots.Add((x, y));
            }
        }
        // Positions by the camera's rays.
        var positions = new List<PassGuess>();
        Matrix3 axes = Matrix3.Identity;
        bool inCamera = false,
            known = false;
        double? unitMargin = null;
        double metres = 1;
        if (cameraToWorld is { } pose && pinhole is not null && spots.Count >= 20)
        {
            foreach (var (name, m) in SignedPermutations)
            {
                // In the camera's own space every unit lies on its rays alike.
                foreach (var (unit, called) in Units)
                {
                    double off = OffRays(p => unit * (m * p));
                    positions.Add(new($"{name}, world{(unit == 1 ? "" : $", {called}")}", m, false, off, unit));
                }
                positions.Add(new($"{name}, camera", m, true, OffRays(p => pose.ToWorld(m * p))));
            }
            double OffRays(Func<Vec3, Vec3> toWorld) =>
                PassReader.OffRays(spots.Select(s => (s.X, s.Y, toWorld(P(s.X, s.Y)))), pose, pinhole);
            // What fits about as well in metres is in metres: another unit must be found, not met by chance.
            PassGuess[] all = [.. positions.OrderBy(p => p.Error)];
            PassGuess best = all[0];
            best = all.FirstOrDefault(p => p.Metres == 1 && Math.Max(p.Error, 0.05) < LeastMargin * Math.Max(best.Error, 0.05)) ?? best;
            double next = all.Where(p => !p.InCamera && p.Axes == best.Axes && p.Metres != best.Metres).Min(p => p.Error);
            unitMargin = best.InCamera ? null : next / Math.Max(0.05, best.Error);
            if (unitMargin < LeastMargin)
            {
                unitMargin = null;
            }
            positions = [best, .. all.Where(p => p != best).Take(7)];
            known = best.Error < 2;
            if (known && unitMargin is null)
            {
                told.Add(
                    best.InCamera
                        ? "The positions are in the camera's space: that tells nothing of their unit, and they are taken as metres."
                        : "The camera stands at the passes' origin: that tells nothing of their unit, and they are taken as metres."
                );
            }
            if (known)
            {
                (axes, inCamera, metres) = (positions[0].Axes, positions[0].InCamera, positions[0].Metres);
            }
            else
            {
                told.Add(
                    $"Positions fit the camera's rays in no way (best: {positions[0].Error:0.#} px): their axes and space are unknown and "
                        + "taken as ours. Is it the camera that they were rendered with?"
                );
            }
        }
        // Normals by what the positions imply, both in our axes.
        var implied = new List<(Vec3 N, Vec3 Given)>();
        foreach (var (x, y) in spots)
        {
            Vec3 right = axes * (P(x + 1, y) - P(x - 1, y)),
                up = axes * (P(x, y - 1) - P(x, y + 1));
            // To the right and up on the picture: their cross points at the viewer, unless the axes mirror; a known camera decides.
            Vec3 n = Vec3.Cross(right, up).Normalized();
            if (known)
            {
                Vec3 toEye = inCamera ? -1 * (axes * P(x, y)) : cameraToWorld!.Value.Position - metres * (axes * P(x, y));
                if (Vec3.Dot(n, toEye) < 0)
                {
                    n = -n;
                }
                if (inCamera)
                {
                    n = cameraToWorld!.Value.Rotation * n;
                }
            }
            if (n.IsFinite)
            {
                implied.Add((n, N(x, y)));
            }
        }
        var normals = new List<PassGuess>();
        if (implied.Count >= 20)
        {
            foreach (var (name, m) in SignedPermutations)
            {
                foreach (bool own in known ? (bool[])[false, true] : [false])
                {
                    Matrix3 all = own ? cameraToWorld!.Value.Rotation * m : m;
                    double[] off =
                    [
                        .. implied.Select(i => Rotations.Degrees(Elementary.Acos(Math.Clamp(Vec3.Dot(i.N, all * i.Given), -1, 1)))).Order(),
                    ];
                    // The mean of the middle nine tenths: one wall must not outvote the rest.
                    normals.Add(new($"{name}, {(own ? "camera" : "world")}", m, own, off.Take(Math.Max(1, 9 * off.Length / 10)).Average()));
                }
            }
            normals = [.. normals.OrderBy(n => n.Error).Take(8)];
        }
        else
        {
            told.Add("Too few places of the position pass are smooth enough to tell how the normals are meant; they are taken as ours.");
        }
        return new(positions, known, normals, told, encoded) { UnitMargin = known ? unitMargin : null };
    }

    /// <summary>Encoded, clamped and coarse values, told; whether the normals go 0..1.</summary>
    private static bool Look(FloatImage position, FloatImage normal, List<string> told)
    {
        static (float Min, float Max, double AtEnds, bool EightBits) Of(FloatImage image)
        {
            float min = float.PositiveInfinity,
                max = float.NegativeInfinity;
            int ends = 0,
                n = 0,
                coded = 0;
            var levels = new HashSet<int>();
            int step = Math.Max(1, image.Data.Length / 60_000);
            for (int i = 0; i < image.Data.Length; i += step)
            {
                float v = image.Data[i];
                if (!float.IsFinite(v))
                {
                    continue;
                }
                n++;
                (min, max) = (MathF.Min(min, v), MathF.Max(max, v));
                if (v is 0 or 1)
                {
                    ends++;
                }
                levels.Add(BitConverter.SingleToInt32Bits(v));
                // Of eight bits: as they are, as 2 v − 1, or with a sign.
                if (
                    MathF.Abs(255 * v - MathF.Round(255 * v)) < 0.01f
                    || MathF.Abs(127 * v - MathF.Round(127 * v)) < 0.005f
                    || MathF.Abs(127.5f * (v + 1) - MathF.Round(127.5f * (v + 1))) < 0.01f
                )
                {
                    coded++;
                }
            }
            return (min, max, n == 0 ? 0 : (double)ends / n, levels.Count is <= 256 and > 12 && coded > 0.98 * n);
        }
        var p = Of(position);
        var m = Of(normal);
        if (p.Min >= 0 && p.Max <= 1)
        {
            told.Add(
                $"The positions lie between 0 and 1{(p.AtEnds > 0.05 ? $", {100 * p.AtEnds:0} % of them at the very ends" : "")}: they "
                    + "look clamped or normalised. Render them raw, as float."
            );
        }
        if (p.EightBits)
        {
            told.Add("The positions have 256 levels or fewer: they went through 8 bits. Render them as float EXR.");
        }
        bool encoded = m.Min >= -0.001f && m.Max <= 1.001f && OffUnit(normal, 2, -1) < 0.05 && OffUnit(normal, 1, 0) > 0.05;
        if (encoded)
        {
            told.Add("The normals are encoded 0..1; they are taken as 2 n − 1.");
        }
        else if (m.Min >= -0.001f && m.Max <= 1.001f && OffUnit(normal, 1, 0) > 0.1)
        {
            told.Add(
                "The normals lie between 0 and 1 and are not of unit length: they look clamped, or encoded as sRGB. Render them raw, as float."
            );
        }
        if (m.EightBits)
        {
            told.Add("The normals have 256 levels or fewer: they went through 8 bits, and their shading will show steps.");
        }
        return encoded;
    }

    /// <summary>How far the normals' lengths lie from 1, on average.</summary>
    private static double OffUnit(FloatImage normal, float times, float plus)
    {
        double sum = 0;
        int n = 0;
        for (int i = 0; i < normal.Width * normal.Height; i += 7)
        {
            float x = normal.Data[3 * i],
                y = normal.Data[3 * i + 1],
                z = normal.Data[3 * i + 2];
            float length = new Vector3(times * x + plus, times * y + plus, times * z + plus).Length();
            // Where nothing is there is no normal.
            if (!float.IsFinite(length) || length < 0.1f)
            {
                continue;
            }
            sum += MathF.Abs(length - 1);
            n++;
        }
        return n == 0 ? 1 : sum / n;
    }

    /// <summary>What was found, as a shot keeps it; null: it is not known how positions are meant.</summary>
    public static PassMeaning? Meaning(PassReport report)
    {
        if (!report.Known)
        {
            return null;
        }
        static string Axes(PassGuess g) => g.Name.Split(',')[0];
        PassGuess p = report.Positions[0];
        PassGuess? n = report.Normals.Count > 0 ? report.Normals[0] : null;
        return new(
            Axes(p),
            p.InCamera,
            p.Metres,
            report.UnitMargin is { } m ? Math.Round(m, 1) : null,
            n is null ? PassMeaning.Ours : Axes(n),
            n?.InCamera ?? false,
            report.NormalsEncoded
        );
    }

    /// <summary>The axes of a signed permutation by its name; null: there is none of that name.</summary>
    public static Matrix3? AxesOf(string name) =>
        SignedPermutations.FirstOrDefault(p => p.Name == name.Replace('-', '−')) is { Name: not null } found ? found.Axes : null;

    /// <summary>The passes in our world, as they are meant; null: as ours already, but for unit normals.</summary>
    /// <exception cref="ArgumentException">Axes that are none.</exception>
    public static (FloatImage Position, FloatImage Normal) InWorld(
        FloatImage position,
        FloatImage normal,
        PassMeaning? meaning,
        Pose cameraToWorld
    )
    {
        Matrix3 Axes(string name) => AxesOf(name) ?? throw new ArgumentException($"“{name}” names no axes like +X +Z −Y");
        return meaning is null
            ? InWorld(position, normal, null, null, false, cameraToWorld)
            : InWorld(
                position,
                normal,
                new("", Axes(meaning.Positions), meaning.PositionsInCamera, 0, meaning.Metres),
                new("", Axes(meaning.Normals), meaning.NormalsInCamera, 0),
                meaning.NormalsEncoded,
                cameraToWorld
            );
    }

    /// <summary>The passes in our world: positions in metres, unit normals that face the camera where one is known.</summary>
    public static (FloatImage Position, FloatImage Normal) InWorld(
        FloatImage position,
        FloatImage normal,
        PassReport report,
        Pose? cameraToWorld
    ) =>
        InWorld(
            position,
            normal,
            report.Known ? report.Positions[0] : null,
            report.Normals.Count > 0 ? report.Normals[0] : null,
            report.NormalsEncoded,
            cameraToWorld
        );

    private static (FloatImage Position, FloatImage Normal) InWorld(
        FloatImage position,
        FloatImage normal,
        PassGuess? p,
        PassGuess? n,
        bool encoded,
        Pose? cameraToWorld
    )
    {
        var position2 = new FloatImage(position.Width, position.Height, 3);
        var normal2 = new FloatImage(position.Width, position.Height, 3);
        Parallel.For(0, position.Height, Cores.All, y =>
        {
            for (int i = y * position.Width; i < (y + 1) * position.Width; i++)
            {
                var at = new Vec3(position.Data[3 * i], position.Data[3 * i + 1], position.Data[3 * i + 2]);
                if (p is not null)
                {
                    at = p.Metres * (p.Axes * at);
                    if (p.InCamera)
                    {
                        at = cameraToWorld!.Value.ToWorld(at);
                    }
                }
                var d = new Vec3(normal.Data[3 * i], normal.Data[3 * i + 1], normal.Data[3 * i + 2]);
                if (encoded)
                {
                    d = new(2 * d.X - 1, 2 * d.Y - 1, 2 * d.Z - 1);
                }
                if (n is not null)
                {
                    d = n.Axes * d;
                    if (n.InCamera)
                    {
                        d = cameraToWorld!.Value.Rotation * d;
                    }
                }
                d = d.Normalized();
                for (int c = 0; c < 3; c++)
                {
                    position2.Data[3 * i + c] = (float)(
                        c == 0 ? at.X
                        : c == 1 ? at.Y
                        : at.Z
                    );
                    normal2.Data[3 * i + c] = (float)(
                        c == 0 ? d.X
                        : c == 1 ? d.Y
                        : d.Z
                    );
                }
            }
        });
        return (position2, normal2);
    }
}
