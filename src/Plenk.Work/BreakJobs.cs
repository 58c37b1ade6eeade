using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Motion.Bodies;
using Plenk.Core.Motion.Breaking;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work.Queue;

namespace Plenk.Work;

public sealed record BreakParameters(int Revision, string Who, Breaking With);

/// <summary>Pieces of a shot broken: the parts become an element that moves as they fall, in the footage that the piece wears.</summary>
public sealed class BreakJobs(ShotStore shots, MediaStore media, ShotEngine engine) : TrayJobs(shots)
{
    /// <summary>On so much of a piece at least the shot's light does not account for what is seen: it is not that of the place.</summary>
    private const double TooBright = 0.05;

    public override IReadOnlyList<JobKind> Kinds => [new("break", Break)];

    private async Task<JobEnd> Break(JobRun job)
    {
        var p = job.Asked<BreakParameters>();
        var made = Make(await Document(job.Row, p.Revision), p.With, job.Stop, job.Progress);
        await Lay(job, p.Who, $"{made.Name} broken into {made.Parts} parts", made.On);
        return new(string.Join("; ", [made.Says, .. made.Told]));
    }

    /// <summary>What breaking comes to: a change of the shot, and what is said of it.</summary>
    public sealed record Made(string Name, int Parts, string Says, IReadOnlyList<string> Told, Func<ShotDocument, ShotDocument> On);

