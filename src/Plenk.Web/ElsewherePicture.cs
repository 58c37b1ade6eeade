using Plenk.Core.Cameras;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Web;

/// <summary>A view from elsewhere small enough to be looked at while it is set up; what nothing covers is hatched.</summary>
public static class ElsewherePicture
{
    public static byte[] Of(ShotEngine engine, ShotDocument shot, OtherView view, int frame, int width, CancellationToken stop)
    {
        IViewRays full = ElsewhereWork.Rays(engine, shot, view with { SphereWidth = 2 * (width / 2), FisheyeWidth = width }, frame);
        IViewRays rays = full is RayGrid grid
            ? new RayGrid(
                grid.Pinhole.Resized(width, Math.Max(1, grid.Height * width / grid.Width)),
                ElsewhereWork.PoseOf(engine, shot, view, frame)
            )
            : full;
        FloatImage seen = engine.Projection.Projected(shot, rays, frame, 2, stop);
        FloatImage whole = view.Filled ? ElsewhereWork.Filled(seen, view.Spot is not null) : seen;
        var shown = new FloatImage(seen.Width, seen.Height, 3);
        for (int y = 0; y < seen.Height; y++)
        {
            for (int x = 0; x < seen.Width; x++)
            {
                float open = 1 - seen[x, y, 3],
                    hatch = (x + y) % 9 < 2 ? 0.02f : 0.19f;
                for (int c = 0; c < 3; c++)
                {
                    shown[x, y, c] = view.Filled
                        ? open > 0.5f && (x + y) % 9 < 1
                            ? 0.5f * whole[x, y, c]
                            : whole[x, y, c]
                        : seen[x, y, c] + open * hatch;
                }
            }
        }
        ColorSpace space = shot.Plate?.Space ?? ColorSpace.Srgb;
        CodeImage codes = CodeImage.FromLinear(shown, space, 16).Through(engine.Plates.View(shot, SeenThrough.Display));
        return RasterFile.ToJpeg(codes with { Bits = 8, Codes = Array.ConvertAll(codes.Codes, c => (ushort)(c >> 8)) }, 88);
    }
}
