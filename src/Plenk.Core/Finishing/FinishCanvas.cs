using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// A frame while its steps are laid on: what elements show, whole and held out, their shadow and what they add, and after the merge the
/// picture. Steps before the merge change the element (and its shadow) only; those after it say by <see cref="Touched"/> where the picture
/// is no longer the plate's.
/// </summary>
public sealed class FinishCanvas
{
    public FinishCanvas(FrameLayers layers, FloatImage plate, FinishContext context)
    {
        (Layers, Plate, Context, Background) = (layers, layers.Background?.Rgb ?? plate, context, layers.Background);
        (Element, Held, Shadow, Added, Mirror, Near) = (
            layers.Element.Copy(),
            layers.Held.Copy(),
            layers.Shadow,
            layers.Added,
            layers.Mirror,
            layers.Near
        );
        Box = PixelBox.Of(Element).With(PixelBox.Of(Held));
    }

    /// <summary>As they were rendered.</summary>
    public FrameLayers Layers { get; }

    /// <summary>What lies under the elements: the plate, or the background that stands for it.</summary>
    public FloatImage Plate { get; private set; }

    /// <summary>The same with what it consists of; null: it is the plate.</summary>
    public Background? Background { get; private set; }
    public FinishContext Context { get; }
    public int Width => Plate.Width;
    public int Height => Plate.Height;

    /// <summary>RGBA, premultiplied, before and after holding out; changed in place.</summary>
    public FloatImage Element { get; }
    public FloatImage Held { get; }

    /// <summary>By channel, the share of the plate's light that is left.</summary>
    public FloatImage Shadow { get; set; }
    public FloatImage Added { get; set; }

    /// <summary>Shadows that were drawn, each by itself, under the id of its matte.</summary>
    public List<(string Matte, FloatImage Rgb)> Drawn { get; } = [];

    /// <summary>What is seen of elements in mirroring pieces; null: nothing mirrors.</summary>
    public FloatImage? Mirror { get; set; }

    /// <summary>The contact look on the set; null: none.</summary>
    public float[]? Near { get; set; }

    /// <summary>The merged picture, and where it is no longer the plate; only after the merge.</summary>
    public FloatImage Comp { get; set; } = null!;
    public bool[] Touched { get; set; } = null!;

    /// <summary>Outside of it elements show nothing; steps work within it alone.</summary>
    public PixelBox Box { get; set; }

    /// <summary>The element over the plate.</summary>
    public void Merge() => (Comp, Touched) = FrameMerge.Over(Held, Plate, Shadow, Near, Added, Mirror, Layers.Mattes, Background?.Touched);

    /// <summary>The frame as it is now.</summary>
    public FrameLayers Frame()
    {
        var holdout = new FloatImage(Width, Height, 1);
        for (int i = 0; i < holdout.Data.Length; i++)
        {
            holdout.Data[i] = MathF.Max(0, Element.Data[4 * i + 3] - Held.Data[4 * i + 3]);
        }
        return Layers with
        {
            Comp = Comp,
            Touched = Touched,
            Element = Element,
            Held = Held,
            Holdout = holdout,
            Shadow = Shadow,
            Drawn = [.. Drawn],
            Added = Added,
            Mirror = Mirror,
            Near = Near,
            Background = Background,
        };
    }

    /// <summary>How much of a step each pixel takes: strength, matte, and the share of the chosen objects.</summary>
    public float[] Mask(FinishStep s)
    {
        var mask = new float[Width * Height];
        Array.Fill(mask, (float)Math.Clamp(s.Strength, 0, 1));
        if (s.Matte is { } id)
        {
            float[] matte = (Context.Matte ?? throw new FinishFault("That matte is not at hand here."))(id);
            for (int i = 0; i < mask.Length; i++)
            {
                mask[i] *= s.OutsideMatte ? 1 - matte[i] : matte[i];
            }
        }
        if (s.Sphere is { } sphere)
        {
            var (radius, strength) = AirSpheres.At(sphere, Context.Frame, Context.FramesPerSecond);
            float[]? air =
                strength > 0 && (sphere.On is null ? sphere.Place : Context.Places?.Invoke(sphere.On)) is { } middle
                    ? AirSpheres.Coverage(
                        Context.CameraToWorld.ToLocal(middle),
                        radius,
                        sphere.Shell,
                        Context.Pinhole,
                        Layers.Depth,
                        sphere.Lies ? sphere.SoftMetres : null
                    )
                    : null;
            for (int i = 0; i < mask.Length; i++)
            {
                mask[i] *= (float)strength * (air?[i] ?? 0);
            }
        }
        if (s.Band is { } band)
        {
            float[] place = FinishBands.Coverage(band, Context.CameraToWorld, Context.Pinhole, Layers.Depth);
            for (int i = 0; i < mask.Length; i++)
            {
                mask[i] *= place[i];
            }
        }
        void Share(float[] of, bool keep)
        {
            for (int i = 0; i < mask.Length; i++)
            {
                float shown = Layers.Held.Data[4 * i + 3],
                    share = shown > 0 ? MathF.Min(1, of[i] / shown) : 0;
                mask[i] *= keep ? share : 1 - share;
            }
        }
        if (s.Objects.Count + s.RenderedIds.Count > 0)
        {
            Share(Chosen(s, Layers.Objects ?? throw NoIds()), true);
        }
        if (s.Materials.Count > 0)
        {
            Share((Layers.Materials ?? throw NoIds()).Of([.. s.Materials]), true);
        }
        if (s.Except.Count > 0)
        {
            Share((Layers.Objects ?? throw NoIds()).Of([.. s.Except]), false);
        }
        return mask;
    }

