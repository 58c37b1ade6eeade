using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Tests;

/// <summary>A frame made by hand, for steps of the finish.</summary>
internal static class FinishScene
{
    public const int W = 64,
        H = 48;
    public static readonly Pinhole Camera = new(W, H, 80, 80, W / 2.0, H / 2.0, Lens.None);

    /// <summary>A frame whose element fills a rectangle, 5 m away, over an even plate.</summary>
    public static (FrameLayers Layers, FloatImage Plate) Scene(
        Vector4 colour,
        Func<int, int, bool>? where = null,
        float plate = 0.3f,
        float shadow = 1
    )
    {
        var element = new FloatImage(W, H, 4);
        var distance = new float[W * H];
        Array.Fill(distance, float.PositiveInfinity);
        for (int y = 0; y < H; y++)
        {
            for (int x = 0; x < W; x++)
            {
                if (!(where?.Invoke(x, y) ?? (x is >= 20 and < 44 && y is >= 12 and < 36)))
                {
                    continue;
                }
                (element[x, y, 0], element[x, y, 1], element[x, y, 2], element[x, y, 3]) = (colour.X, colour.Y, colour.Z, colour.W);
                distance[y * W + x] = 5;
            }
        }
        FloatImage Even(float v) => new(W, H, 3, [.. Enumerable.Repeat(v, W * H * 3)]);
        FloatImage picture = Even(plate),
            ratio = Even(shadow),
            zero = new(W, H, 3),
            one = new(W, H, 1);
        var (comp, touched) = FrameMerge.Over(element, picture, ratio, null, zero, null, []);
        return (
            new(comp, element, one, ratio, zero, one, one, new(W, H, 1, [.. Enumerable.Repeat(9f, W * H)]), zero, zero)
            {
                Touched = touched,
                Counts = default,
                Held = element,
                Distance = distance,
            },
            picture
        );
    }

    public static FrameLayers Run((FrameLayers Layers, FloatImage Plate) scene, params FinishStep[] steps) =>
        Finisher.Run(scene.Layers, scene.Plate, steps, new(Camera, 1, 36, 1001, 0, 7));

    public static FinishStep Step(FinishKind kind) => new() { Id = kind.ToString(), Kind = kind };
}
