using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// Lays the steps of a shot on a rendered frame, in the order of <see cref="FinishKind"/>. Steps before the merge change the element (and its
/// shadow) only; those after it say by <see cref="FrameLayers.Touched"/> where the picture is no longer the plate's.
/// </summary>
public sealed class Finisher
{
    private readonly FinishContext _context;
    private readonly FloatImage _plate;
    private readonly FrameLayers _layers;
    private readonly int _width, _height;
    private FloatImage _element, _held, _shadow, _added;
    private FloatImage? _mirror;
    private float[]? _near;
    private FloatImage? _comp;
    private bool[]? _touched;

    /// <summary>Outside of it elements show nothing; steps work within it alone.</summary>
    private PixelBox _box;

    private Finisher(FrameLayers layers, FloatImage plate, FinishContext context)
    {
        (_layers, _plate, _context, _width, _height) = (layers, plate, context, plate.Width, plate.Height);
        (_element, _held, _shadow, _added, _mirror, _near) = (layers.Element.Copy(), layers.Held.Copy(), layers.Shadow, layers.Added, layers.Mirror, layers.Near);
        _box = PixelBox.Of(_element).With(PixelBox.Of(_held));
    }

    /// <summary>The frame with its steps; the same where there are none.</summary>
    /// <exception cref="FinishFault">A step cannot be done as it is set.</exception>
    public static FrameLayers Run(FrameLayers layers, FloatImage plate, IReadOnlyList<FinishStep> steps, FinishContext context)
    {
        FinishStep[] order = [.. steps.Where(s => s is { Off: false, Strength: > 0 }).OrderBy(s => s.Kind)];
        bool joins = layers.Rendered.Any(r => r.Shadow is not null);
        if (order.Length == 0 && !joins) { return layers; }
        var own = new Finisher(layers, plate, context);
        if (joins && !order.Any(s => s.Kind == FinishKind.ShadowMerge)) { own.JoinShadows(new()); }
        foreach (FinishStep s in order.Where(s => s.Kind <= FinishKind.ShadowMerge)) { own.Before(s); }
        (own._comp, own._touched) = FrameMerge.Over(own._held, plate, own._shadow, own._near, own._added, own._mirror, layers.Mattes);
        foreach (FinishStep s in order.Where(s => s.Kind > FinishKind.ShadowMerge)) { own.After(s); }
        return own.Frame();
    }

    private FrameLayers Frame()
    {
        var holdout = new FloatImage(_width, _height, 1);
        for (int i = 0; i < holdout.Data.Length; i++) { holdout.Data[i] = MathF.Max(0, _element.Data[4 * i + 3] - _held.Data[4 * i + 3]); }
        return _layers with { Comp = _comp!, Touched = _touched!, Element = _element, Held = _held, Holdout = holdout, Shadow = _shadow, Added = _added, Mirror = _mirror, Near = _near };
    }

    private static T Given<T>(T? settings, FinishStep s) where T : class => settings ?? throw new FinishFault($"The step {s.Kind} has no settings. Take it away and add it again.");

    private void Before(FinishStep s)
    {
        switch (s.Kind)
        {
            case FinishKind.Grade: Graded(s, new(Given(s.Grade, s))); break;
            case FinishKind.Levels:
                {
                    LevelMatch l = Given(s.Levels, s);
                    Graded(s, new(new() { Gain = l.Gain, Lift = l.Lift }));
                    break;
                }
            case FinishKind.Haze:
                {
                    HazeSettings haze = Given(s.Haze, s);
                    Recolour(s, (c, a, i) => Haze.Through(haze, c, a, Haze.Metres(haze, _context.CameraToWorld.Position.Y, haze.ThinsOverMetres is null ? 0 : Rise(i), _layers.Distance[i])));
                    break;
                }
            case FinishKind.Defocus: Defocused(s, Given(s.Defocus, s)); break;
            case FinishKind.Motion:
                {
                    FloatImage motion = Motion();
                    Replace(s, MotionVectors.Reach(_element, motion, s.Degrees), (e, box) => MotionVectors.Apply(e, motion.Cut(box), s.Degrees));
                    break;
                }
            case FinishKind.EdgeWidth: Replace(s, Blur.Reach(s.Pixels * _context.Scale), (e, _) => Blur.Gaussian(e, s.Pixels * _context.Scale)); break;
            case FinishKind.Lens: Marked(s, Given(s.Lens, s)); break;
            case FinishKind.Shadow: Shadowed(s, Given(s.Shadow, s)); break;
            case FinishKind.ShadowMerge: JoinShadows(s.ShadowJoin ?? new(), s); break;
        }
    }