    /// <exception cref="ShotFault">It cannot break like that.</exception>
    public Made Make(ShotDocument shot, Breaking with, CancellationToken stop, Action<string, double> progress)
    {
        // As if it had not broken before.
        shot = shot with
        {
            Pieces = [.. shot.Pieces.Select(q => q.Id == with.Piece ? q with { GoneFrom = null } : q)],
            Elements = [.. shot.Elements.Where(e => e.Broke?.Piece != with.Piece && e.DustOf != with.Piece)],
        };
        Piece own = shot.Pieces.FirstOrDefault(q => q.Id == with.Piece && !q.Off)
            ?? throw new ShotFault("The piece that is to break is no longer in the shot, or switched off.");
        if (Hanging.Moves(shot, own))
        {
            throw new ShotFault($"{own.Name} moves. Break it where it stands still: take its keys off, or what it hangs on.");
        }
        if (with.AtFrame < shot.Range.First || with.AtFrame >= shot.Range.Last)
        {
            throw new ShotFault($"{with.AtFrame} lies not within the shot, {shot.Range.First} to {shot.Range.Last}.");
        }
        if (
            !(with.StrengthNs >= 0)
            || !(with.FallingDensityKgM3 is > 0 and < 1e5)
            || !(with.Friction is >= 0 and <= 10)
            || !(with.Bounce is >= 0 and <= 1)
        )
        {
            throw new ShotFault("Strength and friction are 0 or more, bounciness is 0 to 1, and a density more than 0 kg/m³.");
        }
        if (with.Dust is < 0 or > Dust.Most)
        {
            throw new ShotFault($"Up to {Dust.Most} clouds of dust rise; {with.Dust} are asked for.");
        }
        ShotDocument at = Hanging.At(shot, with.AtFrame);
        SetScene set = engine.Place.Set(at);
        int index = set.Pieces.ToList().FindIndex(q => q.Id == with.Piece);
        progress("Taking its footage", 0);
        var told = new List<string>();
        var (mesh, tiles, lit) = Footage(shot, at, set, index, with.AtFrame, told, stop);
        stop.ThrowIfCancellationRequested();
        (string, TriangleMesh)[] others = ElementBodies.Standing(shot, set, with.Piece);
        Element? falls = with.Falling is { } id
            ? at.Elements.FirstOrDefault(e => e.Id == id) ?? throw new ShotFault("What falls on it is no longer in the shot.")
            : null;
        Broken broken = BreakWork.Run(
            own.Name,
            mesh,
            others,
            new(with.Parts, with.Seed, with.DensityKgM3)
            {
                Thickness = with.ThicknessMetres,
                Point = with.Point,
                Cracks = with.Cracks,
                Impulse = falls is null ? with.ImpulseNs : Vec3.Zero,
                Radius = with.RadiusMetres,
                Depth = with.DepthMetres,
                Blast = falls is null ? with.BlastNsM2 : 0,
                BlastSpeed = with.BlastSpeed,
            },
            new(with.AtFrame, shot.Range.Last, with.AtFrame, shot.Rate.PerSecond)
            {
                Seed = (uint)with.Seed,
                Friction = with.Friction,
                Bounce = with.Bounce,
            },
            tiles.Count,
            told,
            stop,
            progress,
            body => body with { Friction = with.Friction, Bounce = with.Bounce, Glue = falls is null ? null : with.StrengthNs },
            [
                .. falls is null
                    ? Array.Empty<Core.Motion.Bodies.FallingBody>()
                    : [ElementBodies.Of(engine, at, falls, with.AtFrame, with.FallingDensityKgM3, with.Friction, with.Bounce)],
                .. ElementBodies.Carried(engine, shot, with.AtFrame, shot.Range.Last, [with.Piece, with.Falling], told),
            ],
            new()
            {
                Count = with.Scraps,
                Seed = with.Seed,
                SmallestMetres = with.ScrapSmallestMetres,
                LargestMetres = with.ScrapLargestMetres,
                Speed = with.ScrapSpeed,
                Density = with.DensityKgM3,
                Friction = with.Friction,
            }
        );
        int gone = with.AtFrame;
        if (falls is not null)
        {
            gone = (int)
                Math.Floor(
                    broken.Fall.Broken
                        ?? throw new ShotFault(
                            $"{falls.Name} does not break {own.Name} before {shot.Range.Last}: it is not struck harder than {with.StrengthNs:0.#} N s. Let it fall from higher or earlier, or take less strength."
                        )
                );
        }
        var inside = BreakWork.Inside with { BaseColor = with.InsideColor.ToSingle() };
        string file = media.Write(PartsFile.Glb(broken.Parts, tiles, inside, broken.Fall.Frames, shot.Rate, lit, broken.Scraps));
        IReadOnlyList<Puff> puffs = Dust.Hits(
            broken.Parts,
            broken.Fall.Frames,
            shot.Rate.PerSecond,
            new FallSettings(0, 0, 0, 1).Gravity,
            with.Dust
        );
        string? cloud = puffs.Count == 0 ? null : media.Write(Cloud(Dust.Picture(256, with.Seed, 1.4 * with.InsideColor)));
        FallFrame last = broken.Fall.Frames[^1];
        return new(
            own.Name,
            broken.Parts.Count,
            FormattableString.Invariant(
                $"{broken.Parts.Count} parts, {broken.Mass:0.#} kg{(broken.Scraps.Count > 0 ? $", {broken.Scraps.Count} scraps" : "")}{(puffs.Count > 0 ? $", {puffs.Count} clouds of dust" : "")}; from {gone} on, at {last.Frame} {last.Awake} still move; deepest {1000 * last.Deepest:0.0} mm"
            ),
            told,
            d => Dusty(Laid(d, with, own, file, gone, falls, broken), with, own, puffs, cloud)
        );
    }

    private static ShotDocument Laid(ShotDocument d, Breaking with, Piece own, string file, int gone, Element? falls, Broken broken)
    {
        var parts = new Element
        {
            Id = d.Elements.FirstOrDefault(e => e.Broke?.Piece == with.Piece)?.Id ?? FreeId.Of(d.Elements.Select(e => e.Id), "parts"),
            Name = $"{own.Name} parts",
            Media = file,
            Motion = new() { StartFrame = with.AtFrame },
            FromFrame = gone,
            Broke = with,
        };
        var curves = d.Curves.ToList();
        if (falls is not null && d.Elements.Any(e => e.Id == falls.Id))
        {
            ValueCurve[] path = ElementBodies.Path(falls, broken.Fall.Frames, broken.Parts.Count);
            curves.RemoveAll(c => path.Any(q => q.Id == c.Id));
            curves.AddRange(path);
        }
        return d with
        {
            Pieces = [.. d.Pieces.Select(q => q.Id == with.Piece ? q with { GoneFrom = gone } : q)],
            Elements = [.. d.Elements.Where(e => e.Id != parts.Id), parts],
            Curves = curves,
        };
    }

