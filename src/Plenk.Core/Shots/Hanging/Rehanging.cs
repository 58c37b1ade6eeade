using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Things hung on others, or stood back in the world, without moving.</summary>
public static class Rehanging
{
    /// <summary>
    /// The shot with a thing hung elsewhere: it stays where it is in a frame, and in each frame that has keys of its place or turn. Null:
    /// what it hangs on, or is to hang on, has no place in one of these.
    /// </summary>
    /// <param name="what">Its place in the document: “elements/bell”.</param>
    /// <param name="on">Null: it stands in the world.</param>
    public static ShotDocument? Of(ShotDocument shot, string what, Carrier? on, int frame)
    {
        var things = new Carriers(shot);
        Element? element = shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == what);
        Piece? piece = shot.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == what);
        Light? light = shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == what);
        Carrier? was = element?.HangsOn ?? piece?.HangsOn ?? light?.HangsOn;
        // From its numbers as they are to its numbers as they will be; its turn goes by itself, as it may not turn with what carries it.
        (Similarity Place, Matrix3 Turn)? Into(int k)
        {
            if (
                (was is null ? Similarity.Identity : things.Carried(was, k)) is not { } from
                || (on is null ? Similarity.Identity : things.Carried(on, k)) is not { } to
            )
            {
                return null;
            }
            Matrix3 turn = was is { Turns: true } ? from.Rotation : Matrix3.Identity;
            return (to.Inverse().After(from), on is { Turns: true } ? to.Rotation.Transpose() * turn : turn);
        }
        if (Into(frame) is not { } now)
        {
            return null;
        }
        var curves = new List<ValueCurve>();
        foreach (ValueCurve c in shot.Curves)
        {
            if (c.Id == $"{what}/position" || c.Id == $"{what}/rotationYxzDegrees" || c.Id == $"{what}/direction")
            {
                if (Keys(c, Into) is not { } keys)
                {
                    return null;
                }
                curves.Add(c with { Keys = keys });
            }
            else
            {
                curves.Add(c);
            }
        }
        Vec3 Euler(Matrix3 own, Vec3 near) => Rotations.NearEulerYxzDegrees(now.Turn * own, near);
        return shot with
        {
            Curves = curves,
            Elements =
            [
                .. shot.Elements.Select(e =>
                    e != element
                        ? e
                        : e with
                        {
                            HangsOn = on,
                            Position = now.Place.Apply(e.Position),
                            RotationYxzDegrees = Euler(e.Rotation, e.RotationYxzDegrees),
                        }
                ),
            ],
            Pieces =
            [
                .. shot.Pieces.Select(p =>
                    p != piece
                        ? p
                        : p with
                        {
                            HangsOn = on,
                            Position = now.Place.Apply(p.Position),
                            RotationYxzDegrees = Euler(Hanging.RotationOf(p), p.RotationYxzDegrees),
                        }
                ),
            ],
            Lights =
            [
                .. shot.Lights.Select(l =>
                    l != light ? l : Hanging.Turned(l, now.Turn) with { HangsOn = on, Position = now.Place.Apply(l.Position) }
                ),
            ],
        };
    }

    private static List<CurveKey>? Keys(ValueCurve curve, Func<int, (Similarity Place, Matrix3 Turn)?> into)
    {
        var keys = new List<CurveKey>();
        Vec3? last = null;
        bool isPlace = curve.Id.EndsWith("/position", StringComparison.Ordinal);
        foreach (CurveKey k in curve.Keys.OrderBy(k => k.Frame))
        {
            if (k.Triple is not { } t)
            {
                keys.Add(k);
                continue;
            }
            if (into(k.Frame) is not var (place, turn))
            {
                return null;
            }
            if (curve.IsTurn)
            {
                Vec3 euler = Rotations.NearEulerYxzDegrees(turn * Rotations.FromEulerYxzDegrees(t.X, t.Y, t.Z), last ?? t);
                last = euler;
                keys.Add(k with { Triple = euler });
                continue;
            }
            CurveHandle? Handle(CurveHandle? h) =>
                h is not { Triple: { } by } ? h : h with { Triple = isPlace ? place.Scale * (place.Rotation * by) : turn * by };
            keys.Add(k with { Triple = isPlace ? place.Apply(t) : turn * t, Before = Handle(k.Before), After = Handle(k.After) });
        }
        return keys;
    }
}
