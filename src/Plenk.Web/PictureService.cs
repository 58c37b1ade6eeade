using System.Buffers.Text;
using System.Text.Json;
using Plenk.Core.Edits;
using Plenk.Core.Finishing;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web;

/// <summary>Pictures for the pages, as encoded bytes, remembered by what they show.</summary>
public sealed class PictureService
{
    private readonly ShotEngine engine;
    private readonly Cache<byte[]> _pictures = new(Sizes.Of);
    private readonly FairLine _line = new(PicturesAtOnce);
    private readonly LaneThreads _threads = new("pictures", PicturesAtOnce + Environment.ProcessorCount, LaneThreads.Readings);
    private const int PicturesAtOnce = 2;
    private readonly Drafts _drafts;
    private readonly System.Runtime.CompilerServices.ConditionalWeakTable<byte[], object> _noise = [];

    public PictureService(ShotEngine engine)
    {
        this.engine = engine;
        _drafts = new(
            _pictures,
            (d, stop) => Make(d.Shot, d.Frame, d.Kind, d.Width, "draft", d.Gain, engine.Plates.View(d.Shot, d.Seen), drags: false, stop),
            () => !_line.IsIdle
        );
    }

    /// <summary>Of a document that is reduced to what the picture shows.</summary>
    public static string KeyOf(ShotDocument shot, int frame, string kind, int width, string quality, double gain, SeenThrough seen) =>
        ResultKey.Of("picture", 7, shot, kind, seen, frame, width, quality, gain);

    /// <summary>
    /// What is left of sampling noise in a picture of a comp: root mean squares in the element's shadow and on the element; null of other
    /// pictures.
    /// </summary>
    public (double Shadow, double Element)? NoiseOf(byte[] picture) =>
        _noise.TryGetValue(picture, out object? counts) && counts is RenderCounts c ? (c.ShadowError, c.ElementError) : null;

    /// <summary>A plate's frame, 400 pixels wide, JPEG.</summary>
    public byte[] Thumbnail(string hash, Func<byte[]> read) =>
        _pictures.Get($"thumbnail/{hash}", () => RasterFile.Thumbnail(read(), "the frame", 400));

    /// <summary>Pictures of a shot that wait for their turn, and how many come before them; null where none waits.</summary>
    public int? Waiting(long of) => _line.Before(of);

    public static RenderQuality QualityOf(string? name) =>
        name switch
        {
            "draft" => RenderQuality.Draft,
            "middle" => RenderQuality.Middle,
            _ => RenderQuality.Full,
        };

    /// <summary>kind: plate, grain-free, comp, difference, projection, projection-difference. JPEG for drafts, PNG else.</summary>
    /// <param name="of">Whose it is: shots take turns.</param>
    /// <param name="drags">The next one will be nearly the same: what only the set tells is kept for it.</param>
    /// <param name="ahead">A draft that nobody waits for: it gives way to all that somebody does.</param>
    public async Task<byte[]> Picture(
        long of,
        ShotDocument shot,
        int frame,
        string kind,
        int width,
        string quality,
        double gain,
        SeenThrough seen,
        bool drags,
        CancellationToken stop,
        bool ahead = false
    )
    {
        Know(kind, quality);
        shot = Reads(shot, kind);
        if (quality == "draft" && !drags && !OfPlate(kind))
        {
            var draft = new Draft(of, shot, frame, kind, width, gain, seen);
            return await (ahead ? _drafts.GetAhead(draft, stop) : _drafts.Get(draft, stop));
        }
        string key = KeyOf(shot, frame, kind, width, quality, gain, seen);
        if (_pictures.TryGet(key, out byte[] known))
        {
            return known;
        }
        byte[] made;
        if (drags || OfPlate(kind))
        {
            made = await Task.Run(() => Make(shot, frame, kind, width, quality, gain, engine.Plates.View(shot, seen), drags, stop), stop);
        }
        else
        {
            // Finer ones stand in a line of their own, the quick ones first, and give way to hands.
            using IDisposable turn = await _line.Enter(of, quality == "full" ? 1 : 0, stop);
            made = _pictures.TryGet(key, out known)
                ? known
                : await _threads.Run(() => Make(shot, frame, kind, width, quality, gain, engine.Plates.View(shot, seen), drags, stop));
        }
        return _pictures.Get(key, () => made);
    }

    /// <summary>Versions of the plate: read, not computed.</summary>
    private static bool OfPlate(string kind) => kind is "plate" or "grain-free" or "clean" or "given";

