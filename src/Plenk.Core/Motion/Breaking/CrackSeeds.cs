using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Breaking;

/// <summary>
/// Seeds in pairs on both sides of drawn lines: each pair is mirrored at the plane that goes through the line into the solid, so that this is
/// where their cells part, or hardly beside it. Others keep so far off that they part nothing there.
/// </summary>
public sealed class CrackSeeds
{
    /// <summary>From the line, as a share of what is between two pairs.</summary>
    private const double Aside = 0.3;

    /// <summary>A pair goes so deep, as a share of that.</summary>
    private const double Deep = 1.5;

    /// <summary>
    /// Others are farther from the middle of every pair, by what is between two: more than from there to the farthest spot that is a pair’s
    /// (½ along, ¾ down), and from that to the pair.
    /// </summary>
    private const double Clear = 1.9;

    /// <summary>
    /// The two of a pair stand so little beside each other, as a share of what is between two: four exactly across from one another would
    /// have cells that meet in one edge. The crack goes a hundredth of that to and fro.
    /// </summary>
    private const double Askew = 0.01;

    /// <summary>No more of all seeds are pairs.</summary>
    private const double Most = 0.8;
    private readonly List<Vec3> _seeds = [];
    private readonly List<(Vec3 At, Vec3 Side)> _middles = [];
    private double _between;

    /// <summary>Pairs, one after the other.</summary>
    public IReadOnlyList<Vec3> Seeds => _seeds;

    /// <summary>A seed there would part what the line does not.</summary>
    public bool IsNear(Vec3 p)
    {
        foreach (var (at, _) in _middles)
        {
            if ((at - p).Length < Clear * _between)
            {
                return true;
            }
        }
        return false;
    }

    /// <summary>The spot across the nearest line: with a seed in both the crack stays where it is.</summary>
    public Vec3 Across(Vec3 p)
    {
        var (at, side) = _middles.MinBy(m => (m.At - p).LengthSquared);
        return p - 2 * Vec3.Dot(p - at, side) * side;
    }

    /// <param name="scene">Of the solid.</param>
    /// <param name="count">Of all seeds.</param>
    /// <param name="lines">Each two places or more, on the surface.</param>
    public static CrackSeeds Of(Solid whole, TraceScene scene, int count, IReadOnlyList<IReadOnlyList<Vec3>> lines)
    {
        var segments = new List<(Vec3 From, Vec3 To, Vec3 Normal)>();
        foreach (IReadOnlyList<Vec3> line in lines)
        {
            for (int i = 1; i < line.Count; i++)
            {
                if ((line[i] - line[i - 1]).Length > 1e-6)
                {
                    segments.Add((line[i - 1], line[i], NormalAt(whole, 0.5 * (line[i] + line[i - 1]))));
                }
            }
        }
        double length = segments.Sum(s => (s.To - s.From).Length);
        var made = new CrackSeeds { _between = 0.8 * Math.Cbrt(whole.Volume / Math.Max(1, count)) };
        int most = Math.Max(1, (int)(Most * count / 2));
        // Wider apart until they are few enough.
        for (int round = 0; round < 40 && length > 0; round++)
        {
            made._seeds.Clear();
            made._middles.Clear();
            foreach (var (from, to, normal) in segments)
            {
                made.Along(scene, from, to, normal);
            }
            if (made._middles.Count <= most)
            {
                break;
            }
            made._between *= 1.2;
        }
        return made;
    }

    private void Along(TraceScene scene, Vec3 from, Vec3 to, Vec3 normal)
    {
        double length = (to - from).Length;
        Vec3 way = (to - from) / length,
            side = Vec3.Cross(normal, way).Normalized();
        if (!side.IsFinite)
        {
            return;
        }
        int pairs = Math.Max(1, (int)Math.Round(length / _between));
        for (int i = 0; i < pairs; i++)
        {
            Vec3 top = from + (i + 0.5) / pairs * length * way;
            double deep = Depth(scene, top, normal);
            int levels = Math.Max(1, (int)Math.Ceiling(deep / (Deep * _between)));
            for (int l = 0; l < levels; l++)
            {
                Vec3 middle = top - (l + 0.5) / levels * deep * normal;
                // Alone it stands right across.
                double askew = pairs * levels == 1 ? 0 : Askew * ((_middles.Count & 1) == 0 ? 1 : -1) * (1 + 0.5 * (_middles.Count % 5));
                Vec3 off = _between * (Aside * side + askew * way);
                _middles.Add((middle, side));
                _seeds.Add(middle + off);
                _seeds.Add(middle - off);
            }
        }
    }

    /// <summary>How thick the solid is under a place of its surface.</summary>
    private static double Depth(TraceScene scene, Vec3 top, Vec3 normal)
    {
        var ray = new Ray((top - 1e-4 * normal).ToSingle(), (-normal).ToSingle());
        Hit hit = scene.Intersect(ray, RayKinds.CameraSet);
        return hit.IsHit ? hit.T + 1e-4 : 0;
    }

    /// <summary>Of the face that a place lies on, or is nearest to.</summary>
    private static Vec3 NormalAt(Solid whole, Vec3 place)
    {
        Vec3 best = Vec3.UnitY;
        double least = double.PositiveInfinity;
        foreach (SolidFace f in whole.Faces)
        {
            Vec3 n = f.Normal.Normalized();
            double off = Math.Abs(Vec3.Dot(n, place - f.Corners[0].At)),
                beside = 0;
            for (int i = 0; i < f.Corners.Length; i++)
            {
                Vec3 a = f.Corners[i].At,
                    b = f.Corners[(i + 1) % f.Corners.Length].At,
                    outwards = Vec3.Cross(b - a, n).Normalized();
                beside = Math.Max(beside, Vec3.Dot(outwards, place - a));
            }
            if (n.IsFinite && off + beside < least)
            {
                (best, least) = (n, off + beside);
            }
        }
        return best;
    }
}
