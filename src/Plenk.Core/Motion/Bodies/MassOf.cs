using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Bodies;

/// <summary>What a closed, evenly filled mesh weighs and how it turns.</summary>
/// <param name="Volume">m³.</param>
/// <param name="Middle">Its centre of mass.</param>
/// <param name="Inertia">About the middle, for a density of 1 kg/m³: kg m².</param>
public sealed record MassOf(double Volume, Vec3 Middle, Matrix3 Inertia)
{
    /// <summary>
    /// By tetrahedra from one spot to every face: ∫ x xᵀ = v/20 (a aᵀ + b bᵀ + c cᵀ + (a+b+c)(a+b+c)ᵀ) (Blow and Binstock 2004).
    /// </summary>
    public static MassOf Mesh(TriangleMesh mesh)
    {
        Vec3 origin = Vec3.From(mesh.Positions[0]);
        double volume = 0;
        Vec3 first = Vec3.Zero;
        double xx = 0,
            yy = 0,
            zz = 0,
            xy = 0,
            xz = 0,
            yz = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            var (pa, pb, pc) = mesh.Triangle(t);
            Vec3 a = Vec3.From(pa) - origin,
                b = Vec3.From(pb) - origin,
                c = Vec3.From(pc) - origin,
                s = a + b + c;
            double v = Vec3.Dot(a, Vec3.Cross(b, c)) / 6;
            volume += v;
            first += v / 4 * s;
            double k = v / 20;
            xx += k * (a.X * a.X + b.X * b.X + c.X * c.X + s.X * s.X);
            yy += k * (a.Y * a.Y + b.Y * b.Y + c.Y * c.Y + s.Y * s.Y);
            zz += k * (a.Z * a.Z + b.Z * b.Z + c.Z * c.Z + s.Z * s.Z);
            xy += k * (a.X * a.Y + b.X * b.Y + c.X * c.Y + s.X * s.Y);
            xz += k * (a.X * a.Z + b.X * b.Z + c.X * c.Z + s.X * s.Z);
            yz += k * (a.Y * a.Z + b.Y * b.Z + c.Y * c.Z + s.Y * s.Z);
        }
        Vec3 m = volume != 0 ? first / volume : Vec3.Zero;
        // About the middle (Huygens and Steiner).
        (xx, yy, zz) = (xx - volume * m.X * m.X, yy - volume * m.Y * m.Y, zz - volume * m.Z * m.Z);
        (xy, xz, yz) = (xy - volume * m.X * m.Y, xz - volume * m.X * m.Z, yz - volume * m.Y * m.Z);
        return new(volume, origin + m, new(yy + zz, -xy, -xz, -xy, xx + zz, -yz, -xz, -yz, xx + yy));
    }
}
