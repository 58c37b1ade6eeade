using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>Why the own colour of a pixel is not to be trusted.</summary>
public enum ColourDoubt : byte
{
    None,

    /// <summary>No receiving piece is there.</summary>
    NoSet,

    /// <summary>The edge of a shadow: where the set puts it and where it fell differ by a little.</summary>
    ShadowEdge,

    /// <summary>So little light that noise and what is not modelled tell the colour.</summary>
    Dark,

    /// <summary>More comes back than falls in: a glint, a mirror, or light that is not in the rig.</summary>
    TooBright,
}

/// <summary>
/// Surfaces apart from the light on them: albedo = π · plate / E, E the irradiance from the plate's own lights (Lambert's law).
/// </summary>
public static class OwnColour
{
    /// <summary>Irradiance below this share of its median over the set is told as dark.</summary>
    private const float Dark = 0.01f;

    public static (FloatImage Albedo, ColourDoubt[] Doubt) Of(FloatImage plate, SetLight light)
    {
        int n = plate.Width * plate.Height;
        if (light.Irradiance.Width != plate.Width || light.Irradiance.Height != plate.Height)
        {
            throw new ArgumentException("plate and light are of one size");
        }
        float Level(int i) => Luminance.Of(light.Irradiance.Data.AsSpan(3 * i, 3));
        float[] levels = [.. Enumerable.Range(0, n).Where(i => light.Sun[i] >= 0).Select(Level).Order()];
        float least = levels.Length == 0 ? 0 : Dark * levels[levels.Length / 2];
        var albedo = new FloatImage(plate.Width, plate.Height, 3);
        var doubt = new ColourDoubt[n];
        Parallel.For(0, plate.Height, Cores.All, y =>
        {
            for (int i = y * plate.Width; i < (y + 1) * plate.Width; i++)
            {
                if (light.Sun[i] < 0)
                {
                    doubt[i] = ColourDoubt.NoSet;
                    continue;
                }
                bool bright = false;
                for (int c = 0; c < 3; c++)
                {
                    float e = light.Irradiance.Data[3 * i + c],
                        a = e > 0 ? MathF.PI * plate.Data[3 * i + c] / e : 0;
                    bright |= a > 1;
                    albedo.Data[3 * i + c] = a;
                }
                doubt[i] =
                    Level(i) <= least ? ColourDoubt.Dark
                    : light.Sun[i] is > 0.02f and < 0.98f ? ColourDoubt.ShadowEdge
                    : bright ? ColourDoubt.TooBright
                    : ColourDoubt.None;
            }
        });
        return (albedo, doubt);
    }

    /// <summary>The way back: what a surface of that colour shows under the light. Where no light is known it stays dark.</summary>
    public static FloatImage Lit(FloatImage albedo, SetLight light)
    {
        var result = new FloatImage(albedo.Width, albedo.Height, 3);
        for (int i = 0; i < result.Data.Length; i++)
        {
            result.Data[i] = albedo.Data[i] * light.Irradiance.Data[i] / MathF.PI;
        }
        return result;
    }
}
