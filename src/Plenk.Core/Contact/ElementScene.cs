using System.Numerics;
using System.Runtime.CompilerServices;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>
/// The elements of a frame as rays meet them. A picture with alpha stops a share of the rays, drawn from the ray itself, so that equal rays
/// fare alike on any thread. Elements that are large enough as seen from a spot can be aimed at.
/// </summary>
public sealed class ElementScene
{
    /// <summary>sin² of the half angle below which an element sends no noticeable light to a spot: its form factor.</summary>
    private const float Negligible = 4e-3f;

    /// <summary>Alpha up to which nothing counts as seen under a pointer.</summary>
    private const float Faint = 0.04f;
    private readonly TraceScene _scene;
    private readonly bool _seeThrough;
    private readonly RayKinds _casts;
    private readonly (Vector3 Middle, float SquaredRadius)[] _whole,
        _balls; // around elements, and around their parts
    private readonly int[] _thingOfBall,
        _thingOf; // by instance

    /// <summary>One by one, copies too: by instance.</summary>
    public IReadOnlyList<PlacedElement> Elements { get; }

    /// <summary>So many things are seen, the first ones; all copies of one are one thing.</summary>
    public int ThingsShown { get; }

    /// <summary>So many of the elements are blended, the last but those that only cast.</summary>
    public int FirstBlended { get; }

    /// <summary>Which of the things that were given an instance is.</summary>
    public int ThingOf(int instance) => _thingOf[instance];

    /// <summary>Some are blended with what is behind them; and of these, some change it otherwise than by their light.</summary>
    public bool AnyBlended { get; }
    public bool AnyChanging { get; }
    public IReadOnlyList<TraceInstance> Instances => _scene.Instances;

    public ElementScene(IReadOnlyList<PlacedElement> elements)
    {
        Elements = elements.All(e => e.Copies is null) ? elements : [.. elements.SelectMany(e => e.Each())];
        _thingOf = [.. elements.SelectMany((e, i) => Enumerable.Repeat(i, e.Copies?.Count ?? 1))];
        _scene = new([.. Elements.Select(e => new TraceInstance(e.Model.Tree, e.ObjectToWorld, e.Kind))]);
        _casts = elements.Where(e => e.CastsOnly).Aggregate(RayKinds.None, (kinds, e) => kinds | e.Kind);
        ThingsShown = elements.Count(e => e.Kind == RayKinds.Element);
        FirstBlended = Elements.Count(e => e.Kind == RayKinds.Element);
        AnyBlended = elements.Any(e => e.Kind == RayKinds.Blended);
        AnyChanging = elements.Any(e => e.Kind == RayKinds.Blended && e.Blend != Shots.ElementBlend.Added);
        _seeThrough = elements.Any(e => e.Model.SeeThrough);
        var whole = new (Vector3, float)[elements.Count];
        var balls = new List<(Vector3, float)>();
        var thingOfBall = new List<int>();
        for (int i = 0, first = 0; i < elements.Count; i++)
        {
            PlacedElement e = elements[i];
            if (e.Copies is { } copies)
            {
                // Ten thousand are aimed at by where they are thick, not one by one.
                TraceInstance[] own = [.. _scene.Instances.Skip(first).Take(copies.Count)];
                (Vector3 Min, Vector3 Max) box = (
                    own.Select(o => o.Min).Aggregate(Vector3.Min),
                    own.Select(o => o.Max).Aggregate(Vector3.Max)
                );
                whole[i] = ((box.Min + box.Max) / 2, Vector3.DistanceSquared(box.Max, box.Min) / 4);
                foreach (
                    var (middle, radius) in PartBalls.Holding([
                        .. own.Select(o => ((o.Min + o.Max) / 2, Vector3.Distance(o.Min, o.Max) / 2)),
                    ])
                )
                {
                    balls.Add((middle, radius * radius * 1.0001f));
                    thingOfBall.Add(i);
                }
                first += copies.Count;
                continue;
            }
            TraceInstance one = _scene.Instances[first++];
            whole[i] = ((one.Min + one.Max) / 2, Vector3.DistanceSquared(one.Max, one.Min) / 4);
            foreach (var (middle, radius) in e.Model.Tree.Balls)
            {
                // A little wider, so that rounding leaves nothing of the mesh outside.
                float scale = (float)(e.ObjectToWorld.Scale * e.ObjectToWorld.Scale);
                balls.Add((e.ObjectToWorld.Apply(Vec3.From(middle)).ToSingle(), radius * radius * scale * 1.0001f));
                thingOfBall.Add(i);
            }
        }
        (_whole, _balls, _thingOfBall) = (whole, [.. balls], [.. thingOfBall]);
    }

    /// <summary>False only for rays that meet no element.</summary>
    public bool MayMeet(Vector3 origin, Vector3 direction) => Elements.Count > 0 && _scene.MayMeet(origin, direction);

    public bool MayReach(Vector3 point, float distance) => _scene.MayReach(point, distance);

    public Hit Intersect(in Ray ray)
    {
        Hit hit = _scene.Intersect(ray, RayKinds.Element);
        return _seeThrough ? Stopped(ray, hit) : hit;
    }

    /// <summary>The next that is blended along a ray.</summary>
    public Hit NextBlended(in Ray ray) => _scene.Intersect(ray, RayKinds.Blended);

    /// <summary>The nearest surface along a ray, whatever it stops of it.</summary>
    public Hit Nearest(in Ray ray) => _scene.Intersect(ray, RayKinds.Element);

