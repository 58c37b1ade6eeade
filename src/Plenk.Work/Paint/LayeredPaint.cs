using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Core.Shots;
using Plenk.Formats.Layers;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work.Paint;

/// <summary>What becomes of a layer that is new.</summary>
public enum LayerPlacing
{
    /// <summary>It stands on a card at the distance of what of the set is under it.</summary>
    Card,

    /// <summary>It is laid on the pieces that are there.</summary>
    Set,
}

/// <summary>A painting as it is to be taken: where it was painted is known from itself, else as it is said here.</summary>
/// <param name="Metres">Of cards with nothing of the set under them.</param>
public sealed record PaintTaking(
    int Frame,
    string? Camera = null,
    bool OwnColour = false,
    LayerPlacing Placing = LayerPlacing.Card,
    double Metres = 100
);

/// <summary>
/// Frames that go out to be painted on in layers and come back: each layer stands in depth by itself and is known by its name, so that a
/// newer file takes its place and all that hangs on it stays.
/// </summary>
public sealed class LayeredPaint(ShotEngine engine, MediaStore media)
{
    /// <summary>A plate's layer that differs from the plate in more of its pixels was painted on.</summary>
    private const double LeftAlone = 0.998;

    /// <summary>Covered by less in every pixel, a layer is empty.</summary>
    private const float LeastPaint = 1f / 255;

    /// <summary>The frame with its guides and with those layers that have come back already.</summary>
    public (string Name, byte[] Bytes) Out(ShotDocument shot, LayeredKind kind, PaintTaking taking, int beyond)
    {
        PaintedFrom from = new(shot.Code, taking.Frame, taking.Camera, taking.OwnColour);
        return (
            from.FileName + LayeredFile.Extension(kind),
            LayeredFile.Write(Picture(shot, taking, beyond, linear: kind == LayeredKind.Exr), kind)
        );
    }

    /// <inheritdoc cref="Out"/>
    public LayeredPicture Picture(ShotDocument shot, PaintTaking taking, int beyond, bool linear)
    {
        if (beyond is < 0 or > ProjectionSource.MostBeyond)
        {
            throw new ShotFault($"The picture goes on beyond the frame by 0 to {ProjectionSource.MostBeyond} pixels on every side.");
        }
        ShotDocument through = ProjectionWork.Through(shot, taking.Camera);
        ColorSpace space = SpaceOf(through, taking.OwnColour);
        FloatImage plate = Sent(through, taking, beyond);
        var layers = new List<PaintLayer>
        {
            new(PaintGuides.PlateName(new(shot.Code, taking.Frame, taking.Camera, taking.OwnColour)), Opaque(Values(plate, space, linear))),
        };
        // Those that came back before, from the back: the first projection is the front.
        foreach (ProjectionSource p in Layers(shot, taking).Where(p => p.BeyondPixels <= beyond).Reverse())
        {
            FloatImage picture = Straight(p, through, space, linear);
            layers.Add(new(p.Layer!, picture, beyond - p.BeyondPixels, beyond - p.BeyondPixels) { Hidden = p.Off });
        }
        if (ShotCamera.Of(through) is { } camera && camera.TryAt(taking.Frame, out _, out _) && shot.Pieces.Count > 0)
        {
            layers.AddRange(PaintGuides.Of(new(engine, through, taking.Frame, beyond, Cards(shot))));
        }
        return new(plate.Width, plate.Height, layers, linear, linear ? 32 : 16);
    }

    /// <summary>The files of one painting, whatever they are; each layer's place in them is told by <see cref="LayeredFile"/>.</summary>
    public ShotDocument Take(ShotDocument shot, IReadOnlyList<(string Name, byte[] Bytes)> files, PaintTaking taking, List<string> told) =>
        In(
            shot,
            files is [var one] && !LayerFolder.Takes(one.Name, one.Bytes)
                ? LayeredFile.Read(one.Bytes, one.Name, PaintGuides.Tells)
                : LayerFolder.Read(files),
            Named(files),
            taking,
            told
        );

    /// <summary>What a painting is called in the ledger and where it is told of.</summary>
    public static string Named(IReadOnlyList<(string Name, byte[] Bytes)> files) =>
        files is [var one] ? one.Name : $"{files[0].Name} and {files.Count - 1} more";

