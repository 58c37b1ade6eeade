using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Sets;

/// <summary>Holdouts that are given in pixels, as millimetres in one frame: at the piece's own distance from the camera.</summary>
public static class Holdouts
{
    public static ShotDocument At(ShotDocument shot, Pose camera, Pinhole pinhole)
    {
        if (shot.Pieces.All(p => p.Duties.HoldoutPixels == 0))
        {
            return shot;
        }
        return shot with
        {
            Pieces =
            [
                .. shot.Pieces.Select(p =>
                {
                    double depth = -camera
                        .ToLocal(
                            p.Position
                                + new Vec3(
                                    0,
                                    p.Kind is PieceKind.Box or PieceKind.Cylinder or PieceKind.Stairs or PieceKind.Arch ? p.Size.Y / 2 : 0,
                                    0
                                )
                        )
                        .Z;
                    return p.Duties.HoldoutPixels == 0 || !(depth > 0)
                        ? p
                        : p with
                        {
                            Duties = p.Duties with
                            {
                                HoldoutMillimetres = p.Duties.HoldoutMillimetres + 1000 * p.Duties.HoldoutPixels * depth / pinhole.Fx,
                                HoldoutPixels = 0,
                            },
                        };
                }),
            ],
        };
    }
}
