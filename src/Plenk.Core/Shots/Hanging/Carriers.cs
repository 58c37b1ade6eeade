using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Where the things of a shot stand at any frame, with all that they hang on and look at.</summary>
public sealed class Carriers
{
    private readonly ShotDocument _shot;
    private readonly Dictionary<double, ShotDocument> _keyed = [];
    private readonly Dictionary<(string On, double Frame), Similarity?> _known = [];
    private readonly HashSet<string> _asked = [];

    /// <param name="shot">As it is kept, stood at no frame.</param>
    public Carriers(ShotDocument shot)
    {
        if (shot.StoodAt is not null)
        {
            throw new InvalidOperationException("What has been stood at a frame cannot be taken to another.");
        }
        _shot = shot;
    }

    /// <summary>The shot with what is keyed as it is at a frame, before anything is stood.</summary>
    public ShotDocument Keyed(double frame)
    {
        if (!_keyed.TryGetValue(frame, out ShotDocument? keyed))
        {
            _keyed[frame] = keyed = ShotCurves.At(_shot, frame);
        }
        return keyed;
    }

    /// <summary>
    /// The frame of a thing in the world. Null: it is not there, has no path yet, or hangs on itself.
    /// </summary>
    /// <param name="on">As <see cref="Carrier.On"/> names it.</param>
    public Similarity? Of(string on, double frame)
    {
        if (_known.TryGetValue((on, frame), out Similarity? known))
        {
            return known;
        }
        if (!_asked.Add(on))
        {
            return null;
        }
        Similarity? found = Find(on, frame);
        _asked.Remove(on);
        return _known[(on, frame)] = found;
    }

    private Similarity? Find(string on, double frame)
    {
        string[] path = on.Split('/');
        if (path is ["elements", var of, "spots", var spot])
        {
            return
                Keyed(frame).Elements.FirstOrDefault(e => e.Id == PlacedValue.Name(of)) is { } own
                && own.Spots.FirstOrDefault(s => s.Id == PlacedValue.Name(spot))?.At(frame) is { } there
                && Stood(own, frame) is { Scale: > 0, Position.IsFinite: true } stood
                ? stood.ObjectToWorld.After(new(1, there.Rotation, there.Position))
                : null;
        }
        if (path.Length != 2)
        {
            return null;
        }
        string id = PlacedValue.Name(path[1]);
        switch (path[0])
        {
            case "movingObjects":
                return _shot.MovingObjects.FirstOrDefault(o => o.Id == id) is { } thing && Hanging.PoseOf(thing, frame) is { } pose
                    ? new(1, pose.Rotation, pose.Position)
                    : null;
            case "elements":
                return Keyed(frame).Elements.FirstOrDefault(e => e.Id == id) is { } element
                    ? Frame(Stood(element, frame), e => (e.Scale, e.Rotation, e.Position))
                    : null;
            case "pieces":
                return Keyed(frame).Pieces.FirstOrDefault(p => p.Id == id) is { } piece
                    ? Frame(Stood(piece, frame), p => (p.Scale, Hanging.RotationOf(p), p.Position))
                    : null;
            case "lights":
                return Keyed(frame).Lights.FirstOrDefault(l => l.Id == id) is { } light
                    ? Frame(Stood(light, frame), l => (1, Rotations.Between(Vec3.UnitY, Towards(l)), l.Position))
                    : null;
            default:
                return null;
        }
    }

    private static Similarity? Frame<T>(T thing, Func<T, (double Scale, Matrix3 Rotation, Vec3 Position)> of)
    {
        var (scale, rotation, position) = of(thing);
        return scale > 0 && position.IsFinite ? new(scale, rotation, position) : null;
    }

    private static Vec3 Towards(Light l) => l.Direction.Length > 1e-9 ? l.Direction.Normalized() : Vec3.UnitY;

    /// <summary>Where a carrier has taken what hangs on it, from its own numbers to the world; null: that has no place.</summary>
    public Similarity? Carried(Carrier by, double frame)
    {
        if (by.During.Count == 0)
        {
            return Of(by.On, frame);
        }
        Similarity now = Similarity.Identity;
        foreach (CarrierSpan span in by.During)
        {
            if (frame < span.From)
            {
                break;
            }
            if (Of(by.On, Math.Min(frame, span.To ?? frame)) is not { } there)
            {
                return null;
            }
            if (span.From is not { } from)
            {
                now = there;
            }
            else if (Of(by.On, from) is { } taken)
            {
                now = there.After(taken.Inverse()).After(now);
            }
            else
            {
                return null;
            }
        }
        return now;
    }

    /// <summary>The place in the world that a thing looks at; null: nowhere.</summary>
    public Vec3? Target(Aim? aim, double frame) =>
        aim is null ? null
        : aim.On is null ? aim.Place
        : Of(aim.On, frame)?.Apply(aim.Place);

    private (Vec3 Metres, Vec3 Degrees)? Shaken(Shake? shake, double frame) =>
        shake is null ? null : shake.At(frame * _shot.Rate.Den / _shot.Rate.Num);

    /// <summary>An element, keyed at that frame, as it stands in the world.</summary>
    public Element Stood(Element e, double frame)
    {
        if (Shaken(e.Shake, frame) is var (metres, degrees))
        {
            e = e with { Position = e.Position + metres, RotationYxzDegrees = e.RotationYxzDegrees + degrees };
        }
        if (e.HangsOn is { } by && Carried(by, frame) is { } to)
        {
            e = Hanging.Placed(e, to, by.Turns);
        }
        if (Target(e.AimsAt, frame) is { } at && at - e.Position is { Length: > 1e-9 } way)
        {
            Vec3 d = way.Normalized();
            e = e with
            {
                RotationYxzDegrees = new(
                    -Rotations.Degrees(Elementary.Atan2(d.Y, Math.Sqrt(d.X * d.X + d.Z * d.Z))),
                    Rotations.Degrees(Elementary.Atan2(d.X, d.Z)),
                    e.RotationYxzDegrees.Z
                ),
            };
        }
        return e;
    }

    /// <summary>The same of a piece, swung on its hinge.</summary>
    public Piece Stood(Piece p, double frame)
    {
        if (Shaken(p.Shake, frame) is var (metres, degrees))
        {
            p = p with { Position = p.Position + metres, RotationYxzDegrees = p.RotationYxzDegrees + degrees };
        }
        p = PieceHinge.Swung(p);
        return p.HangsOn is { } by && Carried(by, frame) is { } to ? Hanging.Placed(p, to, by.Turns) : p;
    }

    /// <summary>The same of a light.</summary>
    public Light Stood(Light l, double frame)
    {
        if (Shaken(l.Shake, frame) is var (metres, degrees))
        {
            l = Hanging.Turned(l with { Position = l.Position + metres }, Rotations.FromEulerYxzDegrees(degrees.X, degrees.Y, degrees.Z));
        }
        if (l.HangsOn is { } by && Carried(by, frame) is { } to)
        {
            l = Hanging.Placed(l, to, by.Turns);
        }
        if (Target(l.AimsAt, frame) is { } at && l.Position - at is { Length: > 1e-9 } way)
        {
            l = Hanging.Turned(l, Rotations.Between(Towards(l), way.Normalized()));
        }
        return l;
    }
}