    /// <summary>The shot with a painting's layers; what is odd about them is told, what makes it unfit is a fault.</summary>
    /// <param name="name">Of its file.</param>
    public ShotDocument In(ShotDocument shot, LayeredPicture file, string name, PaintTaking taking, List<string> told)
    {
        PaintLayer? guide = file.Layers.FirstOrDefault(l => PaintGuides.Is(l) && PaintedFrom.Of(l.Name) is not null);
        if (guide is not null && PaintedFrom.Of(guide.Name) is { } from)
        {
            taking = Known(shot, from, name, taking, told);
        }
        ShotDocument through = ProjectionWork.Through(shot, taking.Camera);
        PlateSource plate = through.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        if (!through.Range.Contains(taking.Frame))
        {
            throw new ShotFault(
                $"{name} was painted on frame {taking.Frame}, and the shot goes from {through.Range.First} to {through.Range.Last}. "
                    + "Widen the range, or paint on a frame within it."
            );
        }
        (file, int beyond) = Fitted(file, name, plate, taking, told);
        ColorSpace space = SpaceOf(through, taking.OwnColour);
        FloatImage sent = Sent(through, taking, beyond);
        if (file.Layers.FirstOrDefault(l => PaintGuides.Is(l) && PaintedFrom.Of(l.Name) is not null) is { } back)
        {
            Alike(file, back, sent, space, beyond, name, taking.Frame, told);
        }
        PaintLayer[] painted = [.. file.Layers.Where(l => !PaintGuides.Is(l))];
        if (painted.FirstOrDefault(l => painted.Count(o => o.Name == l.Name) > 1) is { } twice)
        {
            throw new ShotFault(
                $"{name} has two layers called “{twice.Name}”: which is which could not be known again. Name each its own."
            );
        }
        IReadOnlyList<PaintLayer> standing = LayerMerge.Standing(file with { Layers = painted }, Values(sent, space, file.Linear), told);
        foreach (PaintLayer l in painted.Where(l => l.Hidden))
        {
            told.Add($"{l.Name} is hidden in the file and was left out.");
        }
        var used = new List<PaintLayer>();
        foreach (PaintLayer l in standing)
        {
            if (Empty(l.Picture))
            {
                told.Add($"{l.Name} is empty and was left out.");
            }
            else
            {
                used.Add(l);
            }
        }
        if (used.Count == 0)
        {
            throw new ShotFault(
                $"{name} has no layer with paint on it. Paint on a layer of its own, above the plate’s, and save it again."
            );
        }
        if (file.Bits == 8 && plate.Bits > 8)
        {
            told.Add($"{name} has 8 bits, the plate {plate.Bits}: soft ramps may show steps. Save it at 16 bits.");
        }
        // What changes the plate itself lies on what the plate shows.
        HashSet<string> standBy = taking is { Placing: LayerPlacing.Card, OwnColour: false }
            ? [.. painted.Where(l => l is { Blend: LayerBlend.Normal, Clipped: false }).Select(l => l.Name)]
            : [];
        var ground = new Lazy<PaintGround>(() => new(engine, through, taking.Frame, beyond, Cards(shot)));
        ProjectionSource[] there = [.. Layers(shot, taking)];
        var (pieces, projections, fresh) = (shot.Pieces.ToList(), shot.Projections.ToList(), new List<ProjectionSource>());
        double before = double.PositiveInfinity;
        var sources = new ProjectionSource[used.Count];
        // A layer that nobody touched is not packed anew.
        Parallel.For(0, used.Count, Core.Cores.All, i =>
            sources[i] =
                there.FirstOrDefault(p => p.Layer == used[i].Name && p.BeyondPixels == beyond) is { } old
                && Same(Straight(old, through, space, file.Linear), used[i].Picture, file.Linear)
                    ? old
                    : Source(used[i], file.Linear, space, taking, beyond, name)
        );
        foreach (var (l, source) in used.Zip(sources))
        {
            ProjectionSource made = source;
            if (there.FirstOrDefault(p => p.Layer == l.Name) is { } old)
            {
                projections[projections.IndexOf(old)] = Renewed(old, made);
                if (beyond > old.BeyondPixels && CardOf(shot, old) is { Locked: false, HangsOn: null } narrow)
                {
                    pieces[pieces.IndexOf(narrow)] = PaintCard.At(ground.Value, PaintCard.Distance(ground.Value.Pose, narrow), narrow);
                }
                continue;
            }
            made = made with { Id = FreeId.Of(projections.Concat(fresh).Select(p => p.Id), "projection") };
            if (standBy.Contains(l.Name))
            {
                double metres = Under(l, ground.Value, taking.Metres, before, told);
                before = metres;
                Piece card = PaintCard.At(ground.Value, metres, NewCard(l.Name, pieces));
                pieces.Add(card);
                made = made with { Pieces = [card.Id], ThroughOthers = true };
            }
            fresh.Add(made);
        }
        if (there.Where(p => !p.Off && used.All(l => l.Name != p.Layer)).Select(p => p.Layer).ToArray() is { Length: > 0 } gone)
        {
            told.Add(
                $"{string.Join(", ", gone)} {(gone.Length == 1 ? "is" : "are")} no longer in {name}: what came of it stays as it was."
            );
        }
        told.Insert(0, $"{fresh.Count} new, {used.Count - fresh.Count} replaced, of {name}.");
        fresh.Reverse();
        return OffCards(shot with { Pieces = pieces, Projections = [.. fresh, .. projections] }, [.. fresh.Select(p => p.Id)]);
    }

