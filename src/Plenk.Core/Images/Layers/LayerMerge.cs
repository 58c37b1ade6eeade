using System.Numerics;

namespace Plenk.Core.Images.Layers;

/// <summary>
/// Layers that can stand by themselves in depth. One that is only laid over is such a layer already. One that blends does so with whatever
/// lies beneath it: its change is made in each of those (source-atop, W3C Compositing and Blending Level 1, 9.1.10), and where the plate
/// is seen, in the plate, as a layer of its own at the very back. Seen from where they were painted they make the same picture: exactly where what
/// lies beneath is opaque or not there and, for blends that are straight in the backdrop (multiply, screen, plus), everywhere.
/// </summary>
public static class LayerMerge
{
    /// <summary>How much of a layer must show on the plate for its change of that to be kept.</summary>
    private const float LeastShown = 1f / 255;

    /// <summary>On the canvas, from the back; hidden ones are left out.</summary>
    /// <param name="plate">RGB of the canvas in the file's encoding.</param>
    /// <param name="told">What became of layers that blend.</param>
    public static IReadOnlyList<PaintLayer> Standing(LayeredPicture file, FloatImage plate, List<string> told)
    {
        var standing = new List<PaintLayer>();
        var onPlate = new List<PaintLayer>();
        plate = plate.Copy();
        foreach (PaintLayer layer in file.Layers.Where(l => !l.Hidden && l.Opacity > 0))
        {
            FloatImage canvas = OnCanvas(layer, file.Width, file.Height);
            if (layer is { Blend: LayerBlend.Normal, Clipped: false })
            {
                standing.Add(layer with { Picture = canvas, X = 0, Y = 0, Opacity = 1 });
                continue;
            }
            FloatImage? changed = layer.Clipped && standing.Count > 0 ? null : OfPlate(canvas, layer, plate, standing);
            for (int i = 0; i < standing.Count; i++)
            {
                if (Overlap(canvas, standing[i].Picture))
                {
                    standing[i] = standing[i] with { Picture = Atop(canvas, layer.Blend, standing[i].Picture) };
                }
            }
            string how = layer.Clipped ? "cut to what lies beneath" : $"blended as {layer.Blend}";
            told.Add(
                $"{layer.Name} ({how}) was worked into the layers under it{(changed is null ? "" : ", and into the plate where it shows")}."
            );
            if (changed is not null)
            {
                onPlate.Add(new(layer.Name, changed));
                for (int i = 0; i < plate.Width * plate.Height; i++)
                {
                    Put(plate, 3, i, Vector3.Lerp(Rgb(plate, 3, i), Rgb(changed, 4, i), changed.Data[4 * i + 3]));
                }
            }
        }
        return [.. onPlate, .. standing];
    }

    /// <summary>All of it as one picture over the plate, in the file's encoding: RGB.</summary>
    public static FloatImage Flat(LayeredPicture file, FloatImage plate)
    {
        FloatImage flat = plate.Copy();
        var covered = new float[plate.Width * plate.Height];
        foreach (PaintLayer layer in file.Layers.Where(l => !l.Hidden && l.Opacity > 0))
        {
            FloatImage canvas = OnCanvas(layer, file.Width, file.Height);
            for (int i = 0; i < covered.Length; i++)
            {
                float a = canvas.Data[4 * i + 3] * (layer.Clipped ? covered[i] : 1);
                if (a > 0)
                {
                    Vector3 b = Rgb(flat, 3, i);
                    Put(flat, 3, i, Vector3.Lerp(b, LayerBlends.Of(layer.Blend, b, Rgb(canvas, 4, i)), a));
                    covered[i] = layer.Clipped ? covered[i] : covered[i] + a - covered[i] * a;
                }
            }
        }
        return flat;
    }

    /// <summary>The layer with its opacity, cut or filled up to the canvas.</summary>
    public static FloatImage OnCanvas(PaintLayer layer, int width, int height)
    {
        FloatImage from = layer.Picture;
        var to = new FloatImage(width, height, 4);
        int left = Math.Max(0, layer.X),
            right = (int)Math.Min(width, (long)layer.X + from.Width);
        for (int y = Math.Max(0, layer.Y); y < Math.Min(height, (long)layer.Y + from.Height) && right > left; y++)
        {
            from.Data.AsSpan(4 * ((y - layer.Y) * from.Width + left - layer.X), 4 * (right - left))
                .CopyTo(to.Data.AsSpan(4 * (y * width + left)));
        }
        if (layer.Opacity < 1)
        {
            for (int i = 3; i < to.Data.Length; i += 4)
            {
                to.Data[i] *= (float)layer.Opacity;
            }
        }
        return to;
    }

    private static Vector3 Rgb(FloatImage p, int channels, int i) =>
        new(p.Data[channels * i], p.Data[channels * i + 1], p.Data[channels * i + 2]);

    private static void Put(FloatImage p, int channels, int i, Vector3 v) =>
        (p.Data[channels * i], p.Data[channels * i + 1], p.Data[channels * i + 2]) = (v.X, v.Y, v.Z);

    private static bool Overlap(FloatImage a, FloatImage b)
    {
        for (int i = 3; i < a.Data.Length; i += 4)
        {
            if (a.Data[i] > 0 && b.Data[i] > 0)
            {
                return true;
            }
        }
        return false;
    }

    private static FloatImage Atop(FloatImage layer, LayerBlend blend, FloatImage under)
    {
        FloatImage made = under.Copy();
        for (int i = 0; i < made.Width * made.Height; i++)
        {
            float a = layer.Data[4 * i + 3];
            if (a > 0 && under.Data[4 * i + 3] > 0)
            {
                Vector3 b = Rgb(under, 4, i);
                Put(made, 4, i, Vector3.Lerp(b, LayerBlends.Of(blend, b, Rgb(layer, 4, i)), a));
            }
        }
        return made;
    }

    /// <summary>What it makes of the plate where that is seen; null: that is nowhere.</summary>
    private static FloatImage? OfPlate(FloatImage canvas, PaintLayer layer, FloatImage plate, List<PaintLayer> over)
    {
        var made = new FloatImage(canvas.Width, canvas.Height, 4);
        bool shows = false;
        for (int i = 0; i < made.Width * made.Height; i++)
        {
            float a = canvas.Data[4 * i + 3],
                open = a;
            if (a <= 0)
            {
                continue;
            }
            foreach (PaintLayer o in over)
            {
                open *= 1 - o.Picture.Data[4 * i + 3];
            }
            shows |= open > LeastShown;
            Put(made, 4, i, LayerBlends.Of(layer.Blend, Rgb(plate, 3, i), Rgb(canvas, 4, i)));
            made.Data[4 * i + 3] = a;
        }
        return shows ? made : null;
    }
}