    /// <summary>The nearest that is seen at all along a ray, however it comes together with what is behind it.</summary>
    public Hit Shows(Ray ray)
    {
        for (int i = 0; i < 64 && ray.TMin < ray.TMax; i++)
        {
            Hit hit = _scene.Intersect(ray, RayKinds.Element | RayKinds.Blended);
            if (!hit.IsHit || Elements[hit.Instance].Model.Stops(hit) > Faint)
            {
                return hit;
            }
            ray = ray.Beyond(hit);
        }
        return Hit.None;
    }

    /// <param name="without">What only casts, and is not counted.</param>
    public bool Occluded(in Ray ray, RayKinds without = RayKinds.None) =>
        ((_casts & ~without) is not RayKinds.None and var casts && _scene.Occluded(ray, casts))
        || (_scene.Occluded(ray, RayKinds.Element) && (!_seeThrough || Intersect(ray).IsHit));

    private Hit Stopped(Ray ray, Hit hit)
    {
        for (int i = 0; hit.IsHit && i < 64; i++)
        {
            float stops = Elements[hit.Instance].Model.Stops(hit);
            if (stops >= 1 || (stops > 0 && Draw(ray, hit) < stops))
            {
                return hit;
            }
            ray = ray.Beyond(hit);
            hit = ray.TMin < ray.TMax ? _scene.Intersect(ray, RayKinds.Element) : Hit.None;
        }
        return hit;
    }

    private static float Draw(in Ray ray, in Hit hit)
    {
        uint h = Sampling.Hash(Unsafe.BitCast<float, uint>(ray.Direction.X));
        h = Sampling.Hash(h ^ Unsafe.BitCast<float, uint>(ray.Direction.Y));
        h = Sampling.Hash(h ^ Unsafe.BitCast<float, uint>(ray.Origin.X) ^ Unsafe.BitCast<float, uint>(ray.Origin.Z) * 31);
        return (Sampling.Hash(h ^ (uint)(hit.Instance * 7919 + hit.Triangle)) >> 8) * (1f / 16777216);
    }

    /// <summary>
    /// A direction from a spot into one of the balls around the elements that matter there, chosen by how large it is seen, and how densely
    /// directions are drawn, a steradian, over all of them (the one-sample mixture of Veach and Guibas 1995). False where none matters.
    /// </summary>
    public bool Towards(Vector3 point, Vector3 normal, Vector2 u, out Vector3 direction, out float density)
    {
        (direction, density) = (default, 0);
        float whole = 0;
        for (int i = 0; i < _balls.Length; i++)
        {
            if (Matters(i, point, normal))
            {
                whole += Seen(i, point);
            }
        }
        if (whole <= 0)
        {
            return false;
        }
        float pick = u.X * whole;
        int chosen = 0;
        for (int i = 0; i < _balls.Length; i++)
        {
            if (!Matters(i, point, normal))
            {
                continue;
            }
            chosen = i;
            if (pick < Seen(i, point))
            {
                break;
            }
            pick -= Seen(i, point);
        }
        var rest = new Vector2(Math.Clamp(pick / Seen(chosen, point), 0, 0.9999999f), u.Y);
        direction = Cone(chosen, point, out float narrow) is { } middle
            ? Sampling.Cone(middle, narrow, rest)
            : Sampling.CosineHemisphere(normal, rest);
        float cosine = Vector3.Dot(direction, normal);
        if (cosine <= 0)
        {
            return true;
        }
        for (int i = 0; i < _balls.Length; i++)
        {
            if (!Matters(i, point, normal))
            {
                continue;
            }
            if (Cone(i, point, out float cos) is { } axis)
            {
                if (Vector3.Dot(axis, direction) >= cos)
                {
                    density += 1 / (2 * MathF.PI);
                }
            }
            else
            {
                density += cosine / MathF.PI;
            }
        }
        density /= whole;
        return true;
    }

    /// <summary>How large a ball is seen: its solid angle by 2π, and 1 where the whole side is drawn.</summary>
    private float Seen(int i, Vector3 point) => Cone(i, point, out float cos) is not null ? 1 - cos : 1;

    /// <summary>Every element that matters at a spot is seen in a narrow cone from it: aiming tells more than looking around.</summary>
    public bool CanAim(Vector3 point, Vector3 normal)
    {
        for (int i = 0; i < _balls.Length; i++)
        {
            if (Matters(i, point, normal) && Cone(i, point, out _) is null)
            {
                return false;
            }
        }
        return true;
    }

    private bool Matters(int i, Vector3 point, Vector3 normal) =>
        Above(_balls[i], point, normal, 0) && Above(_whole[_thingOfBall[i]], point, normal, Negligible);

    private static bool Above((Vector3 Middle, float SquaredRadius) ball, Vector3 point, Vector3 normal, float negligible)
    {
        Vector3 to = ball.Middle - point;
        float square = to.LengthSquared();
        return square <= ball.SquaredRadius
            || (ball.SquaredRadius > negligible * square && Vector3.Dot(to, normal) > -MathF.Sqrt(ball.SquaredRadius));
    }

    /// <summary>
    /// The way to a ball's middle and the cosine of its half angle; null within it, and so near that the whole side is drawn.
    /// </summary>
    private Vector3? Cone(int i, Vector3 point, out float cos)
    {
        Vector3 to = _balls[i].Middle - point;
        float square = to.LengthSquared();
        cos = square > _balls[i].SquaredRadius ? MathF.Sqrt(1 - _balls[i].SquaredRadius / square) : 0;
        return cos > 0.5f ? to / MathF.Sqrt(square) : null;
    }
}