    /// <summary>A newer file's layer in the place of the one before: where it lies and what was set on it stays.</summary>
    internal static ProjectionSource Renewed(ProjectionSource old, ProjectionSource made) =>
        old with
        {
            Media = made.Media,
            Encoding = made.Encoding,
            Primaries = made.Primaries,
            BeyondPixels = made.BeyondPixels,
            MadeBy = made.MadeBy,
        };

    /// <summary>How far away a new layer's card stands.</summary>
    /// <param name="before">How far that of the layer behind it in the file does.</param>
    private static double Under(PaintLayer layer, PaintGround ground, double otherwise, double before, List<string> told)
    {
        double? under = PaintCard.Distance(ground, layer.Picture);
        double metres = under ?? otherwise;
        told.Add(
            under is null
                ? $"{layer.Name}: nothing of the set is under it; it stands at {metres:0.##} m. Type another distance there."
                : $"{layer.Name} stands at {metres:0.##} m, where the set is under it."
        );
        if (metres > before * 1.001)
        {
            told.Add(
                $"{layer.Name} lies in front of the layer before it in the file, and stands {metres - before:0.##} m behind it: where both "
                    + "are, it is hidden. Change one of their distances."
            );
        }
        return metres;
    }

    /// <summary>A layer put on a card: at a distance, or where the set is under it; one that stands on a card already is moved.</summary>
    public ShotDocument Stood(ShotDocument shot, string projection, double? metres)
    {
        ProjectionSource p = Find(shot, projection);
        if (metres is { } given && !(given is > 0.01 and < 1e6))
        {
            throw new ShotFault("A card stands between 0.01 m and 1,000 km away.");
        }
        ShotDocument through = ProjectionWork.Through(shot, p.Camera);
        var ground = new PaintGround(engine, through, p.Frame, p.BeyondPixels, Cards(shot));
        double at = metres
            ?? PaintCard.Distance(ground, Straight(p, through, SpaceOf(through, p.OwnColour), linear: false))
            ?? throw new ShotFault($"Nothing of the set is under {p.Name}. Type how far away it stands.");
        if (CardOf(shot, p) is { } card)
        {
            if (card.Locked)
            {
                throw new ShotFault($"{card.Name} is locked. Unlock it at step 3 first.");
            }
            return shot with { Pieces = [.. shot.Pieces.Select(q => q.Id == card.Id ? PaintCard.At(ground, at, card) : q)] };
        }
        Piece made = PaintCard.At(ground, at, NewCard(p.Layer ?? p.Name, shot.Pieces));
        return shot with
        {
            Pieces = [.. shot.Pieces, made],
            Projections = [.. shot.Projections.Select(q => q.Id == p.Id ? q with { Pieces = [made.Id], ThroughOthers = true } : q)],
        };
    }

    /// <summary>A layer taken off its card and laid on the pieces that are there; the card goes where nothing else needs it.</summary>
    public static ShotDocument Lain(ShotDocument shot, string projection)
    {
        ProjectionSource p = Find(shot, projection);
        Piece? card = CardOf(shot, p);
        ShotDocument laid = shot with
        {
            Projections = [.. shot.Projections.Select(q => q.Id == p.Id ? q with { Pieces = [], ThroughOthers = false } : q)],
        };
        if (card is not null && !laid.Projections.Any(q => q.Pieces.Contains(card.Id)))
        {
            laid = laid with { Pieces = [.. laid.Pieces.Where(q => q.Id != card.Id)] };
        }
        return OffCards(laid, [p.Id]);
    }