    /// <summary>The document reduced to what a kind of picture shows.</summary>
    private static ShotDocument Reads(ShotDocument shot, string kind) =>
        kind switch
        {
            "plate" or "grain-free" => Reduced.Plate(shot) with { Look = shot.Look },
            "clean" or "given" => Reduced.Plate(shot) with { Look = shot.Look, CleanPlate = shot.CleanPlate },
            "texels" or "stretch" or "source" or "projection" or "projection-difference" => Reduced.Footage(shot) with { Look = shot.Look },
            _ => Reduced.Seen(shot),
        };

    /// <summary>Without one thing: elements/ID, lights/ID, pieces/ID, or a step's id.</summary>
    private static ShotDocument Without(ShotDocument shot, string what) =>
        what.Split('/', 2) switch
        {
            ["elements", var id] => shot with { Elements = [.. shot.Elements.Select(e => e.Id == id ? e with { Off = true } : e)] },
            ["lights", var id] => shot with { Lights = [.. shot.Lights.Select(l => l.Id == id ? l with { Off = true } : l)] },
            ["pieces", var id] => shot with { Pieces = [.. shot.Pieces.Select(p => p.Id == id ? p with { Off = true } : p)] },
            _ => shot with { Finish = shot.Finish with { Steps = [.. shot.Finish.Steps.Where(s => s.Id != what)] } },
        };

    private static readonly string[] Kinds =
    [
        "plate",
        "grain-free",
        "clean",
        "given",
        "comp",
        "difference",
        "bare",
        "element",
        "edges",
        "exposure",
        "lifted",
        "projection",
        "projection-difference",
        "texels",
        "stretch",
        "source",
        "own-colour",
        "set-lit",
        "light-left",
        "depth",
        "depth-difference",
    ];
    private static readonly string[] KindsOf = ["matte", "without", "alone", "edited", "layer"];

    /// <summary>Throws <see cref="NotThereException"/> where there is no such kind of picture.</summary>
    private static void Know(string kind, string quality)
    {
        if (!Kinds.Contains(kind) && !(kind.Split(':', 2) is [var of, { Length: > 0 }] && KindsOf.Contains(of)))
        {
            throw new NotThereException(
                $"There is no kind of picture called “{kind}”. There are {string.Join(", ", Kinds)}, and {string.Join(", ", KindsOf.Select(k => k + ":ID"))}."
            );
        }
        if (quality is not ("draft" or "middle" or "full"))
        {
            throw new NotThereException($"There is no quality “{quality}”; draft, middle and full are.");
        }
    }

