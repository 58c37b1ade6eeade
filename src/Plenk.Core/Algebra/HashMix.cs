namespace Plenk.Core.Algebra;

/// <summary>Numbers that look random and are the same everywhere.</summary>
public static class HashMix
{
    /// <summary>A well-mixed 32-bit hash (Wellons' "lowbias32").</summary>
    public static uint Of(uint x)
    {
        x ^= x >> 16;
        x *= 0x7FEB352Du;
        x ^= x >> 15;
        x *= 0x846CA68Bu;
        return x ^ (x >> 16);
    }
}
