using System.IO.Enumeration;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Motion;

/// <summary>
/// What one thing is keyed to do, done by others of its list as well: each later, and by a little more or less. Each begins where it stands:
/// places go as far as the first one’s, turns are added to its own, sizes are times its own; anything else is as it is keyed.
/// </summary>
/// <param name="What">The thing that is keyed: its place in the document, like “elements/bell”.</param>
/// <param name="Onto">The places of the others, in the order of their list.</param>
public sealed record KeySpread(string What, IReadOnlyList<string> Onto)
{
    public const int Most = 500;

    public SpreadOrder Order { get; init; }

    /// <summary>The first starts so many frames after the one that is keyed, each other so many after the one before it.</summary>
    public double LaterFrames { get; init; }

    /// <summary>Each starts by up to so many frames later still.</summary>
    public double UnevenFrames { get; init; }

    /// <summary>Each goes, turns and grows by up to this share more or less, 0..1.</summary>
    public double GoesShare { get; init; }
    public double TurnsShare { get; init; }
    public double GrowsShare { get; init; }

    /// <summary>Each goes the way that its own turn gives it, not the way of the one that is keyed.</summary>
    public bool ByOwnTurn { get; init; }
    public int Seed { get; init; } = 1;

    /// <summary>Those of a thing’s list but itself that are called so; “*” stands for anything.</summary>
    public static IReadOnlyList<string> Named(ShotDocument shot, string what, string pattern)
    {
        string list = what.Split('/')[0];
        IEnumerable<(string Id, string Name)> all = list switch
        {
            "elements" => shot.Elements.Select(e => (e.Id, e.Name)),
            "pieces" => shot.Pieces.Select(p => (p.Id, p.Name)),
            "lights" => shot.Lights.Select(l => (l.Id, l.Name)),
            _ => [],
        };
        return
        [
            .. all.Where(t => FileSystemName.MatchesSimpleExpression(pattern.Trim(), t.Name))
                .Select(t => ShotCurves.PlaceOf(list, t.Id))
                .Where(at => at != what),
        ];
    }

    /// <summary>Why it cannot be done, in the artist’s terms; null: it can.</summary>
    public string? Fault() =>
        Onto.Count == 0 ? "Nothing else of its kind is called so. “*” stands for anything: “post*” is post 2 and post 3."
        : Onto.Count > Most ? $"{Onto.Count} are called so, and up to {Most} can be keyed at once. Name fewer."
        : new[] { LaterFrames, UnevenFrames }.Any(f => f is not (>= 0 and <= 10_000)) ? "They start later by 0 to 10,000 frames."
        : new[] { GoesShare, TurnsShare, GrowsShare }.Any(f => f is not (>= 0 and <= 1))
            ? "They differ by a share of 0 to 1 of what is keyed."
        : null;

    /// <summary>The shot with the others keyed. Keys that they had of the same values are replaced: where the first of these is, they begin.</summary>
    /// <returns>And how many values of the others are keyed now.</returns>
    public (ShotDocument Shot, int Keyed) On(ShotDocument shot)
    {
        ValueCurve[] given = [.. shot.Curves.Where(c => c.Id.StartsWith($"{What}/", StringComparison.Ordinal) && c.Keys.Count > 0)];
        int[] turns = Order switch
        {
            SpreadOrder.Nearest => Staggered.Turns(Onto.Count, Distance),
            SpreadOrder.Farthest => Staggered.Turns(Onto.Count, i => -Distance(i)),
            SpreadOrder.BySeed => Staggered.Turns(Onto.Count, i => Staggered.Random(Seed, i, 0)),
            _ => [.. Enumerable.Range(0, Onto.Count)],
        };
        double[] starts = Staggered.Starts([.. turns.Select(t => t + 1)], LaterFrames, UnevenFrames, Seed);
        Dictionary<string, ValueCurve> curves = shot.Curves.ToDictionary(c => c.Id);
        int keyed = 0;
        for (int i = 0; i < Onto.Count; i++)
        {
            foreach (ValueCurve c in given)
            {
                string at = $"{Onto[i]}{c.Id[What.Length..]}";
                if (ShotCurves.May(at) && PlacedValue.Get(shot, at) is { Value: not null })
                {
                    curves[at] = Given(shot, c, at, i, (int)Math.Round(starts[i], MidpointRounding.AwayFromZero));
                    keyed++;
                }
            }
        }
        IEnumerable<string> made = curves.Keys.Except(shot.Curves.Select(c => c.Id));
        return (shot with { Curves = [.. shot.Curves.Select(c => curves[c.Id]), .. made.Select(id => curves[id])] }, keyed);

        double Distance(int i) =>
            Stands(shot, $"{What}/position") is Vec3 a && Stands(shot, $"{Onto[i]}/position") is Vec3 b ? (b - a).Length : 0;
    }