    /// <summary>How much of each pixel the chosen elements show, and the chosen parts of rendered ones by their own ID mattes.</summary>
    private float[] Chosen(FinishStep s, IdMatte objects)
    {
        float[] sum = s.Objects.Count > 0 ? objects.Of([.. s.Objects]) : new float[Width * Height];
        foreach (RenderedId part in s.RenderedIds.Where(p => !s.Objects.Contains(p.Element)))
        {
            if (
                Layers.Rendered.FirstOrDefault(r => r.Id == part.Element) is not { } layer
                || !layer.Ids.TryGetValue(part, out float[]? own)
            )
            {
                continue;
            }
            float[] shown = objects.Of([part.Element]);
            for (int i = 0; i < sum.Length; i++)
            {
                float all = layer.Rgba.Data[4 * i + 3];
                if (all > 0 && own[i] > 0)
                {
                    sum[i] += shown[i] * MathF.Min(1, own[i] / all);
                }
            }
        }
        return sum;
    }

    private static FinishFault NoIds() => new("A step is kept to some objects, but the frame came without ID mattes.");

    /// <summary>Changes the colour of what elements show, premultiplied, and what mirrors show of them is left.</summary>
    public void Recolour(FinishStep s, Func<Vector3, float, int, Vector3> to)
    {
        float[] mask = Mask(s);
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[Element, Held])
        {
            Parallel.For(Box.Y0, Box.Y1, Cores.All, y =>
            {
                for (int i = y * Width + Box.X0; i < y * Width + Box.X1; i++)
                {
                    Span<float> p = image.Data.AsSpan(4 * i, 4);
                    if ((p[3] <= 0 && p[0] == 0 && p[1] == 0 && p[2] == 0) || mask[i] <= 0)
                    {
                        continue;
                    }
                    var c = new Vector3(p[0], p[1], p[2]);
                    c += mask[i] * (to(c, p[3], i) - c);
                    (p[0], p[1], p[2]) = (c.X, c.Y, c.Z);
                }
            });
        }
    }

    /// <summary>
    /// Changes the colour of the seen pieces that a step is kept to, as far as elements and what was filmed before them leave them to be
    /// seen; where it is kept to none, nothing.
    /// </summary>
    /// <param name="to">Of a colour that is not premultiplied.</param>
    public void RecolourPieces(FinishStep s, Func<Vector3, Vector3> to)
    {
        string[] chosen = [.. s.Objects.Where(Context.SeenPieces.ContainsKey)];
        if (chosen.Length == 0 || Background is null)
        {
            return;
        }
        IdMatte ids = Layers.Objects ?? throw NoIds();
        float[] mask = Mask(s with { Objects = [], RenderedIds = [], Materials = [], Except = [] }),
            all = ids.Of(chosen),
            isNew = ids.Of([.. chosen.Where(id => Context.SeenPieces[id])]);
        FloatImage rgba = Background.Rgba.Copy();
        FloatImage? pieces = Background.Pieces?.Copy();
        Parallel.For(0, Height, Cores.All, y =>
        {
            for (int i = y * Width; i < (y + 1) * Width; i++)
            {
                float open = 1 - Layers.Held.Data[4 * i + 3],
                    alpha = rgba.Data[4 * i + 3],
                    share = mask[i] * (open > 0 ? MathF.Min(1, all[i] / open) : 0);
                foreach (HidingMatte m in Layers.Mattes)
                {
                    share *= 1 - MathF.Min(1, m.Coverage[i]);
                }
                if (share <= 0 || alpha <= 0)
                {
                    continue;
                }
                var c = new Vector3(rgba.Data[4 * i], rgba.Data[4 * i + 1], rgba.Data[4 * i + 2]);
                Vector3 change = share * (alpha * to(c / alpha) - c);
                for (int k = 0; k < 3; k++)
                {
                    rgba.Data[4 * i + k] += change[k];
                    if (pieces is not null)
                    {
                        pieces.Data[4 * i + k] += change[k] * (isNew[i] / all[i]);
                    }
                }
            }
        });
        Background = new(rgba, Background.Touched) { Closed = Background.Closed, Pieces = pieces };
        Plate = Background.Rgb;
    }

    /// <summary>Another picture in the place of the element's, premultiplied; laid on by strength and matte.</summary>
    /// <param name="reach">By so many pixels it may grow.</param>
    /// <param name="to">Of the part within a box.</param>
    public void Replace(FinishStep s, int reach, Func<FloatImage, PixelBox, FloatImage> to)
    {
        float[] mask = Mask(s);
        // What lies beyond the new bounds' border is asked for as well: there is nothing, and that is as it is beyond a picture's own border.
        Box = Box.Grown(reach + 1, Width, Height);
        if (Box.IsEmpty)
        {
            return;
        }
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[Element, Held])
        {
            Blend(image, to(image.Cut(Box), Box), mask);
        }
    }

    /// <summary>A part's new picture into the whole one.</summary>
    private void Blend(FloatImage whole, FloatImage part, float[] mask)
    {
        for (int y = 0; y < Box.Height; y++)
        {
            ReadOnlySpan<float> from = part.Row(y);
            for (int x = 0; x < Box.Width; x++)
            {
                int i = (Box.Y0 + y) * Width + Box.X0 + x;
                Span<float> to = whole.Data.AsSpan(4 * i, 4);
                if (mask[i] >= 1)
                {
                    from.Slice(4 * x, 4).CopyTo(to);
                    continue;
                }
                for (int c = 0; c < 4; c++)
                {
                    to[c] += mask[i] * (from[4 * x + c] - to[c]);
                }
            }
        }
    }
}
