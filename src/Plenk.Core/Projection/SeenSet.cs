using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>Set and camera at one moment while the shutter is open.</summary>
/// <param name="ToFrame">By piece, what takes it to where it stands at the frame itself; null: nothing moves.</param>
public sealed record SeenMoment(RayGrid Camera, SetScene Set, IReadOnlyList<Similarity?>? ToFrame = null);

/// <summary>
/// Pieces that are seen, over the plate and behind what was filmed before them: each sample goes from near to far through what is seen
/// (Porter and Duff 1984, over) until it is closed or comes to a piece that stands for what the plate shows.
/// </summary>
public static class SeenSet
{
    /// <summary>So many see-through layers along a ray, then it is taken for closed.</summary>
    internal const int MostLayers = 24;

    /// <summary>From this share on nothing is seen through.</summary>
    private const float Whole = 0.9999f;

    /// <summary>Below this share nothing more is asked for.</summary>
    private const float Closed = 1e-3f;

    /// <param name="plate">Linear RGB on the camera's grid.</param>
    /// <param name="cleaned">
    /// By pixel of a clean plate: it is not what was filmed, and what was filmed before the pieces is not in it. Null: it is the plate.
    /// </param>
    /// <param name="before">What was filmed before the pieces, each with its foreground.</param>
    /// <param name="quiet">How much of each pixel comes from pictures without grain.</param>
    /// <param name="light">Of pieces that are not shown as filmed; null: all are.</param>
    /// <param name="shows">By piece and pixel, how much of it is seen there, 0..1; null: all of it.</param>
    /// <param name="samples">A pixel, shared out over the moments; a multiple of their number.</param>
    public static Background Render(
        IReadOnlyList<SeenMoment> moments,
        FloatImage plate,
        bool[]? cleaned,
        IReadOnlyList<Projector> projectors,
        IReadOnlyList<BakedSurface?>? baked,
        IReadOnlyList<HidingMatte> before,
        BackgroundKind behind,
        SourceMix mix,
        int samples,
        uint seed,
        out float[] quiet,
        CancellationToken stop = default,
        SeenLight? light = null,
        IReadOnlyList<float[]?>? shows = null
    )
    {
        int width = plate.Width,
            height = plate.Height,
            each = Math.Max(1, samples / moments.Count);
        var image = new FloatImage(width, height, 4);
        FloatImage? pieces = moments[0].Set.Pieces.Any(p => p is { IsSeen: true, Duties.New: true }) ? new(width, height, 4) : null;
        var touched = new bool[width * height];
        var grainless = new float[width * height];
        var closed = new bool[width * height];
        HidingMatte[] near = [.. before.OrderBy(b => b.Beyond)],
            laid = [.. before.Where(b => b.IsLaid)];
        bool onPlate = behind != BackgroundKind.Nothing,
            standsForPlate = behind is BackgroundKind.Plate or BackgroundKind.Clean,
            anySeen = moments[0].Set.Pieces.Any(p => p.IsSeen);
        var scene = new Scene(projectors, baked, near, mix, onPlate, standsForPlate, light, shows);
        Parallel.For(0, height, Cores.Until(stop), y =>
        {
            for (int x = 0; x < width; x++)
            {
                int pixel = y * width + x;
                uint pixelSeed = Sampling.PixelSeed(x, y, seed);
                var own = new Vector3(plate.Data[3 * pixel], plate.Data[3 * pixel + 1], plate.Data[3 * pixel + 2]);
                var sum = new Pixel { Filmed = cleaned?[pixel] != true && !Array.Exists(laid, m => m.Coverage[pixel] > 0) };
                uint index = 0;
                foreach (SeenMoment moment in anySeen ? moments : [])
                {
                    float spread = moment.Camera.PixelAngle(x, y) / MathF.Sqrt(each * moments.Count);
                    for (int i = 0; i < each; i++, index++)
                    {
                        Vector2 spot = each * moments.Count == 1 ? new(0.5f, 0.5f) : Sampling.Point(index, pixelSeed, 0);
                        Sample(moment, x, y, spot, pixel, spread, scene, index, pixelSeed, ref sum);
                    }
                }
                if (!anySeen)
                {
                    index = 1;
                    float leaves = 1;
                    Behind(near, 0, pixel, 1, default, ref leaves, onPlate, ref sum);
                }
                closed[pixel] = !sum.Open;
                Span<float> to = image.Pixel(x, y);
                float n = index;
                if (onPlate && sum.Replaced <= 0 && sum.Filmed)
                {
                    (to[0], to[1], to[2], to[3]) = (own.X, own.Y, own.Z, 1);
                    continue;
                }
                Vector3 c = (sum.Rgb + sum.PlateShare * own) / n;
                (to[0], to[1], to[2], to[3]) = (c.X, c.Y, c.Z, onPlate ? 1 : MathF.Min(1, sum.Alpha / n));
                touched[pixel] = true;
                grainless[pixel] = sum.Quiet / n;
                if (pieces is not null)
                {
                    Vector3 shown = (sum.NewRgb + sum.NewPlateShare * own) / n;
                    Span<float> piece = pieces.Pixel(x, y);
                    (piece[0], piece[1], piece[2], piece[3]) = (shown.X, shown.Y, shown.Z, MathF.Min(1, sum.NewAlpha / n));
                }
            }
        });
        quiet = grainless;
        return new(image, touched) { Closed = closed, Pieces = pieces };
    }

