using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Motion;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Elements made ready for rays: meshes with their materials, cards with the picture of a frame, lettering.</summary>
public sealed class ElementWork(IMedia media)
{
    private readonly Cache<ImportedMesh> _meshes = new(Sizes.Of);
    private readonly Cache<Box<IMovingMesh?>> _moving = new(b => Sizes.Small + (b.Value?.Bytes ?? 0));
    private readonly Cache<MeshTree> _trees = new(Sizes.Of);
    private readonly Cache<FloatImage> _pictures = new(Sizes.Of);

    /// <summary>Those that are on and stand in the place; rendered frames are merged by depth instead.</summary>
    public IReadOnlyList<PlacedElement> Placed(ShotDocument shot, int frame, double? moment = null) =>
        [
            .. shot
                .Elements.Where(e => !e.Off && e.Kind != ElementKind.Rendered && Shows(shot, e, frame))
                // What is blended stands last.
                .OrderBy(IsBlended)
                .Select(e => new PlacedElement(
                    e.Id,
                    Model(shot, e, frame, moment),
                    PlaceOf(shot, e, frame),
                    IsBlended(e) ? RayKinds.Blended : RayKinds.Element
                )
                {
                    Blend = e.Blend,
                    Soft = IsPicture(e) ? (float)e.SoftMetres : 0,
                }),
        ];

    private static bool IsPicture(Element e) => e.Kind is ElementKind.Card or ElementKind.Lettering;

    private static bool IsBlended(Element e) => IsPicture(e) && e.Blend != ElementBlend.Over;

    private static bool Shows(ShotDocument shot, Element e, int frame) =>
        frame >= (e.FromFrame ?? frame) && frame <= (e.ToFrame ?? frame) && HasPicture(shot, e, frame);

    private static bool HasPicture(ShotDocument shot, Element e, int frame) =>
        e.Kind switch
        {
            ElementKind.Card => e.Frames?.At(frame, shot.Rate) is not null,
            ElementKind.Mesh => e.Frames is null || e.Frames.Between(frame, shot.Rate) is not null,
            _ => true,
        };

    /// <summary>A flat card lies so far off what it lies on that neither is lost in the other, metres.</summary>
    private const double Off = 0.002;

    /// <summary>A card that faces the camera is turned about its upright.</summary>
    private static Similarity PlaceOf(ShotDocument shot, Element e, int frame)
    {
        if (e is { Kind: ElementKind.Card, LiesFlat: true })
        {
            return (e with { Position = e.Position + Off * e.Rotation.Column(1) }).ObjectToWorld;
        }
        if (!e.FacesCamera || ShotCamera.Of(shot) is not { } camera || !camera.TryAt(frame, out Pose pose, out _))
        {
            return e.ObjectToWorld;
        }
        Vec3 to = pose.Position - e.Position;
        return (e with { RotationYxzDegrees = new(0, Rotations.Degrees(Math.Atan2(to.X, to.Z)), 0) }).ObjectToWorld;
    }

    /// <summary>Its mesh along its own axes as large as it is set, with its materials.</summary>
    public ElementModel Model(ShotDocument shot, Element e, int frame, double? moment = null)
    {
        ElementModel own = Unstretched(shot, e, frame, moment ?? frame);
        if (e.Stretch == new Vec3(1, 1, 1))
        {
            return own;
        }
        var by = e.Stretch.ToSingle();
        // What its mesh is made of, and when, where its file moves; that of a card is told by its bounds as well.
        string key = ResultKey.Of(
            "stretched",
            1,
            e.Stretch,
            e.Kind,
            e.Media,
            e.Beside,
            e.Text,
            e.RepeatAcross,
            e.RepeatUp,
            e.LiesFlat,
            e.Motion is not null || e is { Kind: ElementKind.Mesh, Frames: not null } ? moment ?? frame : 0,
            e.Kind == ElementKind.Mesh ? e.Frames : null,
            e.Motion,
            e.Joints,
            Vec3.From(own.Tree.Min),
            Vec3.From(own.Tree.Max)
        );
        return own with { Tree = _trees.Get(key, () => new(own.Tree.Mesh.Stretched(by))) };
    }

