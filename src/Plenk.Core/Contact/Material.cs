using System.Numerics;
using Plenk.Core.Images;

namespace Plenk.Core.Contact;

/// <summary>
/// Metallic-roughness material, as in the glTF 2.0 specification, appendix B; Specular and Emission as its KHR_materials_specular and
/// emissive factor. Colours linear.
/// </summary>
public sealed record Material(string Name, Vector3 BaseColor, float Metallic, float Roughness)
{
    /// <summary>Stands where a file says nothing: matt, half of the light.</summary>
    public static readonly Material Grey = new("grey", new(0.5f), 0, 1) { Specular = 0 };

    /// <summary>Of a dielectric's reflection, 0 (Lambert) to 1.</summary>
    public float Specular { get; init; } = 1;

    /// <summary>Radiance that it sends out by itself.</summary>
    public Vector3 Emission { get; init; }

    /// <summary>
    /// Times <see cref="BaseColor"/>, by the mesh's texture coordinates: RGBA, linear, premultiplied; null: the colour is even.
    /// </summary>
    public FloatImage? Picture { get; init; }

    /// <summary>Its picture lets light through where its alpha is below 1.</summary>
    public bool SeeThrough { get; init; }

    public float Alpha => MathF.Max(Roughness * Roughness, 1e-3f);
    public Vector3 F0 => Vector3.Lerp(new(0.04f * Specular), BaseColor, Metallic);
    public float F90 => Specular + (1 - Specular) * Metallic;
    public Vector3 Diffuse => BaseColor * (1 - Metallic);
    public bool Mirrors => Specular > 0 || Metallic > 0;
}