    private ValueCurve Given(ShotDocument shot, ValueCurve c, string at, int i, int later)
    {
        CurveKey[] keys = [.. c.Keys.OrderBy(k => k.Frame)];
        double Share(double most, int what) => 1 + most * Staggered.Random(Seed, i, what);
        string value = c.Id[(c.Id.LastIndexOf('/') + 1)..];
        object? own = Stands(shot, at);
        CurveKey Laid(CurveKey k, Func<Vec3, Vec3> to, Func<Vec3, Vec3> by) =>
            k with
            {
                Triple = k.Triple is { } t ? to(t) : null,
                Before = k.Before is { Triple: { } b } ? k.Before with { Triple = by(b) } : k.Before,
                After = k.After is { Triple: { } a } ? k.After with { Triple = by(a) } : k.After,
            };
        CurveKey Counted(CurveKey k, double times, double plus) =>
            k with
            {
                Value = k.Value * times + plus,
                Before = k.Before is { } b ? b with { Value = b.Value * times } : null,
                After = k.After is { } a ? a with { Value = a.Value * times } : null,
            };
        Func<CurveKey, CurveKey> way = k => k;
        if (own is Vec3 mine && keys[0].Triple is { } first)
        {
            if (value == "position")
            {
                double far = Share(GoesShare, 2);
                Matrix3 turn = ByOwnTurn ? TurnOf(shot, Onto[i]) * TurnOf(shot, What).Transpose() : Matrix3.Identity;
                way = k => Laid(k, t => mine + far * (turn * (t - first)), h => far * (turn * h));
            }
            else if (c.IsTurn)
            {
                double much = Share(TurnsShare, 3);
                way = k => Laid(k, t => mine + much * (t - first), h => much * h);
            }
            else if (value is "size" or "stretch" && first is { X: > 0, Y: > 0, Z: > 0 })
            {
                // By a power, so that no size comes to nothing.
                double large = Share(GrowsShare, 4);
                Vec3 Grown(Vec3 t) => Each(mine, Each(t, first, (v, f) => Math.Pow(v / f, large)), (m, r) => m * r);
                Vec3 Slope(Vec3 t, Vec3 h) => Each(Grown(t), Each(h, t, (by, v) => large * by / v), (g, r) => g * r);
                way = k => Laid(k, Grown, h => Slope(k.Triple!.Value, h));
            }
        }
        else if (own is double number && keys[0].Value is { } begin)
        {
            if (value == "degrees")
            {
                double much = Share(TurnsShare, 3);
                way = k => Counted(k, much, number - much * begin);
            }
            else if (value == "scale" && begin > 0)
            {
                double large = Share(GrowsShare, 4);
                way = k =>
                    k.Value is not { } v || v <= 0 ? k
                    : number * Math.Pow(v / begin, large) is var grown ? Counted(k, grown * large / v, grown * (1 - large))
                    : k;
            }
        }
        return c with { Id = at, Keys = [.. keys.Select(k => way(k) with { Frame = k.Frame + later })] };
    }

    private static Vec3 Each(Vec3 a, Vec3 b, Func<double, double, double> of) => new(of(a.X, b.X), of(a.Y, b.Y), of(a.Z, b.Z));

    private static Matrix3 TurnOf(ShotDocument shot, string what) =>
        Stands(shot, $"{what}/rotationYxzDegrees") is Vec3 t ? Rotations.FromEulerYxzDegrees(t.X, t.Y, t.Z) : Matrix3.Identity;

    /// <summary>What a value begins as: where it is keyed, at its first key.</summary>
    private static object? Stands(ShotDocument shot, string at)
    {
        CurveKey? first = shot.Curves.FirstOrDefault(c => c.Id == at)?.Keys.MinBy(k => k.Frame);
        return first?.Triple ?? (object?)first?.Value ?? PlacedValue.Get(shot, at)?.Value;
    }
}