    private ElementModel Unstretched(ShotDocument shot, Element e, int frame, double moment)
    {
        switch (e.Kind)
        {
            case ElementKind.Card:
            {
                FloatImage picture = Looked(shot, e, frame)
                    ?? throw new ShotFault($"{e.Name} has no picture at {frame}. Bring one in, or change its first frame.");
                double height = e.WidthMetres * picture.Height / picture.Width;
                // So many pictures beside each other are as wide, and as high as they are then.
                height *= e.RepeatUp / e.RepeatAcross;
                MeshTree tree = _trees.Get(ResultKey.Of("card", 2, e.WidthMetres, height, e.RepeatAcross, e.RepeatUp, e.LiesFlat), () =>
                    new(Card((float)e.WidthMetres, (float)height, (float)e.RepeatAcross, (float)e.RepeatUp, e.LiesFlat))
                );
                Material paper = e.Lit
                    ? new Material("card", Vector3.One, 0, 1) { Specular = 0 }
                    : new Material("card", default, 0, 1) { Specular = 0, Emission = Vector3.One };
                return new(tree, [paper with { Picture = picture, SeeThrough = true }]);
            }
            case ElementKind.Lettering:
            {
                Lettering text = e.Text ?? throw new ShotFault($"{e.Name} has no text.");
                string shape = ResultKey.Of(
                    "lettering",
                    2,
                    text with
                    {
                        Color = null,
                        HeadColor = null,
                        StrokeColor = null,
                        OwnColour = false,
                        Gradient = default,
                    }
                );
                MeshTree tree = _trees.Get(shape, () => new(LetteringMesh.Of(text, text.FontMedia is { } font ? media.Read(font) : null)));
                if (e.Letters is { } apart)
                {
                    string of = $"elements/{e.Id}/letters/";
                    ValueCurve[] curves = [.. shot.Curves.Where(c => c.Id.StartsWith(of, StringComparison.Ordinal))];
                    MeshTree line = tree;
                    tree = _trees.Get(ResultKey.Of("letters", 1, shape, apart, curves, curves.Length > 0 ? moment : 0), () =>
                        new(Letters.At(line.Mesh, shot, e, moment))
                    );
                }
                Vector3 first = text.Color?.ToSingle() ?? new(0.5f);
                bool changes = e is not { Opacity: 1, Saturation: 1, Stops: 0 };
                // One colour stands in the material; whatever is more than that in a picture over its face.
                Material Of(string name, Vector3 from, Vector3? to)
                {
                    FloatImage? colours =
                        to is not null || changes
                            ? ToneOf(Gradient(from, to ?? from, text.Gradient), e.Opacity, e.Saturation, e.Stops)
                            : null;
                    Vector3 own = colours is null ? from : Vector3.One;
                    return new Material(name, text.OwnColour ? default : own, 0, 0.5f)
                    {
                        Specular = text.OwnColour ? 0 : 1,
                        Emission = text.OwnColour ? own : default,
                        Picture = colours,
                        SeeThrough = e.Opacity < 1,
                    };
                }
                Material letters = Of("lettering", first, text.HeadColor?.ToSingle());
                return new(
                    tree,
                    Chosen(e, text.StrokeMetres > 0 ? [letters, Of("stroke", text.StrokeColor?.ToSingle() ?? default, null)] : [letters])
                );
            }
            default:
            {
                string key = ResultKey.Of("element", 1, e.Media, e.Beside);
                ImportedMesh mesh = _meshes.Get(key, () =>
                    ImportedMesh.Read(media.Read(e.Media), "element.obj", name =>
                        e.Beside.TryGetValue(name, out string? hash) ? media.Read(hash) : null
                    )
                );
                if (e.Frames is { } frames)
                {
                    // A moment that the shutter is open for may lie before its first file.
                    var (a, b, share) = frames.Between(moment, shot.Rate)
                        ?? frames.Between(frame, shot.Rate)
                        ?? (frames.Frames[0], frames.Frames[0], 0);
                    return new(
                        _trees.Get(ResultKey.Of("mesh-sequence", 1, a.Media, share > 0 ? b.Media : "", (float)share, e.Beside), () =>
                            new(MeshSequence.Between(FileOf(e, a).Merged(), FileOf(e, b).Merged(), (float)share))
                        ),
                        Chosen(e, mesh.Materials)
                    );
                }
                if ((e.Motion is not null || e.Joints.Count > 0) && File(e) is { } file)
                {
                    double? seconds = file.Moves ? e.Motion?.SecondsAt(moment, shot.Rate.PerSecond, file.Seconds) : null;
                    return new(
                        _trees.Get(ResultKey.Of("moving", 2, key, (float?)seconds, e.Joints), () =>
                            new(file.At(seconds, e.Joints.ToDictionary(j => j.Id, TurnOf)).Merged())
                        ),
                        Chosen(e, mesh.Materials)
                    );
                }
                return new(_trees.Get(key, () => new(mesh.Merged())), Chosen(e, mesh.Materials));
            }
        }
    }

