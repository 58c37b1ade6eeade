using System.Globalization;
using System.Numerics;
using System.Text;
using Plenk.Core.Contact;
using Plenk.Core.Lighting;

namespace Plenk.Formats.Meshes;

/// <summary>
/// Wavefront material text: Kd, Ks, Ns, Ke, d or Tr, map_Kd, illum, and the metallic-roughness pair Pm, Pr. A material without a highlight
/// (no Ks, Ks 0, illum 0 or 1) is Lambert; an exponent n becomes the roughness whose lobe is as wide, α = √(2 ÷ (n + 2)) (Walter et al.
/// 2007).
/// </summary>
public static class MtlFile
{
    public static IReadOnlyList<Material> Read(byte[] bytes, string name, Func<string, byte[]?>? beside, List<string> warnings)
    {
        var result = new List<Material>();
        string? title = null;
        Vector3 diffuse = new(0.5f),
            specular = default,
            emission = default;
        float exponent = 32,
            opacity = 1,
            illumination = 2;
        float? metallic = null,
            roughness = null;
        string? picture = null;
        void Close()
        {
            if (title is null)
            {
                return;
            }
            bool shines = (illumination >= 2 && specular != default) || roughness is not null || metallic > 0;
            Core.Images.FloatImage? image = null;
            if (picture is not null)
            {
                if (beside?.Invoke(picture) is { } data)
                {
                    image = MaterialPicture.Read(data, picture);
                }
                else
                {
                    warnings.Add(
                        $"The picture {picture} of material “{title}” is not there; its flat colour is used. Bring it in together with the mesh."
                    );
                }
            }
            result.Add(
                new(title, diffuse, metallic ?? 0, roughness ?? (shines ? MathF.Sqrt(MathF.Sqrt(2 / (exponent + 2))) : 1))
                {
                    Specular =
                        !shines ? 0
                        : roughness is not null || metallic is not null ? 1
                        : Math.Clamp(MathF.Max(specular.X, MathF.Max(specular.Y, specular.Z)), 0, 1),
                    Emission = emission,
                    Picture = image,
                    SeeThrough = image is not null && MaterialPicture.HasAlpha(image),
                }
            );
            if (opacity < 1)
            {
                warnings.Add(
                    $"Material “{title}” is {100 * (1 - opacity):0} % transparent; it is opaque here. A picture with alpha lets light through."
                );
            }
        }
        int number = 0;
        foreach (string raw in Encoding.UTF8.GetString(bytes).Split('\n'))
        {
            number++;
            string[] p = raw.Split((char[])[' ', '\t', '\r'], StringSplitOptions.RemoveEmptyEntries);
            if (p.Length == 0 || p[0][0] == '#')
            {
                continue;
            }
            float Number(int i) =>
                i < p.Length && float.TryParse(p[i], NumberStyles.Float, CultureInfo.InvariantCulture, out float v) && float.IsFinite(v)
                    ? v
                    : throw new FormatFault("file", $"{name}, line {number}: “{raw.Trim()}” lacks a number", "Export the mesh again.");
            Vector3 Colour() => p.Length > 3 ? Vector3.Max(default, new(Number(1), Number(2), Number(3))) : new(MathF.Max(0, Number(1)));
            switch (p[0])
            {
                case "newmtl":
                    Close();
                    (title, diffuse, specular, emission, exponent, opacity, illumination, metallic, roughness, picture) = (
                        string.Join(' ', p[1..]),
                        new(0.5f),
                        default,
                        default,
                        32,
                        1,
                        2,
                        null,
                        null,
                        null
                    );
                    break;
                case "Kd":
                    diffuse = Colour();
                    break;
                case "Ks":
                    specular = Colour();
                    break;
                case "Ke":
                    emission = Colour();
                    break;
                case "Ns":
                    exponent = MathF.Max(1, Number(1));
                    break;
                case "d":
                    opacity = Number(p.Length - 1);
                    break;
                case "Tr":
                    opacity = 1 - Number(1);
                    break;
                case "illum":
                    illumination = Number(1);
                    break;
                case "Pm":
                    metallic = Math.Clamp(Number(1), 0, 1);
                    break;
                case "Pr":
                    roughness = Math.Clamp(Number(1), 0, 1);
                    break;
                case "map_Kd":
                    picture = NameAfterOptions(p) is { Length: > 0 } given ? given : null;
                    break;
            }
        }
        Close();
        return result;
    }

    /// <summary>A picture's name, which may have blanks, after options such as -s 1 1 1 or -clamp on.</summary>
    private static string NameAfterOptions(string[] words)
    {
        int at = 1;
        while (at < words.Length - 1 && words[at][0] == '-')
        {
            at++;
            while (
                at < words.Length - 1
                && (words[at] is "on" or "off" || float.TryParse(words[at], NumberStyles.Float, CultureInfo.InvariantCulture, out _))
            )
            {
                at++;
            }
        }
        return string.Join(' ', words[at..]);
    }
}
