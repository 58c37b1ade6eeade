using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record FallParameters(int Revision, string Who);

/// <summary>All elements of a shot that are let go fall together: onto the set, what stands on it, and each other. Their falls become keys.</summary>
public sealed class FallJobs(ShotStore shots, ShotEngine engine) : TrayJobs(shots)
{
    /// <summary>No push makes a thing faster than this, m/s.</summary>
    private const double Fastest = 300;

    /// <summary>Bodies up to which the solver takes more rounds a step.</summary>
    private const int Few = 64;
    public const int Most = 500;

    /// <summary>So deep in the set is told, metres.</summary>
    private const double Deep = 0.01;

    public override IReadOnlyList<JobKind> Kinds => [new("fall", Fall)];

    private async Task<JobEnd> Fall(JobRun job)
    {
        var p = job.Asked<FallParameters>();
        Made made = Make(await Document(job.Row, p.Revision), job.Stop, job.Progress);
        await Lay(job, p.Who, made.Count == 1 ? "One element falls" : $"{made.Count} elements fall", made.On);
        return new(string.Join("; ", [made.Says, .. made.Told]));
    }

    /// <summary>What a fall comes to: a change of the shot, and what is said of it.</summary>
    public sealed record Made(int Count, string Says, IReadOnlyList<string> Told, Func<ShotDocument, ShotDocument> On);

    /// <exception cref="ShotFault">Nothing is let go, or it cannot fall like that.</exception>
    public Made Make(ShotDocument shot, CancellationToken stop, Action<string, double> progress)
    {
        // As if nothing had fallen before.
        shot = Unfallen(shot);
        Element[] fall = [.. shot.Elements.Where(e => e is { LetGo: not null, Off: false })];
        if (fall.Length == 0)
        {
            throw new ShotFault("Nothing is let go. Tick it at an element first.");
        }
        if (fall.Length > Most)
        {
            throw new ShotFault($"Up to {Most} elements fall together; {fall.Length} are let go.");
        }
        FrameRange range = shot.Range;
        foreach (Element e in fall)
        {
            if (e.LetGo!.AtFrame < range.First || e.LetGo.AtFrame >= range.Last)
            {
                throw new ShotFault(
                    $"{e.Name} is let go at {e.LetGo.AtFrame}, which lies not within the shot, {range.First} to {range.Last}."
                );
            }
        }
        int first = fall.Min(e => e.LetGo!.AtFrame);
        var told = new List<string>();
        progress("Looking what they fall on", 0);
        (string Name, TriangleMesh Mesh)[] standing = Standing(shot, first);
        var started = new List<(Element At, FallingBody Body)>();
        foreach (Element e in fall)
        {
            stop.ThrowIfCancellationRequested();
            started.Add(Started(shot, e));
        }
        IReadOnlyList<FallingBody> carried = ElementBodies.Carried(engine, shot, first, range.Last, [.. fall.Select(e => e.Id)], told);
        StillSet? set = standing.Length > 0 ? new([.. standing.Select(s => s.Mesh)]) : null;
        using var solver = new OdeSolver(new FallSettings(0, 0, 0, 1).Gravity, fall.Length <= Few ? 100 : 40);
        FallResult result = Falling.Of(
            [.. started.Select(s => s.Body), .. carried],
            set,
            new(first, range.Last, first, shot.Rate.PerSecond) { Seed = (uint)shot.Seed },
            solver,
            stop,
            part => progress("Letting them fall", part)
        );
        foreach (var (body, piece) in result.Through.OrderBy(t => t))
        {
            told.Add($"{fall[body].Name} stands in {standing[piece].Name} from the beginning and is not held up by it: put it above");
        }
        if (set is null && carried.Count == 0)
        {
            told.Add("there is nothing to fall on: they fall for ever");
        }
        FallFrame last = result.Frames[^1],
            deep = result.Frames.MaxBy(f => f.Deepest)!;
        if (deep.Deepest > Deep)
        {
            told.Add(
                FormattableString.Invariant(
                    $"{fall[deep.DeepestBody].Name} stands {1000 * deep.Deepest:0} mm in the set at {deep.Frame}: let it go from elsewhere, or slower"
                )
            );
        }
        var paths = fall.Select((e, i) => (e.Id, Path: Path(started[i].At, e.LetGo!, result, i))).ToList();
        return new(
            fall.Length,
            FormattableString.Invariant(
                $"{(fall.Length == 1 ? "one falls" : $"{fall.Length} fall")} from {first} on; at {last.Frame} {last.Awake} still move{(last.Awake == 1 ? "s" : "")}, deepest {1000 * deep.Deepest:0.0} mm"
            ),
            told,
            d => Laid(d, paths)
        );
    }