    private ImportedMesh FileOf(Element e, PlateFrame frame) =>
        _meshes.Get(ResultKey.Of("element", 1, frame.Media, e.Beside), () =>
            ImportedMesh.Read(media.Read(frame.Media), frame.File, name =>
                e.Beside.TryGetValue(name, out string? hash) ? media.Read(hash) : null
            )
        );

    private static Quaternion TurnOf(JointTurn j) =>
        Rotations.ToQuaternion(Rotations.FromEulerYxzDegrees(j.DegreesYxz.X, j.DegreesYxz.Y, j.DegreesYxz.Z));

    /// <summary>An element's file, to be asked how it stands at other times; null: it has no animation.</summary>
    public IMovingMesh? Moving(Element e) => File(e) is { Moves: true } file ? file : null;

    /// <summary>An element's file, where it is of a kind that moves or has joints; null: it is not.</summary>
    public IMovingMesh? File(Element e) =>
        e.Kind != ElementKind.Mesh || e.Media.Length == 0
            ? null
            : _moving.Get(e.Media, () => new(ImportedMesh.Moving(media.Read(e.Media), e.Name))).Value;

    /// <summary>
    /// Of the materials that are chosen for an element, those that it does not have, in words; null where it has them all.
    /// </summary>
    public string? MaterialFault(ShotDocument shot, Element e)
    {
        if (e.Materials.Count == 0 || e.Kind is not (ElementKind.Mesh or ElementKind.Lettering))
        {
            return null;
        }
        string[] has = [.. Model(shot, e with { Materials = [] }, shot.Range.First).Materials.Select(m => m.Name)];
        if (has.Length == 0)
        {
            has = [Material.Grey.Name];
        }
        return e.Materials.FirstOrDefault(c => !has.Contains(c.Name)) is { } wrong
            ? $"{e.Name} has no material “{wrong.Name}”; it has {string.Join(", ", has.Take(8).Select(n => $"“{n}”"))}. Choose one of them."
            : null;
    }

    private static IReadOnlyList<Material> Chosen(Element e, IReadOnlyList<Material> own)
    {
        if (e.Materials.Count == 0)
        {
            return own;
        }
        IReadOnlyList<Material> all = own.Count == 0 ? [Material.Grey] : own;
        return
        [
            .. all.Select(m =>
                e.Materials.FirstOrDefault(c => c.Name == m.Name) is not { } c
                    ? m
                    : m with
                    {
                        BaseColor = c.BaseColor?.ToSingle() ?? m.BaseColor,
                        Metallic = (float)(c.Metallic ?? m.Metallic),
                        Roughness = (float)(c.Roughness ?? m.Roughness),
                        Specular = c.Roughness is not null || c.Metallic is not null ? 1 : m.Specular,
                        Emission = c.Emission?.ToSingle() ?? m.Emission,
                    }
            ),
        ];
    }

    /// <summary>A card's or a rendered element's picture at a shot frame: linear RGBA, premultiplied; null where it has none.</summary>
    public FloatImage? Picture(ShotDocument shot, Element e, int frame)
    {
        if (e.Frames?.At(frame, shot.Rate) is not { } own)
        {
            return null;
        }
        return _pictures.Get($"{own.Media}/{e.Frames.Space.Name}/{e.Frames.Premultiplied}", () =>
            media.Read(own.Media) is var bytes && ExrFile.Is(bytes)
                ? Linear(ExrFile.Read(bytes, own.File), own.File, e.Frames.Premultiplied)
                : MaterialPicture.Premultiplied(RasterFile.Read(bytes, own.File), e.Frames.Space, e.Frames.Premultiplied)
        );
    }