    private byte[] Make(
        ShotDocument shot,
        int frame,
        string kind,
        int width,
        string quality,
        double gain,
        PlateView seen,
        bool drags,
        CancellationToken stop
    )
    {
        bool draft = quality == "draft";
        // A matte's coverage as it is: matte:ID.
        if (kind.Split(':', 2) is ["matte", var matte])
        {
            int height = Math.Max(1, (int)Math.Round((double)shot.Plate!.Height * width / shot.Plate.Width));
            return ToBytes(
                new CodeImage(
                    width,
                    height,
                    3,
                    8,
                    [
                        .. engine
                            .Mattes.Coverage(shot, matte, frame, width, height)
                            .SelectMany(v => Enumerable.Repeat((ushort)Math.Round(255 * v), 3)),
                    ]
                ),
                draft,
                PlainView
            );
        }
        if (kind.Split(':', 2) is ["layer", var layer])
        {
            LayerPicture own = Layer(shot, frame, layer, width, quality, drags, stop);
            return own.Light is { } light ? Encode(light, draft, shot, seen) : ToBytes(own.Data(), draft, PlainView);
        }
        switch (kind)
        {
            case "grain-free":
                return ToBytes(engine.Plates.GrainFreeCodes(shot, frame), false, seen);
            case "clean":
                return Encode(engine.Clean.Clean(shot, frame).Linear, false, shot, seen);
            case "given":
                return ToBytes(FalseColour.OfGiven(engine.Clean.Given(shot, frame), shot.Range), false, PlainView);
            case "plate":
                return ToBytes(engine.Plates.PlateCodes(shot, frame), false, seen);
            case "own-colour":
                return ToBytes(
                    CodeImage.FromLinear(OwnColourShown(engine.Renderer.OwnColourOf(shot, frame, width, stop)), ColorEncoding.Srgb, 8),
                    draft,
                    PlainView
                );
            case "set-lit":
                return Encode(LightWork.SetLit(engine, shot, frame, width, stop).Lit, draft, shot, seen);
            case "light-left":
                return ToBytes(FalseColour.OfStops(LightWork.SetLit(engine, shot, frame, width, stop).Stops, width), draft, PlainView);
            case "depth":
                return ToBytes(
                    FalseColour.Of(
                        engine.Depth.DepthOf(shot, frame) ?? throw new ShotFault($"Frame {frame} has no depth yet. Make it at step 3."),
                        width
                    ),
                    draft,
                    PlainView
                );
            case "depth-difference":
                return ToBytes(FalseColour.Of(engine.Depth.DepthAgainstSet(shot, frame), width), draft, PlainView);
            case "texels" or "stretch" or "source":
                return ToBytes(FalseColour.Of(engine.Projection.Covered(shot, frame, width, stop), kind), draft, PlainView);
            case "projection" or "projection-difference":
            {
                FloatImage view = engine.Projection.Projected(shot, frame, width, draft ? 1 : 4, stop);
                return Encode(
                    kind == "projection" ? OverHatching(view) : Difference(view, engine.Plates.Plate(shot, frame, width), gain),
                    draft,
                    shot,
                    seen
                );
            }
            case "bare" or "element" or "edges" or "exposure" or "lifted":
            {
                FrameLayers bare = engine.Finish.Bare(
                    shot,
                    frame,
                    width,
                    QualityOf(quality),
                    keepWithout: drags,
                    dataPasses: false,
                    keep: !draft,
                    stop: stop
                );
                if (kind == "bare")
                {
                    return ToBytes(engine.Renderer.Comp(shot, frame, bare), draft, seen);
                }
                FrameLayers done = engine.Finish.Laid(shot, frame, bare, whole: true);
                return kind switch
                {
                    "element" => Encode(CompareViews.Alone(done), draft, shot, seen),
                    "edges" => Encode(CompareViews.Edges(done.Comp, gain / 2), draft, shot, seen),
                    "exposure" => ToBytes(FalseColour.OfExposure(done.Comp), draft, PlainView),
                    _ => Encode(CompareViews.Lifted(done.Comp), draft, shot, seen),
                };
            }
            default:
            {
                // An element, light, piece or step left out, or of the steps none but it: without:PLACE/ID, alone:ID.
                if (kind.Split(':', 2) is ["alone", var kept])
                {
                    shot = shot with
                    {
                        Finish = shot.Finish with
                        {
                            Steps = [.. shot.Finish.Steps.Where(s => s.Id == kept).Select(s => s with { Off = false })],
                        },
                    };
                }
                // With changes that nobody has made yet, as JSON in base64 for addresses.
                if (kind.Split(':', 2) is ["edited", var edits])
                {
                    shot = Edited(shot, edits);
                }
                if (kind.Split(':', 2) is ["without", var left])
                {
                    shot = Without(shot, left);
                }
                FrameLayers layers = engine.Finish.Frame(
                    shot,
                    frame,
                    width,
                    QualityOf(quality),
                    keepWithout: drags,
                    dataPasses: false,
                    keep: !draft,
                    stop: stop,
                    whole: true
                );
                byte[] made =
                    kind == "difference"
                        ? Encode(AbsoluteDifference(layers.Comp, engine.Plates.Plate(shot, frame, width), gain), draft, shot, seen)
                        : ToBytes(engine.Renderer.Comp(shot, frame, layers), draft, seen);
                _noise.AddOrUpdate(made, layers.Counts);
                return made;
            }
        }
    }

    private static ShotDocument Edited(ShotDocument shot, string edits)
    {
        IReadOnlyList<Edit>? made;
        try
        {
            made = JsonSerializer.Deserialize<IReadOnlyList<Edit>>(Base64Url.DecodeFromChars(edits), ShotJson.Options);
        }
        catch (Exception e) when (e is FormatException or JsonException or NotSupportedException)
        {
            throw new ShotFault("What the picture should be changed by is no list of edits. Ask for it from the sheet again.");
        }
        // What is reduced to what is seen has no name of its own; a whole document must have one.
        ShotDocument named = shot with { Production = "-", Sequence = "-", Code = "-" };
        return Edits.Apply(named, made ?? []).Document with { Production = shot.Production, Sequence = shot.Sequence, Code = shot.Code };
    }

    private readonly Cache<LayerPicture> _layers = new(l => Sizes.Small + l.Channels.Sum(c => Sizes.Of(c.Values)));

    private static string LayerKey(ShotDocument shot, int frame, string layer, int width, string quality) =>
        ResultKey.Of("layer", 1, Reduced.Seen(shot), frame, layer, width, quality);