    /// <summary>Pieces as they stand when the first is let go, and elements that stay where they are.</summary>
    private (string, TriangleMesh)[] Standing(ShotDocument shot, int first)
    {
        ShotDocument at = Hanging.At(shot, first);
        return
        [
            .. ElementBodies.Standing(shot, engine.Place.Set(at)),
            .. at
                .Elements.Zip(shot.Elements)
                .Where(e =>
                    e.First is { Off: false, LetGo: null, Broke: null, Kind: ElementKind.Mesh or ElementKind.Lettering }
                    && !(e.First.ToFrame < first)
                    && !Hanging.Moves(shot, e.Second)
                )
                .Select(e => (e.First.Name, engine.Model(at, e.First, first).Tree.Mesh.Moved(e.First.ObjectToWorld))),
        ];
    }

    /// <summary>An element as it is let go, with the speed that its keys, what it is given and its push make.</summary>
    private (Element At, FallingBody Body) Started(ShotDocument shot, Element e)
    {
        LetGo go = e.LetGo!;
        ShotDocument then = Hanging.At(shot, go.AtFrame);
        Element At(ShotDocument d) => d.Elements.First(q => q.Id == e.Id);
        Element now = At(then),
            before = At(Hanging.At(shot, go.AtFrame - 1));
        FallingBody body = ElementBodies.Of(engine, then, now, go.AtFrame, go.DensityKgM3, go.Friction, go.Bounce);
        // Where its middle was a frame before, as its keys have it.
        Matrix3 turned = now.Rotation * before.Rotation.Transpose();
        Vec3 middle = body.Start.Place,
            was = before.ObjectToWorld.Apply(now.ObjectToWorld.Inverse().Apply(middle));
        System.Numerics.Quaternion q = Rotations.ToQuaternion(turned);
        Vec3 axis = new(q.X, q.Y, q.Z);
        Vec3 spin = axis.Length < 1e-9 ? Vec3.Zero : 2 * Elementary.Atan2(axis.Length, q.W) * shot.Rate.PerSecond / axis.Length * axis;
        Vec3 velocity = shot.Rate.PerSecond * (middle - was) + go.Speed + go.ImpulseNs / body.Mass,
            off = (go.ImpulseAt ?? middle) - middle;
        spin += Rotations.Radians(1) * go.SpinDegrees + body.Inertia.Inverse() * Vec3.Cross(off, go.ImpulseNs);
        if (velocity.Length > Fastest || spin.Length * body.Hull.Radius > Fastest)
        {
            throw new ShotFault(
                FormattableString.Invariant(
                    $"{e.Name} ({body.Mass:0.###} kg) would leave at {Math.Max(velocity.Length, spin.Length * body.Hull.Radius):0} m/s, out of the world: {Fastest} m/s is the most. Take less of a push."
                )
            );
        }
        return (now, body with { From = go.AtFrame, Until = go.RestFrame, Start = body.Start with { Velocity = velocity, Spin = spin } });
    }

    private static ValueCurve[] Path(Element at, LetGo go, FallResult result, int body)
    {
        int from = result.Frames.ToList().FindIndex(f => f.Frame == go.AtFrame);
        return ElementBodies.Path(at, [.. result.Frames.Skip(from)], body);
    }

    /// <summary>Without the keys that falls have made.</summary>
    private static ShotDocument Unfallen(ShotDocument shot)
    {
        var after = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (Element e in shot.Elements)
        {
            if (e.LetGo?.FellFrom is { } from)
            {
                string at = ShotCurves.PlaceOf("elements", e.Id);
                (after[$"{at}/position"], after[$"{at}/rotationYxzDegrees"]) = (from, from);
            }
        }
        return after.Count == 0
            ? shot
            : shot with
            {
                Curves =
                [
                    .. shot.Curves.Select(c =>
                        after.TryGetValue(c.Id, out int from) ? c with { Keys = [.. c.Keys.Where(k => k.Frame <= from)] } : c
                    ),
                ],
            };
    }

    /// <summary>On the shot as it is now: its own keys up to where each is let go, and those of its fall from there on.</summary>
    private static ShotDocument Laid(ShotDocument d, List<(string Id, ValueCurve[] Path)> paths)
    {
        d = Unfallen(d);
        var curves = d.Curves.ToList();
        var fell = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (id, path) in paths)
        {
            if (d.Elements.All(e => e.Id != id || e.LetGo is null))
            {
                continue;
            }
            foreach (ValueCurve c in path)
            {
                int from = c.Keys[0].Frame;
                fell[id] = from;
                ValueCurve? own = curves.Find(q => q.Id == c.Id);
                curves.RemoveAll(q => q.Id == c.Id);
                curves.Add((own ?? c) with { Keys = [.. own?.Keys.Where(k => k.Frame < from) ?? [], .. c.Keys] });
            }
        }
        return d with
        {
            Curves = curves,
            Elements =
            [
                .. d.Elements.Select(e => fell.TryGetValue(e.Id, out int from) ? e with { LetGo = e.LetGo! with { FellFrom = from } } : e),
            ],
        };
    }
}