    /// <summary>An EXR's picture; without alpha it covers all.</summary>
    private static FloatImage Linear(ExrPicture p, string name, bool premultiplied)
    {
        FloatImage rgba =
            p.Picture(alpha: true, "element", "beauty", "rgba", "combined") is { } whole ? p.Colour(whole)
            : p.Picture(alpha: false, "element", "beauty", "rgba", "combined") is { } plain
                ? p.Colour([.. plain, [.. Enumerable.Repeat(1f, p.Width * p.Height)]])
            : throw new FormatFault("unreadable", $"{name} has no picture in it", "Bring an EXR with red, green and blue.");
        for (int i = 0; i < rgba.Data.Length; i += 4)
        {
            Span<float> c = rgba.Data.AsSpan(i, 4);
            float by = premultiplied ? 1 : c[3];
            // What is no number shows nothing.
            bool sound = float.IsFinite(c[0]) && float.IsFinite(c[1]) && float.IsFinite(c[2]) && float.IsFinite(c[3]);
            (c[0], c[1], c[2], c[3]) = sound ? (by * c[0], by * c[1], by * c[2], Math.Clamp(c[3], 0, 1)) : default;
        }
        return rgba;
    }

    /// <summary>The same with the opacity, strength of colour and light that are chosen for it.</summary>
    private FloatImage? Looked(ShotDocument shot, Element e, int frame) =>
        Picture(shot, e, frame) is not { } picture ? null
        : e is { Opacity: 1, Saturation: 1, Stops: 0 } ? picture
        : _pictures.Get(
            ResultKey.Of(
                "look",
                1,
                e.Frames!.At(frame, shot.Rate)!.Media,
                e.Frames.Space.Name,
                e.Frames.Premultiplied,
                e.Opacity,
                e.Saturation,
                e.Stops
            ),
            () => ToneOf(picture, e.Opacity, e.Saturation, e.Stops)
        );

    /// <summary>RGBA, premultiplied, linear: all four by the opacity; colours about their luminance, and brighter by stops.</summary>
    private static FloatImage ToneOf(FloatImage rgba, double opacity, double saturation, double stops)
    {
        var result = new FloatImage(rgba.Width, rgba.Height, 4);
        float o = (float)opacity,
            s = (float)saturation,
            gain = o * MathF.Pow(2, (float)stops);
        for (int i = 0; i < rgba.Data.Length; i += 4)
        {
            float grey = Luminance.Of(rgba.Data.AsSpan(i, 3));
            for (int c = 0; c < 3; c++)
            {
                result.Data[i + c] = gain * MathF.Max(0, grey + s * (rgba.Data[i + c] - grey));
            }
            result.Data[i + 3] = o * rgba.Data[i + 3];
        }
        return result;
    }

    /// <summary>
    /// A picture: upright on the middle of its foot and seen from +Z, or flat about its middle and seen from +Y, its head towards −Z.
    /// </summary>
    private static TriangleMesh Card(float width, float height, float across, float up, bool flat)
    {
        float x = width / 2;
        Vector3[] corners = flat
            ? [new(-x, 0, height / 2), new(x, 0, height / 2), new(x, 0, -height / 2), new(-x, 0, -height / 2)]
            : [new(-x, 0, 0), new(x, 0, 0), new(x, height, 0), new(-x, height, 0)];
        return new(corners, [0, 1, 2, 0, 2, 3]) { TextureCoordinates = [new(0, up), new(across, up), new(across, 0), new(0, 0)] };
    }

    private static FloatImage Gradient(Vector3 from, Vector3 to, LetteringGradient way)
    {
        const int steps = 64;
        int across = way == LetteringGradient.Up ? 1 : steps,
            up = way == LetteringGradient.Across ? 1 : steps;
        var image = new FloatImage(across, up, 4);
        for (int i = 0; i < across * up; i++)
        {
            float x = across > 1 ? i % across / (steps - 1f) : 0.5f,
                y = up > 1 ? 1 - i / across / (steps - 1f) : 0.5f,
                t = way switch
                {
                    LetteringGradient.Across => x,
                    // Whole at the middle of each edge.
                    LetteringGradient.Radial => MathF.Min(1, 2 * new Vector2(x - 0.5f, y - 0.5f).Length()),
                    _ => y,
                };
            Vector3 c = Vector3.Lerp(from, to, t);
            (image.Data[4 * i], image.Data[4 * i + 1], image.Data[4 * i + 2], image.Data[4 * i + 3]) = (c.X, c.Y, c.Z, 1);
        }
        return image;
    }
}
