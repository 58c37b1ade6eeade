using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Tracing;

namespace Plenk.Core.Contact;

/// <summary>An element's mesh with its tree and materials: made once for a file, shared by all copies.</summary>
public sealed record ElementModel(MeshTree Tree, IReadOnlyList<Material> Materials)
{
    public Material MaterialOf(int triangle) =>
        Materials.Count == 0 ? Material.Grey : Materials[Math.Clamp(Tree.Mesh.Materials?[triangle] ?? 0, 0, Materials.Count - 1)];
}

/// <summary>An element as it stands in a frame.</summary>
public sealed record PlacedElement(string Id, ElementModel Model, Similarity ObjectToWorld);