    /// <summary>By pixel, where what is seen of elements goes: by its own vectors where it was rendered elsewhere, else by the frame's; what samples have blurred stands.</summary>
    private FloatImage Motion()
    {
        RenderedLayer[] own = [.. _layers.Rendered.Where(r => r.Motion is not null)];
        if (own.Length == 0 && (_context.BlurredBySamples || _layers.Parts is null))
        {
            throw new FinishFault("Motion by vectors acts on frames rendered elsewhere that bring a motion layer (motion.X, motion.Y); none does. What stands in the set is blurred by the shutter itself: switch the step off.");
        }
        var motion = new FloatImage(_width, _height, 2);
        if (!_context.BlurredBySamples && _layers.Parts is { } parts) { parts.Motion.Data.CopyTo(motion.Data, 0); }
        foreach (RenderedLayer layer in own)
        {
            for (int i = 0; i < _width * _height; i++) { if (layer.Rgba.Data[4 * i + 3] > 0) { layer.Motion!.Data.AsSpan(2 * i, 2).CopyTo(motion.Data.AsSpan(2 * i)); } }
        }
        return motion;
    }

    /// <summary>How much of a step each pixel takes: strength, matte, and the share of the chosen objects.</summary>
    private float[] Mask(FinishStep s)
    {
        var mask = new float[_width * _height];
        Array.Fill(mask, (float)Math.Clamp(s.Strength, 0, 1));
        if (s.Matte is { } id)
        {
            float[] matte = (_context.Matte ?? throw new FinishFault("That matte is not at hand here."))(id);
            for (int i = 0; i < mask.Length; i++) { mask[i] *= s.OutsideMatte ? 1 - matte[i] : matte[i]; }
        }
        void Share(float[] of, bool keep)
        {
            for (int i = 0; i < mask.Length; i++)
            {
                float shown = _layers.Held.Data[4 * i + 3], share = shown > 0 ? MathF.Min(1, of[i] / shown) : 0;
                mask[i] *= keep ? share : 1 - share;
            }
        }
        if (s.Objects.Count + s.RenderedIds.Count > 0) { Share(Chosen(s, _layers.Objects ?? throw NoIds()), true); }
        if (s.Materials.Count > 0) { Share((_layers.Materials ?? throw NoIds()).Of([.. s.Materials]), true); }
        if (s.Except.Count > 0) { Share((_layers.Objects ?? throw NoIds()).Of([.. s.Except]), false); }
        return mask;
    }

    /// <summary>How much of each pixel the chosen elements show, and the chosen parts of rendered ones by their own ID mattes.</summary>
    private float[] Chosen(FinishStep s, IdMatte objects)
    {
        float[] sum = s.Objects.Count > 0 ? objects.Of([.. s.Objects]) : new float[_width * _height];
        foreach (RenderedId part in s.RenderedIds.Where(p => !s.Objects.Contains(p.Element)))
        {
            if (_layers.Rendered.FirstOrDefault(r => r.Id == part.Element) is not { } layer || !layer.Ids.TryGetValue(part, out float[]? own)) { continue; }
            float[] shown = objects.Of([part.Element]);
            for (int i = 0; i < sum.Length; i++)
            {
                float all = layer.Rgba.Data[4 * i + 3];
                if (all > 0 && own[i] > 0) { sum[i] += shown[i] * MathF.Min(1, own[i] / all); }
            }
        }
        return sum;
    }

    /// <summary>How much a pixel's ray rises a metre.</summary>
    private double Rise(int pixel) => _context.Pinhole.TryDirection(pixel % _width + 0.5, pixel / _width + 0.5, out Geometry.Vec3 d) ? (_context.CameraToWorld.Rotation * d).Y / d.Length : 0;