    /// <summary>What all samples have in common.</summary>
    private sealed record Scene(
        IReadOnlyList<Projector> Projectors,
        IReadOnlyList<BakedSurface?>? Baked,
        HidingMatte[] Near,
        SourceMix Mix,
        bool OnPlate,
        bool StandsForPlate,
        SeenLight? Light,
        IReadOnlyList<float[]?>? Shows
    );

    private struct Pixel
    {
        public Vector3 Rgb;

        /// <summary>The plate's pixel is what was filmed; of a clean plate, and where something from another is laid on, it need not be.</summary>
        public bool Filmed;

        /// <summary>A seen piece that is met first leaves something open.</summary>
        public bool Open;

        /// <summary>Of the plate's own pixel as it is; of what is no longer it; and all that is not see-through.</summary>
        public float PlateShare,
            Replaced,
            Alpha,
            Quiet;

        /// <summary>Of these what new pieces show.</summary>
        public Vector3 NewRgb;
        public float NewPlateShare,
            NewAlpha;
    }

    private static void Sample(
        SeenMoment moment,
        int x,
        int y,
        Vector2 spot,
        int pixel,
        float spread,
        Scene scene,
        uint index,
        uint seed,
        ref Pixel sum
    )
    {
        var (near, onPlate) = (scene.Near, scene.OnPlate);
        float open = 1;
        Vector3 filmed = default; // what was filmed before the piece that is looked at, and what it leaves open
        float leaves = 1;
        int laid = 0;
        if (moment.Camera.TryDirection(x, y, spot, out Vector3 d))
        {
            var ray = new Ray(moment.Camera.Origin, d);
            for (int layer = 0; layer < MostLayers && open > Closed; layer++)
            {
                Hit hit = moment.Set.Scene.Intersect(ray, RayKinds.CameraSet);
                if (!hit.IsHit)
                {
                    break;
                }
                ray = ray.Beyond(hit);
                int number = moment.Set.PieceOf(hit);
                Piece piece = moment.Set.Pieces[number];
                if (!piece.IsSeen)
                {
                    // It stands for what the plate shows; without the plate it stands for nothing.
                    if (scene.StandsForPlate && piece.Duties.Hides)
                    {
                        break;
                    }
                    continue;
                }
                Vector4 c = ProjectedView.Worn(
                    moment.Set,
                    hit,
                    ray,
                    spread,
                    scene.Projectors,
                    scene.Baked,
                    moment.ToFrame,
                    scene.Mix,
                    out float lookedAt,
                    out float quiet,
                    scene.Light,
                    index,
                    seed
                );
                c *= scene.Shows?[number]?[pixel] ?? 1;
                sum.Open |= c.W < Whole;
                if (c.W <= 0)
                {
                    continue;
                }
                for (; laid < near.Length && near[laid].Beyond < hit.T; laid++)
                {
                    Before(near[laid], pixel, ref filmed, ref leaves);
                }
                float alpha = MathF.Min(1, c.W),
                    same = alpha * lookedAt,
                    other = alpha - same;
                // The very frame looked at shows what stands before the piece as well; anything else is seen behind it.
                sum.PlateShare += open * same * (sum.Filmed ? 1 : leaves);
                sum.Rgb += sum.Filmed ? default : open * same * filmed;
                sum.Alpha += open * same;
                Vector3 rgb = new(c.X, c.Y, c.Z);
                if (other > 0)
                {
                    sum.Rgb += open * (other * filmed + leaves * rgb);
                    sum.Alpha += open * other;
                    sum.Replaced += open * other;
                    sum.Quiet += open * leaves * alpha * quiet;
                }
                if (piece.Duties.New)
                {
                    sum.NewRgb += open * leaves * rgb;
                    sum.NewPlateShare += open * same * (sum.Filmed ? 1 : leaves);
                    sum.NewAlpha += open * (other * leaves + same * (sum.Filmed ? 1 : leaves));
                }
                open *= 1 - alpha;
            }
        }
        if (open <= 0)
        {
            return;
        }
        Behind(near, laid, pixel, open, filmed, ref leaves, onPlate, ref sum);
    }

    /// <summary>What is behind all that is seen, and before it what was filmed.</summary>
    private static void Behind(
        HidingMatte[] near,
        int laid,
        int pixel,
        float open,
        Vector3 filmed,
        ref float leaves,
        bool onPlate,
        ref Pixel sum
    )
    {
        if (onPlate && sum.Filmed)
        {
            sum.PlateShare += open;
            sum.Alpha += open;
            return;
        }
        for (; laid < near.Length; laid++)
        {
            Before(near[laid], pixel, ref filmed, ref leaves);
        }
        sum.Rgb += open * filmed;
        sum.PlateShare += onPlate ? open * leaves : 0;
        sum.Alpha += open * (onPlate ? 1 : 1 - leaves);
    }

    private static void Before(HidingMatte b, int pixel, ref Vector3 filmed, ref float leaves)
    {
        float m = b.Coverage[pixel];
        if (m <= 0)
        {
            return;
        }
        filmed += leaves * new Vector3(b.Foreground!.Data[3 * pixel], b.Foreground!.Data[3 * pixel + 1], b.Foreground!.Data[3 * pixel + 2]);
        leaves *= 1 - MathF.Min(1, m);
    }
}
