using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
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
    public static IReadOnlyList<MovedThing> Between(ShotEngine engine, ShotDocument then, ShotDocument now)
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
            var before = Things(engine, then, frame).ToDictionary(t => (t.Kind, t.Id), t => t.Places);
            foreach (var (kind, id, name, places) in Things(engine, now, frame))
            {
                if (!before.TryGetValue((kind, id), out Vec3[]? own) || own.Length != places.Length)
                {
                    continue;
                }
                for (int i = 0; i < places.Length; i++)
                {
                    if (!oldPinhole.TryProject(oldPose, own[i], out double x, out double y))
                    {
                        continue;
                    }
                    double off = !pinhole.TryProject(pose, places[i], out double u, out double v)
                        ? double.PositiveInfinity
                        : Math.Sqrt((u - sx * x) * (u - sx * x) + (v - sy * y) * (v - sy * y));
                    if (!most.TryGetValue((kind, id), out MovedThing? had) || off > had.Pixels)
                    {
                        most[(kind, id)] = new(kind, name, off, frame);
                    }
                }
            }
        }
        return [.. most.Values.Where(m => m.Pixels > Least).OrderByDescending(m => m.Pixels)];
    }

    /// <summary>What stands in a frame, by places of it in the world: corners of what has a shape, else where it is.</summary>
    private static IEnumerable<(string Kind, string Id, string Name, Vec3[] Places)> Things(ShotEngine engine, ShotDocument shot, int frame)
    {
        ShotDocument at = Hanging.At(shot, frame);
        foreach (Piece p in at.Pieces.Where(p => p is { Off: false, Figure: null }))
        {
            yield return ("piece", p.Id, p.Name, Corners(engine.Place.Local(p), PieceMeshes.PlaceOf(p)));
        }
        foreach (PlacedElement e in engine.Elements(at, frame))
        {
            string name = at.Elements.First(x => x.Id == e.Id).Name;
            yield return ("element", e.Id, name, Corners(e.Model.Tree.Mesh, e.ObjectToWorld));
        }
        foreach (Light l in at.Lights.Where(l => l.Kind is LightKind.Point or LightKind.Spot or LightKind.Rectangle))
        {
            yield return ("light", l.Id, l.Name, [l.Position]);
        }
        foreach (StandIn s in at.StandIns)
        {
            yield return ("stand-in", s.Id, s.Id, [s.Position]);
        }
        Similarity toWorld = ShotCamera.Of(shot)!.SourceToWorld;
        foreach (SurveyPoint p in at.SurveyPoints.Where(p => p.Position is not null))
        {
            yield return ("survey point", p.Name, p.Name, [toWorld.Apply(p.Position!.Value)]);
        }
    }

    private static Vec3[] Corners(TriangleMesh mesh, Similarity place)
    {
        var (min, max) = mesh.Bounds();
        return
        [
            .. Enumerable
                .Range(0, 8)
                .Select(k => place.Apply(new((k & 1) == 0 ? min.X : max.X, (k & 2) == 0 ? min.Y : max.Y, (k & 4) == 0 ? min.Z : max.Z))),
        ];
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
