namespace Plenk.Core.Shots;

/// <summary>How a rendered picture takes new light.</summary>
/// <param name="Specular">Strength of a highlight (Blinn 1977, normalised: (n + 2)/2π), 0: none.</param>
/// <param name="Width">Its exponent n: 8 is wide, 200 narrow.</param>
/// <param name="Ambient">Even light on all of it, irradiance ÷ π.</param>
/// <param name="Albedo">Stands for the surfaces' colour where the picture brings none.</param>
public sealed record RelightLook(
    float Diffuse = 1,
    float Specular = 0,
    float Width = 32,
    float Ambient = 0,
    float Albedo = 0.5f,
    bool Shadows = true
);
