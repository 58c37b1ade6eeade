using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Sets;

/// <summary>What a stand-in is drawn with: lines in the world, metres.</summary>
public static class StandInLines
{
    // A figure of height 1 that faces the camera, by common proportions (head about an eighth): across and up.
    private static readonly (double X, double Y)[][] Figure =
    [
        [(0, 0.87), (-0.06, 0.90), (-0.065, 0.95), (0, 1), (0.065, 0.95), (0.06, 0.90), (0, 0.87)],
        [(-0.13, 0.80), (0.13, 0.80), (0.09, 0.50), (-0.09, 0.50), (-0.13, 0.80)],
        [(-0.13, 0.80), (-0.17, 0.62), (-0.16, 0.44)],
        [(0.13, 0.80), (0.17, 0.62), (0.16, 0.44)],
        [(-0.09, 0.50), (-0.075, 0.26), (-0.07, 0), (-0.10, 0)],
        [(0.09, 0.50), (0.075, 0.26), (0.07, 0), (0.10, 0)],
    ];

    public static IEnumerable<(Vec3 A, Vec3 B)> Of(StandIn s, Vec3 eye)
    {
        double h = s.HeightMetres;
        if (s.Box)
        {
            Vec3 At(int corner) =>
                s.Position + new Vec3((corner & 1) == 0 ? -h / 2 : h / 2, (corner & 2) == 0 ? 0 : h, (corner & 4) == 0 ? -h / 2 : h / 2);
            foreach (var (a, b) in new[] { (0, 1), (1, 5), (5, 4), (4, 0), (2, 3), (3, 7), (7, 6), (6, 2), (0, 2), (1, 3), (5, 7), (4, 6) })
            {
                yield return (At(a), At(b));
            }
            yield break;
        }
        var away = new Vec3(s.Position.X - eye.X, 0, s.Position.Z - eye.Z);
        Vec3 across = away.Length > 1e-6 ? Vec3.Cross(away, Vec3.UnitY).Normalized() : Vec3.UnitX;
        foreach (var line in Figure)
        {
            for (int i = 1; i < line.Length; i++)
            {
                yield return (
                    s.Position + h * (line[i - 1].X * across + line[i - 1].Y * Vec3.UnitY),
                    s.Position + h * (line[i].X * across + line[i].Y * Vec3.UnitY)
                );
            }
        }
        // Where it stands: a small cross on the floor.
        yield return (s.Position - 0.15 * across, s.Position + 0.15 * across);
        Vec3 along = Vec3.Cross(across, Vec3.UnitY);
        yield return (s.Position - 0.15 * along, s.Position + 0.15 * along);
    }
}
