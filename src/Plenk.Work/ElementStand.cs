using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;

namespace Plenk.Work;

/// <summary>How an element is stood on the set.</summary>
public enum StandHow
{
    /// <summary>Down along gravity until it touches.</summary>
    Lower,

    /// <summary>Its +Y along the surface's normal under it, then down.</summary>
    Lay,

    /// <summary>On its back: its face (+Z) along the normal, its head away from the camera; then down.</summary>
    Flat,
}

/// <summary>A pivot that was put elsewhere, and the element's place with it, keys and all.</summary>
public sealed record PivotMoved(Vec3 Pivot, Vec3 Position, IReadOnlyList<CurveKey>? Keys);

/// <summary>Elements stood on the set, and their pivots put on them.</summary>
public static class ElementStand
{
    /// <summary>What has no thickness lies so far off what it lies on, metres.</summary>
    private const double Off = 0.002;

    private static Element Of(ShotDocument shot, string id) =>
        shot.Elements.FirstOrDefault(e => e.Id == id) ?? throw new ShotFault("That element is no longer in the shot.");

    private static ValueCurve? Keyed(ShotDocument shot, string id) => shot.Curves.FirstOrDefault(c => c.Id == $"elements/{id}/position");

    /// <summary>The element as it stands then, at a frame.</summary>
    public static Element Stand(ShotEngine engine, ShotDocument shot, string id, StandHow how, int frame)
    {
        Element own = Of(shot, id);
        Similarity? hangs = own.HangsOn is { } on ? new Carriers(shot).Carried(on, frame) : null;
        shot = Hanging.At(shot, frame);
        Element element = Of(shot, id);
        SetScene set = engine.Place.Set(shot);
        if (how != StandHow.Lower)
        {
            (Vec3 Point, Vec3 Normal) under = Standing.Below(set, element.Position + Vec3.UnitY * 0.35) ?? throw Nothing(element);
            Matrix3 turn = how == StandHow.Lay ? Laid(element.Rotation, under.Normal) : Flat(shot, frame, under.Normal);
            element = element with { RotationYxzDegrees = Rotations.ToEulerYxzDegrees(turn), Position = under.Point };
        }
        ElementModel model = engine.Model(shot, element, frame);
        double drop = Standing.DropToTouch(set, model, element.ObjectToWorld) ?? throw Nothing(element);
        var (min, max) = model.Tree.Mesh.Bounds();
        double off = how == StandHow.Flat && max.Z - min.Z < Off ? Off : 0;
        element = element with { Position = element.Position - Vec3.UnitY * (drop - off) };
        return hangs is { } pose ? Hanging.Placed(element, pose.Inverse(), own.HangsOn!.Turns) : element;
    }

    private static ShotFault Nothing(Element e) => new($"Nothing of the set lies below {e.Name}. Move it over a piece.");

    /// <summary>Its own turn about its +Y stays; that is laid along the normal.</summary>
    private static Matrix3 Laid(Matrix3 own, Vec3 normal) => Rotations.Between(own.Column(1), normal) * own;

    private static Matrix3 Flat(ShotDocument shot, int frame, Vec3 normal)
    {
        Vec3 away = ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out Pose pose, out _) ? -pose.Rotation.Column(2) : -Vec3.UnitZ;
        Vec3 head = away - Vec3.Dot(away, normal) * normal;
        // Straight down, the top of the picture is away.
        if (head.Length < 1e-3)
        {
            head = Vec3.Cross(Math.Abs(normal.X) < 0.9 ? Vec3.UnitX : Vec3.UnitZ, normal);
        }
        head = head.Normalized();
        return Matrix3.FromColumns(Vec3.Cross(head, normal), head, normal);
    }

    /// <summary>Keys of an element's place, each lowered until it touches there.</summary>
    public static IReadOnlyList<CurveKey> Keys(ShotEngine engine, ShotDocument shot, string id)
    {
        Element own = Of(shot, id);
        return
        [
            .. (Keyed(shot, id)?.Keys ?? throw new ShotFault($"{own.Name} has no keys of its place. Key it first.")).Select(k =>
                k with
                {
                    Triple = Stand(engine, shot, id, StandHow.Lower, k.Frame).Position,
                }
            ),
        ];
    }

    /// <summary>An element's pivot put on a spot of it; it stays where it is in all frames with keys of its place.</summary>
    /// <param name="to">foot, middle, head, left, right or origin; null: the spot below a place of the picture.</param>
    public static PivotMoved Pivot(ShotEngine engine, ShotDocument shot, string id, string? to, (double X, double Y)? at, int frame)
    {
        Element own = Of(shot, id);
        ShotDocument now = Hanging.At(shot, frame);
        Element here = Of(now, id);
        Vec3 pivot;
        if (at is { } spot)
        {
            PickResult picked = engine.Pick(shot, frame, spot.X, spot.Y);
            if (picked.ElementId != id || picked.Point is not { } p)
            {
                throw new ShotFault($"{own.Name} is not seen there. Click on it.");
            }
            Vec3 local = here.ObjectToWorld.Inverse().Apply(new(p[0], p[1], p[2]));
            pivot = new(local.X / here.Stretch.X, local.Y / here.Stretch.Y, local.Z / here.Stretch.Z);
        }
        else
        {
            var (min, max) = engine.Model(now, here with { Stretch = new(1, 1, 1) }, frame).Tree.Mesh.Bounds();
            Vector3 mid = (min + max) / 2;
            pivot = to switch
            {
                "foot" => new(mid.X, min.Y, mid.Z),
                "middle" => Vec3.From(mid),
                "head" => new(mid.X, max.Y, mid.Z),
                "left" => new(min.X, mid.Y, mid.Z),
                "right" => new(max.X, mid.Y, mid.Z),
                "origin" => Vec3.Zero,
                _ => throw new ShotFault("A pivot is put on the foot, middle, head, left, right or origin."),
            };
        }
        Vec3 Moved(Element e)
        {
            var by = new Vec3(
                e.Stretch.X * (pivot.X - own.Pivot.X),
                e.Stretch.Y * (pivot.Y - own.Pivot.Y),
                e.Stretch.Z * (pivot.Z - own.Pivot.Z)
            );
            return e.Position + e.Scale * (e.Rotation * by);
        }
        return new(
            pivot,
            Moved(own),
            Keyed(shot, id)?.Keys.Select(k => k with { Triple = Moved(Of(ShotCurves.At(shot, k.Frame), id)) }).ToArray()
        );
    }
}
