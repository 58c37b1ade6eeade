using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>An element's mesh with its tree and materials: made once for a file, shared by all copies.</summary>
public sealed record ElementModel(MeshTree Tree, IReadOnlyList<Material> Materials)
{
    public Material MaterialOf(int triangle) =>
        Materials.Count == 0 ? Material.Grey : Materials[Math.Clamp(Tree.Mesh.Materials?[triangle] ?? 0, 0, Materials.Count - 1)];

    /// <summary>Some of it lets light through.</summary>
    public bool SeeThrough { get; } = Materials.Any(m => m is { SeeThrough: true, Picture: not null });

    /// <summary>The material at a hit, its picture's colour counted.</summary>
    public Material At(in Hit hit)
    {
        Material m = MaterialOf(hit.Triangle);
        if (m.Picture is null)
        {
            return m;
        }
        Vector4 c = PictureAt(m, hit);
        return c.W > 0
            ? m with
            {
                BaseColor = m.BaseColor * new Vector3(c.X, c.Y, c.Z) / c.W,
                Emission = m.Emission * new Vector3(c.X, c.Y, c.Z) / c.W,
            }
            : m;
    }

    /// <summary>How much of a ray is stopped at a hit, 0..1.</summary>
    public float Stops(in Hit hit)
    {
        Material m = MaterialOf(hit.Triangle);
        return m is { SeeThrough: true, Picture: not null } ? Math.Clamp(PictureAt(m, hit).W, 0, 1) : 1;
    }

    private Vector4 PictureAt(Material m, in Hit hit)
    {
        Vector2 uv = Tree.Mesh.TextureCoordinate(hit.Triangle, hit.U, hit.V);
        Span<float> c = stackalloc float[4];
        // Tiled beyond its edges, as glTF's default sampler does.
        float u = uv.X is >= 0 and <= 1 ? uv.X : uv.X - MathF.Floor(uv.X),
            v = uv.Y is >= 0 and <= 1 ? uv.Y : uv.Y - MathF.Floor(uv.Y);
        m.Picture!.SampleBilinear(u * m.Picture.Width, v * m.Picture.Height, c);
        return new(c[0], c[1], c[2], c[3]);
    }
}

/// <summary>An element as it stands in a frame.</summary>
/// <param name="Kind">
/// As what rays meet it. One that only casts is not seen: it keeps light from what is around it, for a picture or a piece that shows it
/// already. One that is blended hides nothing. Both stand last.
/// </param>
public sealed record PlacedElement(string Id, ElementModel Model, Similarity ObjectToWorld, RayKinds Kind = RayKinds.Element)
{
    /// <summary>How one that is blended comes together with what is behind it.</summary>
    public Shots.ElementBlend Blend { get; init; }

    /// <summary>Where it comes so near before the set, along a ray, its alpha goes to nothing; metres.</summary>
    public float Soft { get; init; }

    /// <summary>
    /// It stands as so many copies, each at a place of its own; <see cref="ObjectToWorld"/> is the first one's. Null: it is one.
    /// </summary>
    public IReadOnlyList<Similarity>? Copies { get; init; }

    /// <summary>Itself, or its copies one by one.</summary>
    /// <param name="most">Of many copies so many, spread over all of them.</param>
    public IEnumerable<PlacedElement> Each(int most = int.MaxValue)
    {
        if (Copies is not { } all)
        {
            yield return this;
            yield break;
        }
        int count = Math.Min(most, all.Count);
        for (int i = 0; i < count; i++)
        {
            yield return this with
            {
                ObjectToWorld = all[(int)((long)i * all.Count / count)],
                Copies = null,
            };
        }
    }

    /// <summary>How much of a ray is stopped at a hit, 0..1, with the set behind it so far away.</summary>
    public float Stops(in Hit hit, float set) =>
        Model.Stops(hit) is var own && Soft > 0 && float.IsFinite(set) ? own * Smooth((set - hit.T) / Soft) : own;

    // t² (3 − 2t): the cubic of Hermite between 0 and 1.
    private static float Smooth(float t) => Math.Clamp(t, 0, 1) is var u ? u * u * (3 - 2 * u) : 0;

    /// <summary>
    /// Where a spot of the same element is that was hit as it stood at another time: on the same face, where it has the same faces; else
    /// carried along as a whole.
    /// </summary>
    public Vec3 PlaceOf(in Hit hit, PlacedElement at, Vector3 point)
    {
        TriangleMesh own = Model.Tree.Mesh,
            other = at.Model.Tree.Mesh;
        if (ReferenceEquals(own, other) || own.Indices.Length != other.Indices.Length)
        {
            return ObjectToWorld.After(at.ObjectToWorld.Inverse()).Apply(Vec3.From(point));
        }
        var (a, b, c) = own.Triangle(hit.Triangle);
        return ObjectToWorld.Apply(Vec3.From(a * (1 - hit.U - hit.V) + b * hit.U + c * hit.V));
    }

    /// <summary>The middle of its bounds, in the world; of the first of its copies.</summary>
    public Vec3 Middle => Model.Tree.Mesh.Bounds() is var (min, max) ? ObjectToWorld.Apply(Vec3.From((min + max) / 2)) : default;

    public bool CastsOnly => Kind is RayKinds.Casts or RayKinds.CastsNew;
}