    /// <summary>How far the card is that a layer stands on, from where it was painted; null: it stands on none.</summary>
    public double? DistanceOf(ShotDocument shot, ProjectionSource p)
    {
        ShotDocument through = ProjectionWork.Through(shot, p.Camera);
        return CardOf(shot, p) is { } card && ShotCamera.Of(through)?.TryAt(p.Frame, out _, out _) == true
            ? PaintCard.Distance(engine.Camera(through, p.Frame).Pose, card)
            : null;
    }

    /// <summary>The plane that it alone lies on.</summary>
    public static Piece? CardOf(ShotDocument shot, ProjectionSource p) =>
        p is { Layer: not null, ThroughOthers: true, Pieces: [var id] }
            ? shot.Pieces.FirstOrDefault(q => q.Id == id && q.Kind == PieceKind.Plane)
            : null;

    private static ProjectionSource Find(ShotDocument shot, string id) =>
        shot.Projections.FirstOrDefault(p => p.Id == id && p.Kind == SourceKind.Picture)
        ?? throw new ShotFault("That layer is no longer in the shot.");

    private static HashSet<string> Cards(ShotDocument shot) => [.. shot.Projections.Select(p => CardOf(shot, p)?.Id).OfType<string>()];

    /// <summary>Layers without a card of their own lie on the pieces that are none; where there are no cards, on all, as ever.</summary>
    private static ShotDocument OffCards(ShotDocument shot, HashSet<string> projections)
    {
        HashSet<string> cards = Cards(shot);
        string[] off =
            cards.Count == 0
                ? []
                :
                [
                    .. shot
                        .Pieces.Where(p => !cards.Contains(p.Id) && p.Duties is { WearsFootage: true, OnlyBlocksLight: false })
                        .Select(p => p.Id),
                ];
        return shot with
        {
            Projections =
            [
                .. shot.Projections.Select(p => projections.Contains(p.Id) && p.Pieces.Count == 0 ? p with { Pieces = off } : p),
            ],
        };
    }

    private static IEnumerable<ProjectionSource> Layers(ShotDocument shot, PaintTaking taking) =>
        shot.Projections.Where(p =>
            p.Layer is not null && p.Frame == taking.Frame && p.Camera == taking.Camera && p.OwnColour == taking.OwnColour
        );

    private static Piece NewCard(string name, IEnumerable<Piece> pieces) =>
        new()
        {
            Id = FreeId.Of(pieces.Select(q => q.Id), "card"),
            Name = name,
            Duties = new()
            {
                Seen = true,
                New = true,
                // Its shadow would be that of the whole card.
                BlocksLight = false,
            },
        };

    private static ColorSpace SpaceOf(ShotDocument through, bool ownColour) =>
        ownColour ? ColorSpace.Srgb : through.Plate?.Space ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");

    /// <summary>What goes out to be painted on, linear.</summary>
    private FloatImage Sent(ShotDocument through, PaintTaking taking, int beyond)
    {
        if (taking.OwnColour && beyond > 0)
        {
            throw new ShotFault("Own colour is told by the light on the set within the frame: take it out without going beyond it.");
        }
        int width = through.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        return taking.OwnColour
            ? engine.Renderer.OwnColourOf(through, taking.Frame, width).Albedo
            : engine.Plates.QuietPlate(through, taking.Frame, width).Padded(beyond);
    }

    private static FloatImage Values(FloatImage light, ColorSpace space, bool linear)
    {
        if (linear)
        {
            return light;
        }
        CodeImage codes = CodeImage.FromLinear(light, space, 16);
        return new(codes.Width, codes.Height, codes.Channels, [.. codes.Codes.Select(c => c / 65535f)]);
    }

    private static FloatImage Opaque(FloatImage rgb)
    {
        var made = new FloatImage(rgb.Width, rgb.Height, 4);
        for (int i = 0; i < rgb.Width * rgb.Height; i++)
        {
            rgb.Data.AsSpan(3 * i, 3).CopyTo(made.Data.AsSpan(4 * i));
            made.Data[4 * i + 3] = 1;
        }
        return made;
    }

    /// <summary>A layer that came back before, in the encoding that it goes out in.</summary>
    private FloatImage Straight(ProjectionSource p, ShotDocument through, ColorSpace space, bool linear)
    {
        CodeImage codes = RasterFile.Read(media.Read(p.Media!), p.Name);
        ColorSpace own = p.Encoding is { } encoding ? ColorSpace.Of(encoding, p.Primaries) : through.Plate!.Space;
        FloatImage made = Opaque(Values(codes.ToLinear(own), space, linear));
        if (codes.Channels is 2 or 4)
        {
            float top = (1 << codes.Bits) - 1;
            for (int i = 0; i < codes.Width * codes.Height; i++)
            {
                made.Data[4 * i + 3] = codes.Codes[(i + 1) * codes.Channels - 1] / top;
            }
        }
        return made;
    }