    /// <summary>PNG, its alpha beside it.</summary>
    private static byte[] Cloud(FloatImage picture)
    {
        var codes = new ushort[picture.Data.Length];
        for (int i = 0; i < codes.Length; i++)
        {
            codes[i] = (ushort)(
                i % 4 == 3
                    ? MathF.Round(255 * picture.Data[i])
                    : ColorEncodings.ToCode(ColorEncoding.Srgb, MathF.Min(1, picture.Data[i]), 8)
            );
        }
        return RasterFile.ToPng(new(picture.Width, picture.Height, 4, 8, codes));
    }

    /// <summary>Frames over which a cloud grows and goes, and how wide it gets, metres.</summary>
    private const int Lasts = 44;
    private const double Wide = 2;

    /// <summary>Clouds of dust: cards that face the camera, soft before the set, that grow, rise and fade.</summary>
    private static ShotDocument Dusty(ShotDocument d, Breaking with, Piece own, IReadOnlyList<Puff> puffs, string? cloud)
    {
        string[] were = [.. d.Elements.Where(e => e.DustOf == with.Piece).Select(e => ShotCurves.PlaceOf("elements", e.Id) + "/")];
        List<Element> elements = [.. d.Elements.Where(e => e.DustOf != with.Piece)];
        List<ValueCurve> curves = [.. d.Curves.Where(c => !were.Any(w => c.Id.StartsWith(w, StringComparison.Ordinal)))];
        double hardest = puffs.Count == 0 ? 1 : puffs.Max(p => p.Jolt);
        for (int i = 0; i < puffs.Count; i++)
        {
            Puff puff = puffs[i];
            double share = 0.5 + 0.5 * Math.Sqrt(puff.Jolt / hardest);
            // Before what was hit, as the camera sees it, and over it.
            Vec3 before =
                ShotCamera.Of(d) is { } camera && camera.TryAt(puff.Frame, out Pose pose, out _)
                    ? (pose.Position - puff.Place).Normalized()
                    : Vec3.Zero;
            Vec3 place = puff.Place + 0.45 * before + 0.25 * Vec3.UnitY;
            string id = FreeId.Of(elements.Select(e => e.Id), "dust"),
                at = ShotCurves.PlaceOf("elements", id);
            elements.Add(
                new()
                {
                    Id = id,
                    Name = $"{own.Name} dust {i + 1}",
                    Kind = ElementKind.Card,
                    Frames = new() { Frames = [new(1, "dust.png", cloud!)] },
                    WidthMetres = Wide,
                    Pivot = new(0, Wide / 2, 0),
                    FacesCamera = true,
                    Lit = true,
                    SoftMetres = 0.12,
                    FromFrame = puff.Frame,
                    ToFrame = puff.Frame + Lasts,
                    Position = place,
                    DustOf = with.Piece,
                }
            );
            int f = puff.Frame;
            curves.Add(new() { Id = $"{at}/opacity", Keys = [new(f, 0), new(f + 3, 0.9 * share), new(f + Lasts, 0)] });
            curves.Add(
                new()
                {
                    Id = $"{at}/scale",
                    Keys =
                    [
                        new(f, 0.2 * share, Handle: KeyHandle.Straight),
                        new(f + 6, 0.6 * share),
                        new(f + Lasts, share, Handle: KeyHandle.Flat),
                    ],
                }
            );
            curves.Add(
                new()
                {
                    Id = $"{at}/position",
                    Keys = [new(f, Triple: place), new(f + Lasts, Triple: place + 0.4 * share * Vec3.UnitY, Handle: KeyHandle.Flat)],
                }
            );
        }
        return d with { Elements = elements, Curves = curves };
    }

