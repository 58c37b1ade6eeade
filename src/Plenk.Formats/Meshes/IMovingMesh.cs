using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Formats.Meshes;

/// <summary>A mesh file that can be asked how it stands at any time. The same triangles at all times.</summary>
public interface IMovingMesh
{
    /// <summary>It has an animation.</summary>
    bool Moves { get; }

    /// <summary>Of what its file holds.</summary>
    long Bytes { get; }

    /// <summary>Of its animation.</summary>
    double Seconds { get; }

    /// <summary>Its nodes move as they are; else some are bent.</summary>
    bool IsRigid { get; }

    /// <summary>Names of the joints that its skins hang on, in the file's order.</summary>
    IReadOnlyList<string> Joints { get; }

    /// <summary>As it stands so many seconds into its animation; held before its beginning and after its end. Null: at rest.</summary>
    /// <param name="turned">Turns of joints by name, in their own axes, before what the file turns them by.</param>
    /// <exception cref="FormatFault">What bends it does not fit its mesh.</exception>
    ImportedMesh At(double? seconds, IReadOnlyDictionary<string, Quaternion>? turned = null);

    /// <summary>Of a rigid file: each object in its own space, and where its node is at a time (row vectors, metres, +Y up).</summary>
    IReadOnlyList<(string Name, TriangleMesh Mesh, Func<double, Matrix4x4> At)> Nodes();
}