    /// <summary>Equal to a step of their codes wherever there is paint.</summary>
    private static bool Same(FloatImage a, FloatImage b, bool linear)
    {
        if (a.Width != b.Width || a.Height != b.Height)
        {
            return false;
        }
        for (int i = 0; i < a.Data.Length; i += 4)
        {
            float alpha = b.Data[i + 3];
            for (int c = 3; c >= (alpha > 0 ? 0 : 3); c--)
            {
                float within = linear && c < 3 ? 1e-3f * Math.Max(1e-2f, Math.Abs(b.Data[i + c])) : 1.5f / 65535;
                if (!(Math.Abs(a.Data[i + c] - b.Data[i + c]) <= within))
                {
                    return false;
                }
            }
        }
        return true;
    }

    private static bool Empty(FloatImage layer)
    {
        for (int i = 3; i < layer.Data.Length; i += 4)
        {
            if (layer.Data[i] >= LeastPaint)
            {
                return false;
            }
        }
        return true;
    }

    private ProjectionSource Source(PaintLayer l, bool linear, ColorSpace space, PaintTaking taking, int beyond, string file)
    {
        FloatImage picture = l.Picture;
        int n = picture.Width * picture.Height;
        var colour = new FloatImage(picture.Width, picture.Height, 3);
        var kept = new float[n];
        for (int i = 0; i < n; i++)
        {
            picture.Data.AsSpan(4 * i, 3).CopyTo(colour.Data.AsSpan(3 * i));
            kept[i] = picture.Data[4 * i + 3];
        }
        // Beside its paint a layer may hold any colour: what is mixed at its edge is its own.
        colour = PictureEdge.Extended(colour, kept);
        CodeImage codes = linear ? CodeImage.FromLinear(colour, ColorSpace.Of(ColorEncoding.AcesCct, null), 16) : LayeredFile.Codes(colour);
        var all = new ushort[4 * n];
        for (int i = 0; i < n; i++)
        {
            codes.Codes.AsSpan(3 * i, 3).CopyTo(all.AsSpan(4 * i));
            all[4 * i + 3] = (ushort)Math.Round(Math.Clamp(kept[i], 0, 1) * 65535);
        }
        return new()
        {
            Id = "",
            Name = l.Name,
            Layer = l.Name,
            Kind = SourceKind.Picture,
            Camera = taking.Camera,
            Frame = taking.Frame,
            Media = media.Write(RasterFile.ToPng(new(picture.Width, picture.Height, 4, 16, all))),
            Encoding = linear ? ColorEncoding.AcesCct : space.Encoding,
            Primaries = linear ? null : space.PrimariesKey,
            OwnColour = taking.OwnColour,
            BeyondPixels = beyond,
            // There is no other footage of it: it is laid on however flat that is seen.
            FadeFromDegrees = CutLooseWork.Flattest,
            FadeToDegrees = CutLooseWork.Flattest + 0.5,
            MadeBy = string.Create(
                CultureInfo.InvariantCulture,
                $"a layer of {file}, painted on frame {taking.Frame}{(taking.OwnColour ? " as own colour" : "")}; {100.0 * kept.Count(a => a >= LeastPaint) / n:0.#} % of it painted"
            ),
        };
    }

    /// <summary>Where the file itself says that it was painted.</summary>
    private static PaintTaking Known(ShotDocument shot, PaintedFrom from, string name, PaintTaking taking, List<string> told)
    {
        if (from.Code != shot.Code)
        {
            told.Add($"{name} was painted on a frame of {from.Code}; it is laid on here as if it were of this shot.");
        }
        if (from.Frame != taking.Frame)
        {
            told.Add($"{name} was painted on frame {from.Frame}: it is laid on from there.");
        }
        if (from.Camera is { } camera && shot.OtherCameras.All(c => c.Id != camera))
        {
            throw new ShotFault($"{name} was painted through the camera {camera}, which is not in this shot. Bring that camera in first.");
        }
        return taking with { Frame = from.Frame, Camera = from.Camera, OwnColour = from.OwnColour };
    }