    private static FinishFault NoIds() => new("A step is kept to some objects, but the frame came without ID mattes.");

    /// <summary>Changes the colour of what elements show, premultiplied, and what mirrors show of them is left.</summary>
    private void Recolour(FinishStep s, Func<Vector3, float, int, Vector3> to)
    {
        float[] mask = Mask(s);
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[_element, _held])
        {
            Parallel.For(_box.Y0, _box.Y1, Cores.All, y =>
            {
                for (int i = y * _width + _box.X0; i < y * _width + _box.X1; i++)
                {
                    Span<float> p = image.Data.AsSpan(4 * i, 4);
                    if ((p[3] <= 0 && p[0] == 0 && p[1] == 0 && p[2] == 0) || mask[i] <= 0) { continue; }
                    var c = new Vector3(p[0], p[1], p[2]);
                    c += mask[i] * (to(c, p[3], i) - c);
                    (p[0], p[1], p[2]) = (c.X, c.Y, c.Z);
                }
            });
        }
    }

    private void Graded(FinishStep s, Grading grading)
    {
        if (s.Of == GradePart.Element) { Recolour(s, (c, a, _) => grading.Apply(c, a)); return; }
        float[] mask = Mask(s);
        if (s.Of is GradePart.Added or GradePart.Mirror)
        {
            FloatImage? from = s.Of == GradePart.Added ? _added : _mirror;
            if (from is null) { return; }
            FloatImage graded = from.Copy();
            for (int i = 0; i < mask.Length; i++)
            {
                Span<float> p = graded.Data.AsSpan(3 * i, 3);
                var c = new Vector3(p[0], p[1], p[2]);
                if (c == default) { continue; }
                c += mask[i] * (grading.Apply(c) - c);
                (p[0], p[1], p[2]) = (c.X, c.Y, c.Z);
            }
            if (s.Of == GradePart.Added) { _added = graded; } else { _mirror = graded; }
            return;
        }
        ElementParts parts = _layers.Parts ?? throw new FinishFault("A pass is graded by itself, but the frame was rendered without its passes.");
        FloatImage part = s.Of switch
        {
            GradePart.Diffuse => parts.Diffuse,
            GradePart.Specular => parts.Specular,
            GradePart.Reflection => parts.Reflection,
            GradePart.Emission => parts.Emission,
            _ => parts.Groups.FirstOrDefault(g => g.Light == s.Light).Rgb ?? throw new FinishFault("The light of a graded light group is off or no longer in the shot."),
        };
        // What the part's grade changes is added to the whole; held out by as much as the whole is.
        Recolour(s, (c, a, i) =>
        {
            var p = new Vector3(part.Data[3 * i], part.Data[3 * i + 1], part.Data[3 * i + 2]);
            float whole = _layers.Element.Data[4 * i + 3];
            return whole > 0 ? c + (grading.Apply(p, whole) - p) * (a / whole) : c;
        });
    }

    /// <summary>Another picture in the place of the element's, premultiplied; laid on by strength and matte.</summary>
    /// <param name="reach">By so many pixels it may grow.</param>
    /// <param name="to">Of the part within a box.</param>
    private void Replace(FinishStep s, int reach, Func<FloatImage, PixelBox, FloatImage> to)
    {
        float[] mask = Mask(s);
        // What lies beyond the new bounds' border is asked for as well: there is nothing, and that is as it is beyond a picture's own border.
        _box = _box.Grown(reach + 1, _width, _height);
        if (_box.IsEmpty) { return; }
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[_element, _held]) { Blend(image, to(image.Cut(_box), _box), mask); }
    }

    /// <summary>A part's new picture into the whole one.</summary>
    private void Blend(FloatImage whole, FloatImage part, float[] mask)
    {
        for (int y = 0; y < _box.Height; y++)
        {
            ReadOnlySpan<float> from = part.Row(y);
            for (int x = 0; x < _box.Width; x++)
            {
                int i = (_box.Y0 + y) * _width + _box.X0 + x;
                Span<float> to = whole.Data.AsSpan(4 * i, 4);
                if (mask[i] >= 1) { from.Slice(4 * x, 4).CopyTo(to); continue; }
                for (int c = 0; c < 4; c++) { to[c] += mask[i] * (from[4 * x + c] - to[c]); }
            }
        }
    }

    private void Defocused(FinishStep s, DefocusSettings d)
    {
        if (Defocus.Fault(d, _context.FocalMm) is { } why) { throw new FinishFault(why); }
        float[] mask = Mask(s);
        var radius = new float[_width * _height];
        var near = new float[_width * _height];
        double perMm = _context.PlateWidth / _context.SensorWidthMm;
        Parallel.For(_box.Y0, _box.Y1, Cores.All, y =>
        {
            for (int x = _box.X0; x < _box.X1; x++)
            {
                int i = y * _width + x;
                float along = _layers.Distance[i];
                near[i] = -MathF.Min(along, 1e6f);
                if (_element.Data[4 * i + 3] <= 0 || !_context.Pinhole.TryDirection(x + 0.5, y + 0.5, out Geometry.Vec3 ray)) { continue; }
                double depth = along / ray.Length * Math.Abs(ray.Z);
                radius[i] = mask[i] * (float)(Defocus.Diameter(_context.FocalMm, d.FNumber, d.FocusMetres, depth) / 2 * perMm);
            }
        });
        _box = _box.Grown(Defocus.Reach(_element, radius), _width, _height);
        if (_box.IsEmpty) { return; }
        float[] discs = FloatImage.Cut(radius, _width, 1, _box), nearness = FloatImage.Cut(near, _width, 1, _box);
        foreach (FloatImage image in (ReadOnlySpan<FloatImage>)[_held, _element])
        {
            FloatImage blurred = Defocus.Apply(image.Cut(_box), discs, nearness, d);
            for (int y = 0; y < _box.Height; y++) { blurred.Row(y).CopyTo(image.Row(_box.Y0 + y)[(4 * _box.X0)..]); }
        }
    }

    /// <summary>The lens's vignette and lateral colour on what never went through it.</summary>
    private void Marked(FinishStep s, LensMarks marks)
    {
        double cx = _context.Pinhole.Cx, cy = _context.Pinhole.Cy, corner = Math.Sqrt(_context.PlateWidth * (double)_context.PlateWidth + _context.PlateHeight * (double)_context.PlateHeight) / 2;
        double[] size = [1 + marks.RedPermille / 1000, 1, 1 + marks.BluePermille / 1000];
        int reach = (int)Math.Ceiling(Math.Max(Math.Abs(marks.RedPermille), Math.Abs(marks.BluePermille)) / 1000 * Math.Sqrt((double)_width * _width + (double)_height * _height)) + 1;
        Replace(s, reach, (image, box) =>
        {
            FloatImage result = image.Copy();
            Parallel.For(0, box.Height, Cores.All, y =>
            {
                Span<float> from = stackalloc float[4];
                for (int x = 0; x < box.Width; x++)
                {
                    double dx = box.X0 + x + 0.5 - cx, dy = box.Y0 + y + 0.5 - cy, r2 = (dx * dx + dy * dy) / (corner * corner);
                    float falloff = (float)Math.Max(0, 1 + marks.A2 * r2 + marks.A4 * r2 * r2);
                    Span<float> p = result.Pixel(x, y);
                    for (int c = 0; c < 3; c += 2)
                    {
                        if (size[c] == 1) { continue; }
                        image.SampleBilinear(cx + dx / size[c] - box.X0, cy + dy / size[c] - box.Y0, from);
                        p[c] = from[c];
                    }
                    for (int c = 0; c < 3; c++) { p[c] *= falloff; }
                }
            });
            return result;
        });
    }

    private void Shadowed(FinishStep s, ShadowSettings shadow)
    {
        float[] mask = Mask(s);
        double sigma = shadow.BlurPixels * _context.Scale;
        // Where all around is 1 nothing is darkened, and stays so.
        PixelBox box = PixelBox.Of(_shadow, rest: 1).Grown(Blur.Reach(sigma) + 1, _width, _height);
        if (!box.IsEmpty)
        {
            FloatImage from = Blur.Gaussian(_shadow.Cut(box), sigma), result = _shadow.Copy();
            Parallel.For(0, box.Height, Cores.All, y =>
            {
                ReadOnlySpan<float> row = from.Row(y);
                for (int x = 0; x < box.Width; x++)
                {
                    int i = (box.Y0 + y) * _width + box.X0 + x;
                    for (int c = 0; c < 3; c++)
                    {
                        float was = _shadow.Data[3 * i + c], v = row[3 * x + c];
                        // A blur leaves 1 where all around is 1 only up to rounding.
                        if (MathF.Abs(v - 1) < 1e-6f) { v = 1; }
                        float density = (float)(c == 0 ? shadow.Density.X : c == 1 ? shadow.Density.Y : shadow.Density.Z);
                        float to = v == 1 || density == 1 ? v : ElementaryF.Pow(MathF.Max(0, v), density);
                        result.Data[3 * i + c] = was == to ? was : was + mask[i] * (to - was);
                    }
                }
            });
            _shadow = result;
        }
        if (_near is not null && shadow.Contact != 1) { _near = [.. _near.Select((v, i) => v == 1 ? 1 : v + mask[i] * (ElementaryF.Pow(v, (float)shadow.Contact) - v))]; }
    }

    /// <summary>
    /// One light's shadows do not darken twice: of ours and of those that came with rendered elements the darkest counts, and where the plate lies in
    /// that light's shadow already, of ratio r, only what ours is darker than r: min(r, S) ÷ r.
    /// </summary>
    private void JoinShadows(ShadowJoinSettings join, FinishStep? s = null)
    {
        float[]? mask = s is null ? null : Mask(s with { Matte = null });
        float[]? lies = join.Matte is { } id ? (_context.Matte ?? throw new FinishFault("That matte is not at hand here."))(id) : null;
        Vector3 level = join.Level?.ToSingle() ?? new(0.5f);
        FloatImage result = _shadow.Copy();
        Parallel.For(0, _height, Cores.All, y =>
        {
            for (int i = y * _width; i < (y + 1) * _width; i++)
            {
                for (int c = 0; c < 3; c++)
                {
                    float own = _shadow.Data[3 * i + c], to = own;
                    foreach (RenderedLayer layer in _layers.Rendered) { if (layer.Shadow is { } other) { to = MathF.Min(to, other.Data[3 * i + c]); } }
                    if (lies is not null && lies[i] > 0 && to < 1)
                    {
                        float r = 1 - lies[i] * (1 - level[c]);
                        to = r > 0 ? MathF.Min(r, to) / r : 1;
                    }
                    if (to != own) { result.Data[3 * i + c] = own + (mask?[i] ?? 1) * (to - own); }
                }
            }
        });
        _shadow = result;
    }

    private void After(FinishStep s)
    {
        float[] mask = Mask(s);
        switch (s.Kind)
        {
            case FinishKind.Wrap: LensLight.Wrap(_comp!, _held, _box, s.Pixels * _context.Scale, mask); break;
            case FinishKind.Glow: LensLight.Glow(_comp!, _held, _added, (float)s.Threshold, s.Pixels * _context.Scale, mask, _touched!); break;
            case FinishKind.Flare:
                {
                    FlareSettings flare = Given(s.Flare, s);
                    // A lamp that is off, or behind the camera, shines into no lens.
                    if (_context.Lamps.TryGetValue(flare.Light, out SeenLamp? lamp)) { LensLight.Flare(_comp!, _layers.Depth, _held, lamp, flare, _context, mask, _touched!); }
                    break;
                }
            case FinishKind.Ripple: (_comp, _touched) = Reframing.Ripple(_comp!, _touched!, Given(s.Ripple, s), _context, mask); break;
            case FinishKind.Grain:
                {
                    if (_context.Grain is null) { throw new FinishFault("No part of the plate is flat enough to tell its grain. Choose another region, or switch the grain off."); }
                    for (int i = 0; i < mask.Length; i++) { mask[i] *= MathF.Min(1, _held.Data[4 * i + 3]); }
                    _context.Grain.AddTo(_comp!, mask, Tracing.Sampling.Hash(_context.Seed ^ 0x6772616eu) + (uint)_context.Frame);
                    break;
                }
            case FinishKind.Reframe: (_comp, _touched) = Reframing.Apply(_comp!, _touched!, Given(s.Reframe, s), _context); break;
        }
    }
}
