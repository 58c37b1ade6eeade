using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>
/// Places of copies over surfaces: by area, one in each even share of it (stratified sampling; Cook 1986), none nearer to another than is
/// said (dart throwing on a grid of cells).
/// </summary>
public static class Scattering
{
    /// <param name="surfaces">In the world; their fronts are where their triangles run counter-clockwise.</param>
    /// <param name="own">How an only copy stands: its size, its turn, and where its origin is from its place.</param>
    /// <param name="share">How likely a place in the world has one, 0..1; null: always.</param>
    /// <param name="facing">Where the copies turn their front to, about their upright; null: each its own way.</param>
    public static IReadOnlyList<Similarity> Places(
        IReadOnlyList<TriangleMesh> surfaces,
        Scatter how,
        Similarity own,
        Func<Vec3, double>? share = null,
        Vec3? facing = null
    )
    {
        var triangles = new List<(int Surface, int Triangle, Vec3 Normal)>();
        var until = new List<double>(); // area up to and with each, m²
        double area = 0,
            steepest = Elementary.Cos(Rotations.Radians(Math.Clamp(how.SteepestDegrees, 0, 180)));
        for (int s = 0; s < surfaces.Count; s++)
        {
            TriangleMesh mesh = surfaces[s];
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                var (a, b, c) = mesh.Triangle(t);
                Vec3 cross = Vec3.Cross(Vec3.From(b) - Vec3.From(a), Vec3.From(c) - Vec3.From(a));
                double twice = cross.Length;
                if (!(twice > 1e-12) || cross.Y / twice < steepest - 1e-9)
                {
                    continue;
                }
                area += twice / 2;
                triangles.Add((s, t, cross / twice));
                until.Add(area);
            }
        }
        // What rounds the area must not change how many there are.
        int count = (int)Math.Min(Math.Min(how.Most, Scatter.MostEver), Math.Floor((float)area * how.PerSquareMetre + 0.5));
        var places = new List<Similarity>();
        double cell = Math.Max(how.ApartMetres, 1e-6);
        var taken = new Dictionary<(long, long, long), List<Vec3>>();
        for (int i = 0; i < count; i++)
        {
            uint seed = Sampling.Hash((uint)i + Sampling.Hash((uint)how.Seed + 977));
            double Drawn(uint which) => Sampling.Hash(seed + 0x9e3779b9u * which) * (1 / 4294967296.0);
            int k = until.BinarySearch((i + Drawn(1)) / count * area);
            var (surface, triangle, normal) = triangles[Math.Min(k < 0 ? ~k : k, triangles.Count - 1)];
            var (a, b, c) = surfaces[surface].Triangle(triangle);
            // Even over the triangle (Turk 1990).
            double root = Math.Sqrt(Drawn(2)),
                v = Drawn(3);
            Vec3 place = (1 - root) * Vec3.From(a) + root * (1 - v) * Vec3.From(b) + root * v * Vec3.From(c);
            if ((share is not null && Drawn(4) >= share(place)) || (how.ApartMetres > 0 && !Free(place)))
            {
                continue;
            }
            Vec3 up = how.Square ? normal : Vec3.UnitY;
            double turn = facing is { } to && Math.Abs(to.X - place.X) + Math.Abs(to.Z - place.Z) > 1e-9
                    ? Elementary.Atan2(to.X - place.X, to.Z - place.Z)
                    : Rotations.Radians(how.TurnDegrees) * (2 * Drawn(5) - 1),
                lean = Rotations.Radians(how.LeanDegrees) * Math.Sqrt(Drawn(6)),
                towards = 2 * Math.PI * Drawn(7);
            var axis = new Vec3(Elementary.Cos(towards), 0, Elementary.Sin(towards));
            Matrix3 stands = Upright(up) * (lean > 0 ? Rotations.FromAxisAngle(axis, lean) : Matrix3.Identity) * Rotations.AboutY(turn);
            var there = new Similarity(how.Smallest + (how.Largest - how.Smallest) * Drawn(8), stands, place - how.SinkMetres * normal);
            places.Add(there.After(own));
        }
        return places;

        bool Free(Vec3 p)
        {
            (long X, long Y, long Z) at = ((long)Math.Floor(p.X / cell), (long)Math.Floor(p.Y / cell), (long)Math.Floor(p.Z / cell));
            for (long x = at.X - 1; x <= at.X + 1; x++)
            {
                for (long y = at.Y - 1; y <= at.Y + 1; y++)
                {
                    for (long z = at.Z - 1; z <= at.Z + 1; z++)
                    {
                        if (taken.TryGetValue((x, y, z), out List<Vec3>? near) && near.Any(q => (q - p).Length < how.ApartMetres))
                        {
                            return false;
                        }
                    }
                }
            }
            if (!taken.TryGetValue(at, out List<Vec3>? own))
            {
                taken[at] = own = [];
            }
            own.Add(p);
            return true;
        }
    }

    private static Matrix3 Upright(Vec3 up) => up.Y > 1 - 1e-12 ? Matrix3.Identity : Rotations.Between(Vec3.UnitY, up);
}