    /// <summary>A layer of a frame, as it would be handed over.</summary>
    private LayerPicture Layer(ShotDocument shot, int frame, string layer, int width, string quality, bool drags, CancellationToken stop)
    {
        LayerPicture Made()
        {
            FrameLayers made = engine.Finish.Frame(
                shot,
                frame,
                width,
                QualityOf(quality),
                keepWithout: drags,
                parts: true,
                keep: true,
                stop: stop
            );
            var all = FrameFiles.Layers(engine, shot, frame, made);
            return all.TryGetValue(layer, out var channels)
                ? new(layer, made.Comp.Width, made.Comp.Height, channels)
                : throw new ShotFault($"There is no layer “{layer}” in {frame}; there are {string.Join(", ", all.Keys)}.");
        }
        return quality == "draft" ? Made() : _layers.Get(LayerKey(shot, frame, layer, width, quality), Made);
    }

    /// <summary>The names of a frame's layers, in the order of its file.</summary>
    public IReadOnlyList<string> LayersOf(ShotDocument shot, int frame)
    {
        const int width = 48; // what there is does not hang on the size
        FrameLayers small = engine.Finish.Bare(
            shot,
            frame,
            Math.Min(width, shot.Plate?.Width ?? width),
            RenderQuality.Draft,
            parts: true,
            keep: true
        );
        return [.. FrameFiles.Layers(engine, shot, frame, small).Keys];
    }

    /// <summary>What a layer that has been drawn holds at a pixel of the plate; null: it has not been drawn.</summary>
    public string? LayerAt(ShotDocument shot, int frame, string layer, double x, double y)
    {
        int width = shot.Plate?.Width ?? 0;
        foreach (string quality in (string[])["full", "middle"])
        {
            if (_layers.TryGet(LayerKey(shot, frame, layer, width, quality), out LayerPicture own))
            {
                return own.ValueAt((int)x, (int)y);
            }
        }
        return null;
    }

    private static readonly PlateView PlainView = new(SeenThrough.Codes, ColorEncoding.Srgb, null, null, null);

    private static byte[] Encode(FloatImage linear, bool draft, ShotDocument shot, PlateView seen) =>
        ToBytes(CodeImage.FromLinear(linear, shot.Plate!.Space, seen.IsIdentity ? 8 : 16), draft, seen);

    private static byte[] ToBytes(CodeImage codes, bool draft, PlateView seen)
    {
        if (!seen.IsIdentity)
        {
            codes = codes.Through(seen);
        }
        CodeImage eight = codes.Bits == 8 ? codes : codes with { Bits = 8, Codes = Array.ConvertAll(codes.Codes, c => (ushort)(c >> 8)) };
        return draft ? RasterFile.ToJpeg(eight, 88) : RasterFile.ToPng(eight);
    }

    /// <summary>What no projection covers is hatched.</summary>
    private static FloatImage OverHatching(FloatImage view)
    {
        var result = new FloatImage(view.Width, view.Height, 3);
        for (int y = 0; y < view.Height; y++)
        {
            for (int x = 0; x < view.Width; x++)
            {
                float hatch = (x + y) % 9 < 1 ? 0.02f : 0.19f,
                    open = 1 - view[x, y, 3];
                for (int c = 0; c < 3; c++)
                {
                    result[x, y, c] = view[x, y, c] + open * hatch;
                }
            }
        }
        return result;
    }

    /// <summary>Where the colour is not to be trusted it is hatched.</summary>
    private static FloatImage OwnColourShown((FloatImage Albedo, ColourDoubt[] Doubt) own)
    {
        FloatImage a = own.Albedo;
        var result = new FloatImage(a.Width, a.Height, 3);
        for (int y = 0; y < a.Height; y++)
        {
            for (int x = 0; x < a.Width; x++)
            {
                ColourDoubt d = own.Doubt[y * a.Width + x];
                for (int c = 0; c < 3; c++)
                {
                    result[x, y, c] =
                        d == ColourDoubt.NoSet ? 0.19f
                        : d != ColourDoubt.None && (x + y) % 9 < 2 ? 0.02f
                        : a[x, y, c];
                }
            }
        }
        return result;
    }

    private static FloatImage Difference(FloatImage view, FloatImage plate, double gain)
    {
        var result = new FloatImage(view.Width, view.Height, 3);
        for (int i = 0; i < view.Width * view.Height; i++)
        {
            float alpha = view.Data[4 * i + 3];
            for (int c = 0; c < 3; c++)
            {
                result.Data[3 * i + c] = (float)gain * Math.Abs(view.Data[4 * i + c] - alpha * plate.Data[3 * i + c]);
            }
        }
        return result;
    }

    private static FloatImage AbsoluteDifference(FloatImage a, FloatImage b, double gain)
    {
        var result = new FloatImage(a.Width, a.Height, 3);
        for (int i = 0; i < a.Data.Length; i++)
        {
            result.Data[i] = (float)gain * Math.Abs(a.Data[i] - b.Data[i]);
        }
        return result;
    }
}
