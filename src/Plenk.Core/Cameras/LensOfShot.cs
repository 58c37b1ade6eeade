using Plenk.Core.Shots;

namespace Plenk.Core.Cameras;

/// <summary>A document's lens as one that distorts.</summary>
public static class LensOfShot
{
    public static Lens ToLens(this LensValues v) => new(v.K1, v.K2, v.P1, v.P2, v.K3);
}
