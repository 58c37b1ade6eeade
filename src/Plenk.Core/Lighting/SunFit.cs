using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// A sun found by fit; Explained: the share of the pieces' brightness variance that its light and shadow explain; Rival: the same of the
/// best direction more than 10° away.
/// </summary>
public sealed record FoundSun(Vec3 Direction, double Explained, double Rival);

/// <summary>
/// Where the set's sun and shadow and the plate's disagree: the share of what can be told, and where most of it lies (pixels of the plate).
/// </summary>
public sealed record SunDisagreement(double Share, int Told, double X, double Y);

/// <summary>
/// The sun's direction from a frame: the one whose lit and shadowed parts of each piece differ most in brightness (Otsu's
/// between-class variance, 1979, over the pieces together), by rays against the set. Textures average out over a piece.
/// </summary>
public sealed class SunFit
{
    private readonly record struct Probe(Vector3 Point, Vector3 Normal, float Level, int Piece, float X, float Y);

    private readonly SetScene _set;
    private readonly Probe[] _probes;
    private readonly int[] _countOf;
    private readonly double _variance;

    /// <param name="plate">Linear, small (some hundred pixels wide): it is looked at pixel by pixel.</param>
    public SunFit(SetScene set, RayGrid camera, FloatImage plate, int most = 6000)
    {
        _set = set;
        int step = Math.Max(1, (int)Math.Sqrt((double)plate.Width * plate.Height / most));
        var probes = new List<Probe>();
        for (int y = step / 2; y < plate.Height; y += step)
        {
            for (int x = step / 2; x < plate.Width; x += step)
            {
                if (!camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                var ray = new Ray(camera.Origin, d);
                Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                if (!hit.IsHit || !set.Pieces[set.PieceOf(hit)].Duties.Receives)
                {
                    continue;
                }
                Vector3 n = set.Instances[hit.Instance].FaceNormal(hit),
                    p = ray.At(hit.T);
                if (Vector3.Dot(n, d) > 0)
                {
                    n = -n;
                }
                Span<float> c = plate.Pixel(x, y);
                float level = Luminance.Of(c);
                if (level > 1e-4f)
                {
                    probes.Add(
                        new(
                            p + n * SetPass.SurfaceOffset(p, hit.T),
                            n,
                            ElementaryF.Log2(level),
                            set.PieceOf(hit),
                            (x + 0.5f) / plate.Width,
                            (y + 0.5f) / plate.Height
                        )
                    );
                }
            }
        }
        // A piece with few probes tells nothing.
        int[] counts = new int[set.Pieces.Count];
        foreach (Probe p in probes)
        {
            counts[p.Piece]++;
        }
        _probes = [.. probes.Where(p => counts[p.Piece] >= 24)];
        _countOf = counts;
        foreach (var g in _probes.GroupBy(p => p.Piece))
        {
            double mean = g.Average(p => (double)p.Level);
            _variance += g.Sum(p => (p.Level - mean) * (p.Level - mean));
        }
    }

    public int Probes => _probes.Length;

    private bool Lit(in Probe p, Vector3 towards) =>
        Vector3.Dot(p.Normal, towards) > 0.01f && !_set.Scene.Occluded(new Ray(p.Point, towards), RayKinds.LightSet);

    /// <summary>What a direction explains, 0..1.</summary>
    public double Explained(Vec3 direction)
    {
        if (_variance <= 0)
        {
            return 0;
        }
        Vector3 towards = direction.Normalized().ToSingle();
        int pieces = _countOf.Length;
        double[] lit = new double[pieces],
            dark = new double[pieces];
        int[] nLit = new int[pieces],
            nDark = new int[pieces];
        foreach (Probe p in _probes)
        {
            if (Lit(p, towards))
            {
                lit[p.Piece] += p.Level;
                nLit[p.Piece]++;
            }
            else
            {
                dark[p.Piece] += p.Level;
                nDark[p.Piece]++;
            }
        }
        double between = 0;
        for (int i = 0; i < pieces; i++)
        {
            if (nLit[i] < 4 || nDark[i] < 4)
            {
                continue;
            }
            double difference = lit[i] / nLit[i] - dark[i] / nDark[i];
            // What is lit is brighter; the other way round speaks against the direction.
            between += Math.Sign(difference) * difference * difference * nLit[i] * nDark[i] / (nLit[i] + nDark[i]);
        }
        return between / _variance;
    }

    /// <summary>The direction above the horizon that explains most; null where nothing can be told.</summary>
    public FoundSun? Find(CancellationToken stop = default)
    {
        if (_probes.Length < 100)
        {
            return null;
        }
        // Directions 3° apart all over the upper half, then ever closer around the best.
        var directions = new List<Vec3>();
        for (double e = 2; e < 90; e += 3)
        {
            int n = Math.Max(1, (int)(120 * Elementary.Cos(Rotations.Radians(e))));
            for (int k = 0; k < n; k++)
            {
                directions.Add(new SunAngles(360.0 * k / n, e).Direction());
            }
        }
        var scores = new double[directions.Count];
        Parallel.For(0, directions.Count, Cores.Until(stop), i => scores[i] = Explained(directions[i]));
        int best = Enumerable.Range(0, scores.Length).MaxBy(i => scores[i]);
        if (scores[best] <= 0)
        {
            return null;
        }
        double limit = Elementary.Cos(Rotations.Radians(10));
        double rival = Enumerable.Range(0, scores.Length).Where(i => Vec3.Dot(directions[i], directions[best]) < limit).Max(i => scores[i]);
        Vec3 at = directions[best];
        double score = scores[best];
        for (double reach = 2; reach > 0.04; reach /= 2)
        {
            stop.ThrowIfCancellationRequested();
            var (a, b) = Sampling.Frame(at.ToSingle());
            Vec3 u = Vec3.From(a),
                v = Vec3.From(b);
            Vec3[] around =
            [
                .. Enumerable
                    .Range(0, 12)
                    .Select(k =>
                        (
                            at
                            + Elementary.Tan(Rotations.Radians(reach))
                                * (Elementary.Cos(k * Math.PI / 6) * u + Elementary.Sin(k * Math.PI / 6) * v)
                        ).Normalized()
                    ),
            ];
            double[] own = new double[around.Length];
            Parallel.For(0, around.Length, Cores.All, k => own[k] = Explained(around[k]));
            int nearest = Enumerable.Range(0, own.Length).MaxBy(k => own[k]);
            if (own[nearest] > score)
            {
                (at, score) = (around[nearest], own[nearest]);
                reach *= 2;
            }
        }
        return new(at, score, Math.Max(0, rival));
    }

    /// <summary>
    /// What a direction gets wrong: probes whose piece tells light from shadow by half a stop or more, and that lie on the wrong side of
    /// its middle by a third of that.
    /// </summary>
    public SunDisagreement Disagreement(Vec3 direction)
    {
        Vector3 towards = direction.Normalized().ToSingle();
        var told = _probes.Select(p => (Probe: p, Lit: Lit(p, towards))).GroupBy(p => p.Probe.Piece);
        int all = 0;
        var wrong = new List<Probe>();
        foreach (var piece in told)
        {
            float[] lit = [.. piece.Where(p => p.Lit).Select(p => p.Probe.Level).Order()],
                dark = [.. piece.Where(p => !p.Lit).Select(p => p.Probe.Level).Order()];
            if (lit.Length < 12 || dark.Length < 12)
            {
                continue;
            }
            float a = lit[lit.Length / 2],
                b = dark[dark.Length / 2],
                gap = a - b,
                middle = (a + b) / 2;
            if (gap < 0.5f)
            {
                continue;
            }
            foreach (var (probe, isLit) in piece)
            {
                all++;
                if (isLit ? probe.Level < middle - gap / 3 : probe.Level > middle + gap / 3)
                {
                    wrong.Add(probe);
                }
            }
        }
        if (wrong.Count == 0)
        {
            return new(0, all, 0.5, 0.5);
        }
        // Where most of them stand together.
        Probe most = wrong.MaxBy(w => wrong.Count(o => Math.Abs(o.X - w.X) < 0.05f && Math.Abs(o.Y - w.Y) < 0.08f));
        return new((double)wrong.Count / all, all, most.X, most.Y);
    }
}
