using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Formats.Meshes;

/// <summary>Meshes of one thing, a file a frame, with one set of faces.</summary>
public static class MeshSequence
{
    /// <summary>Refuses a frame that has other faces than the first.</summary>
    /// <exception cref="FormatFault">Says which, and how many it has.</exception>
    public static void Check(string firstName, TriangleMesh first, string name, TriangleMesh mesh)
    {
        if (mesh.Positions.Length != first.Positions.Length || mesh.TriangleCount != first.TriangleCount)
        {
            throw new FormatFault(
                "sequence",
                $"{name} has {mesh.TriangleCount:N0} triangles of {mesh.Positions.Length:N0} corners, and {firstName} has {first.TriangleCount:N0} of {first.Positions.Length:N0}",
                "A sequence keeps its faces from file to file. Export it without remeshing, or bring its parts in one by one."
            );
        }
        if (!mesh.Indices.AsSpan().SequenceEqual(first.Indices))
        {
            throw new FormatFault(
                "sequence",
                $"{name} joins its corners in another order than {firstName}",
                "A sequence keeps its faces from file to file. Export it without remeshing."
            );
        }
    }

    /// <summary>Between two frames: each corner straight from the one to the other.</summary>
    /// <param name="share">0: the first.</param>
    public static TriangleMesh Between(TriangleMesh a, TriangleMesh b, float share) =>
        share <= 0
            ? a
            : a with
            {
                Positions = [.. a.Positions.Select((p, i) => Vector3.Lerp(p, b.Positions[i], share))],
                Normals =
                    a.Normals is { } n && b.Normals is { } m
                        ?
                        [
                            .. n.Select(
                                (p, i) => Vector3.Lerp(p, m[i], share) is var v && v.LengthSquared() > 1e-12f ? Vector3.Normalize(v) : p
                            ),
                        ]
                        : null,
            };
}