    /// <summary>Brought to the plate's pixels, with as many beyond it on every side.</summary>
    private static (LayeredPicture File, int Beyond) Fitted(
        LayeredPicture file,
        string name,
        PlateSource plate,
        PaintTaking taking,
        List<string> told
    )
    {
        int wider = file.Width - plate.Width,
            higher = file.Height - plate.Height;
        if (wider == 0 && higher == 0)
        {
            return (file, 0);
        }
        // The same shape in other pixels, unless it only went on beyond the frame.
        if (
            Math.Abs((double)file.Width / plate.Width * plate.Height - file.Height) <= 1
            && (wider != higher || wider % 2 != 0 || taking.OwnColour)
        )
        {
            told.Add($"{name} is {file.Width} × {file.Height}: it was brought to the plate’s {plate.Width} × {plate.Height}.");
            return (
                file with
                {
                    Width = plate.Width,
                    Height = plate.Height,
                    Layers =
                    [
                        .. file.Layers.Select(l =>
                            l with
                            {
                                Picture = Resized(
                                    LayerMerge.OnCanvas(l with { Opacity = 1 }, file.Width, file.Height),
                                    plate.Width,
                                    plate.Height
                                ),
                                X = 0,
                                Y = 0,
                            }
                        ),
                    ],
                },
                0
            );
        }
        int beyond = Math.Max(wider, higher) / 2;
        if (wider < 0 || higher < 0 || wider % 2 != 0 || higher % 2 != 0 || beyond > ProjectionSource.MostBeyond || taking.OwnColour)
        {
            throw new ShotFault(
                $"{name} is {file.Width} × {file.Height}, the frame is {plate.Width} × {plate.Height}: it would not lie where it was "
                    + "painted. Save it at the frame’s size, without cropping"
                    + (taking.OwnColour ? "." : ", or going on beyond it by equally many pixels on opposite sides.")
            );
        }
        return (
            file with
            {
                Width = plate.Width + 2 * beyond,
                Height = plate.Height + 2 * beyond,
                Layers = [.. file.Layers.Select(l => l with { X = l.X + beyond - wider / 2, Y = l.Y + beyond - higher / 2 })],
            },
            beyond
        );
    }

    /// <summary>Mixed as it is seen, by its coverage.</summary>
    private static FloatImage Resized(FloatImage straight, int width, int height)
    {
        FloatImage p = straight.Copy();
        for (int i = 0; i < p.Data.Length; i += 4)
        {
            for (int c = 0; c < 3; c++)
            {
                p.Data[i + c] *= p.Data[i + 3];
            }
        }
        p = p.Width > width ? p.ReducedTo(width, height) : p.EnlargedTo(width, height);
        for (int i = 0; i < p.Data.Length; i += 4)
        {
            for (int c = 0; c < 3 && p.Data[i + 3] > 0; c++)
            {
                p.Data[i + c] /= p.Data[i + 3];
            }
        }
        return p;
    }

    /// <summary>The plate's layer came back as it went out: else the file is encoded otherwise, or was painted on where it is left out.</summary>
    private static void Alike(
        LayeredPicture file,
        PaintLayer guide,
        FloatImage sent,
        ColorSpace space,
        int beyond,
        string name,
        int frame,
        List<string> told
    )
    {
        FloatImage within = LayerMerge.OnCanvas(guide with { Opacity = 1 }, file.Width, file.Height).Within(beyond),
            own = sent.Within(beyond);
        double Share(ColorSpace s) => PaintWork.Agreeing(file.Linear ? within.Colours() : LayeredFile.Codes(within).ToLinear(s), own);
        double now = Share(space);
        if (now >= LeftAlone)
        {
            return;
        }
        if (now < 0.3)
        {
            var (other, agrees) = Enum.GetValues<ColorEncoding>()
                .Where(e => e != space.Encoding && !file.Linear)
                .Select(e => new ColorSpace(e, space.Primaries))
                .Select(s => (s, Share(s)))
                .DefaultIfEmpty((space, 0))
                .MaxBy(s => s.Item2);
            if (agrees > Math.Max(0.3, 2 * now))
            {
                throw new ShotFault(
                    $"The plate in {name} does not look like frame {frame} as {space.Name}, but like it as {other.Name}. Save it as "
                        + $"{space.Name}, or as EXR, which is always linear."
                );
            }
        }
        told.Add(
            $"The plate’s own layer in {name} differs from frame {frame} in {100 * (1 - now):0.#} % of its pixels: it is a guide and was left out. "
                + "What was painted on it belongs on a layer of its own."
        );
    }
}
