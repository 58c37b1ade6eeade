namespace Plenk.Core.Images;

/// <summary>Cubic interpolation through four neighbours (Catmull and Rom 1974).</summary>
internal static class CatmullRom
{
    /// <summary>Weights of the neighbours at −1, 0, 1 and 2 for a place between 0 and 1.</summary>
    public static void Weights(float t, Span<float> w)
    {
        w[0] = t * (-0.5f + t * (1 - 0.5f * t));
        w[1] = 1 + t * t * (-2.5f + 1.5f * t);
        w[2] = t * (0.5f + t * (2 - 1.5f * t));
        w[3] = t * t * (-0.5f + 0.5f * t);
    }
}