    /// <summary>The piece with its footage: as its own colour where the shot has light on it, else as it was filmed.</summary>
    private (TriangleMesh Mesh, IReadOnlyList<byte[]> Tiles, bool Lit) Footage(
        ShotDocument shot,
        ShotDocument at,
        SetScene set,
        int index,
        int frame,
        List<string> told,
        CancellationToken stop
    )
    {
        Piece piece = set.Pieces[index];
        BakedPiece baked;
        if (piece.Baked is { } kept && kept.Shape == PlaceMedia.ShapeOf(piece))
        {
            baked = Baker.Bake(set, index, [], kept.Texel, local: engine.Place.Local(piece));
            baked = baked with { Tiles = [.. kept.Tiles.Select(t => MaterialPicture.Read(media.Read(t), $"the texture of {piece.Name}"))] };
        }
        else
        {
            ShotDocument laid = shot.Projections.Any(q => !q.Off && q.LiesOn(piece))
                ? shot
                : shot with
                {
                    Projections =
                    [
                        new()
                        {
                            Id = "break",
                            Frame = frame,
                            Pieces = [piece.Id],
                            FadeFromDegrees = CutLooseWork.Flattest,
                            FadeToDegrees = CutLooseWork.Flattest + 0.5,
                        },
                    ],
                };
            IReadOnlyList<Projector> sources = engine.Projection.Projectors(laid, set, frame);
            baked = FootageWork.Baked(set, index, sources, 0.01);
        }
        FloatImage[] light = LightMap.Of(
            set,
            engine.Renderer.Rig(at, frame),
            engine.Place.OpeningsOf(at),
            baked.Mesh,
            baked.TileOfTriangle,
            baked.Tiles.Count,
            baked.Tiles[0].Width,
            at.Seed,
            stop
        );
        // Where less light falls on it than it sends back, the shot's light is not that of the place: then it stays as it was filmed.
        var (coloured, off) = OwnColour(baked.Tiles, light);
        bool lit = off < TooBright;
        if (!lit)
        {
            coloured = [.. baked.Tiles];
            told.Add(
                $"The shot’s light is weaker than what {piece.Name} sends back, on {100 * off:0} % of it: its parts are shown as filmed. Measure the light at step 5, and break it anew."
            );
        }
        // Its sides that no source sees are as the others are on average, not black.
        Vector3? unseen = FootageWork.Mean(coloured);
        return (
            baked.Mesh with
            {
                Materials = baked.TileOfTriangle,
            },
            [.. coloured.Select(t => RasterFile.ToPng(FootageWork.Shown(t, unseen)))],
            lit
        );
    }

    /// <summary>What is seen of it over the light on it; and on which share of what is covered that would be more than a surface sends back.</summary>
    private static (FloatImage[] Tiles, double Off) OwnColour(IReadOnlyList<FloatImage> tiles, FloatImage[] light)
    {
        long covered = 0,
            bright = 0;
        var made = new FloatImage[tiles.Count];
        for (int n = 0; n < made.Length; n++)
        {
            FloatImage tile = tiles[n],
                own = made[n] = new(tile.Width, tile.Height, 4, [.. tile.Data]);
            for (int y = 0; y < tile.Height; y++)
            {
                for (int x = 0; x < tile.Width; x++)
                {
                    Span<float> p = own.Pixel(x, y);
                    float alpha = p[3];
                    if (alpha <= 0)
                    {
                        continue;
                    }
                    Vector3 on = LightMap.At(light[n], (x + 0.5f) / tile.Width, (y + 0.5f) / tile.Height);
                    // Beside its faces there is none.
                    if (on == default)
                    {
                        (p[0], p[1], p[2], p[3]) = (0, 0, 0, 0);
                        continue;
                    }
                    Vector3 colour = MathF.PI * new Vector3(p[0], p[1], p[2]) / Vector3.Max(on, new(1e-4f));
                    if (alpha > 0.5f)
                    {
                        covered++;
                        bright += MathF.Max(colour.X, MathF.Max(colour.Y, colour.Z)) > alpha ? 1 : 0;
                    }
                    colour = Vector3.Min(colour, new(0.98f * alpha));
                    (p[0], p[1], p[2]) = (colour.X, colour.Y, colour.Z);
                }
            }
        }
        return (made, covered > 0 ? (double)bright / covered : 1);
    }
}
