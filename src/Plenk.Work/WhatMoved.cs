using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

/// <summary>
/// Something that is seen elsewhere than it was: by how many pixels of the plate as it is, at most (+∞: it is behind the camera now), and
/// in which frame.
/// </summary>
public sealed record MovedThing(string Kind, string Name, double Pixels, int Frame);

/// <summary>A reading before and after; null: it has not been measured on that.</summary>
public sealed record ReadingThenNow(Reading Blank, Reading? Then, Reading? Now)
{
    /// <summary>Its verdict is worse, or its value by more than a twentieth.</summary>
    public bool IsWorse =>
        (Then, Now) is ({ } a, { } b)
        && (
            b.Verdict > a.Verdict
            || (
                a.Verdict == b.Verdict
                && (b.Value, a.Value) is ({ } v, { } u)
                && (Blank.Over ? v < 0.95 * u : Math.Abs(v) > 1.05 * Math.Abs(u))
            )
        );
}

/// <summary>What a change of the plate, the camera or the world has come to, one revision of a shot against another.</summary>
public static class WhatMoved
{
    private const int Frames = 9;

    /// <summary>Less is not told, pixels.</summary>
    public const double Least = 0.05;

    /// <summary>Everything that both have and that is seen elsewhere, the most first; frames that either camera lacks are left out.</summary>
    public static IReadOnlyList<MovedThing> Between(ShotDocument then, ShotDocument now)
    {
        if (
            ShotCamera.Of(then) is not { } was
            || ShotCamera.Of(now) is not { } isNow
            || then.Plate is not { } old
            || now.Plate is not { } plate
        )
        {
            return [];
        }
        double sx = (double)plate.Width / old.Width,
            sy = (double)plate.Height / old.Height;
        int first = Math.Max(then.Range.First, now.Range.First),
            last = Math.Min(then.Range.Last, now.Range.Last);
        var most = new Dictionary<(string Kind, string Id), MovedThing>();
        foreach (int frame in Enumerable.Range(0, Frames).Select(k => first + (last - first) * k / (Frames - 1)).Distinct())
        {
            if (!was.TryAt(frame, out Pose oldPose, out Pinhole oldPinhole) || !isNow.TryAt(frame, out Pose pose, out Pinhole pinhole))
            {
                continue;
            }
            var before = Things(then, frame).ToDictionary(t => (t.Kind, t.Id));
            foreach (var (kind, id, name, place) in Things(now, frame))
            {
                if (!before.TryGetValue((kind, id), out var own) || !oldPinhole.TryProject(oldPose, own.Place, out double x, out double y))
                {
                    continue;
                }
                double off = !pinhole.TryProject(pose, place, out double u, out double v)
                    ? double.PositiveInfinity
                    : Math.Sqrt((u - sx * x) * (u - sx * x) + (v - sy * y) * (v - sy * y));
                if (!most.TryGetValue((kind, id), out MovedThing? had) || off > had.Pixels)
                {
                    most[(kind, id)] = new(kind, name, off, frame);
                }
            }
        }
        return [.. most.Values.Where(m => m.Pixels > Least).OrderByDescending(m => m.Pixels)];
    }

    private static IEnumerable<(string Kind, string Id, string Name, Vec3 Place)> Things(ShotDocument shot, int frame)
    {
        ShotDocument at = Hanging.At(shot, frame);
        foreach (Piece p in at.Pieces)
        {
            yield return ("piece", p.Id, p.Name, p.Position);
        }
        foreach (Element e in at.Elements.Where(e => e.Kind != ElementKind.Rendered))
        {
            yield return ("element", e.Id, e.Name, e.At(frame).Position);
        }
        foreach (Light l in at.Lights.Where(l => l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle))
        {
            yield return ("light", l.Id, l.Name, l.At(frame).Position);
        }
        foreach (StandIn s in at.StandIns)
        {
            yield return ("stand-in", s.Id, s.Id, s.Position);
        }
        Similarity toWorld = ShotCamera.Of(shot)!.SourceToWorld;
        foreach (SurveyPoint p in at.SurveyPoints.Where(p => p.Position is not null))
        {
            yield return ("survey point", p.Name, p.Name, toWorld.Apply(p.Position!.Value));
        }
    }

    /// <summary>Readings that were measured on both, or on either.</summary>
    public static async Task<IReadOnlyList<ReadingThenNow>> Readings(ResultStore results, ShotDocument then, ShotDocument now)
    {
        IReadOnlyList<Reading?> was = await Measuring.Kept(then, results),
            isNow = await Measuring.Kept(now, results);
        return
        [
            .. ReadingKind
                .All.Select((k, i) => new ReadingThenNow(k.Blank, was[i], isNow[i]))
                .Where(r => r.Then?.Value is not null || r.Now?.Value is not null),
        ];
    }
}

/// <summary>The world of a shot laid anew while things stood in it.</summary>
public static class WorldMoved
{
    /// <summary>So far back it is looked for how the world lay when what is built was last changed.</summary>
    private const int MostRevisions = 60;

    /// <summary>
    /// The revision that tells how the world lay when what is built was last changed, and what takes that world to the one now; null: they
    /// are one.
    /// </summary>
    public static async Task<(int Since, ShotDocument Then, Similarity Map)?> Since(
        ShotStore shots,
        long shot,
        ShotDocument now,
        int revision
    )
    {
        string built = Built(now);
        (int, ShotDocument)? first = null;
        for (int n = revision; n > Math.Max(0, revision - MostRevisions); n--)
        {
            if (
                await shots.Read(shot, n) is not { } read
                || Built(read.Document) != built
                || read.Document.Camera != now.Camera && Camera(read.Document) != Camera(now)
            )
            {
                break;
            }
            first = (n, read.Document);
        }
        if (
            first is not var (since, then)
            || since == revision
            || built
                == Built(
                    new ShotDocument
                    {
                        Production = "",
                        Sequence = "",
                        Code = "",
                    }
                )
        )
        {
            return null;
        }
        Similarity map = Orienting.Of(now).SourceToWorld.After(Orienting.Of(then).SourceToWorld.Inverse());
        return IsStill(map) ? null : (since, then, map);
    }

    private static string Camera(ShotDocument shot) => ResultKey.Of("camera", 1, [shot.Camera]);

    private static string Built(ShotDocument shot) =>
        ResultKey.Of("built", 1, shot.Pieces, shot.Elements, shot.Lights, shot.MovingObjects, shot.StandIns, shot.OtherCameras);

    private static bool IsStill(Similarity map) =>
        Math.Abs(map.Scale - 1) < 1e-9 && map.Translation.Length < 1e-9 && Rotations.DegreesBetween(map.Rotation, Matrix3.Identity) < 1e-7;
}
