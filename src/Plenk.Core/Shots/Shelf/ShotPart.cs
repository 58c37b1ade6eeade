using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// Things of a shot that can stand in another: elements, pieces, lights and steps of the finish with their keys, and its look. What of them hangs on the
/// shot alone (a carrier or a target that is not among them, a matte) is taken off, told.
/// </summary>
public sealed record ShotPart : Extensible
{
    public IReadOnlyList<Element> Elements { get; init; } = [];
    public IReadOnlyList<Piece> Pieces { get; init; } = [];
    public IReadOnlyList<Light> Lights { get; init; } = [];
    public IReadOnlyList<FinishStep> Steps { get; init; } = [];
    public PlateLook? Look { get; init; }
    public IReadOnlyList<ValueCurve> Curves { get; init; } = [];

    /// <summary>The shot's first frame and rate where it was taken: its keys are counted from there.</summary>
    public int FirstFrame { get; init; } = 1001;
    public FrameRate Rate { get; init; } = new(24, 1);

    /// <summary>The spot of the world that is put down where it is taken: where the first of its things stands.</summary>
    public Vec3 Foot { get; init; }

    public bool IsEmpty => Elements.Count + Pieces.Count + Lights.Count + Steps.Count == 0 && Look is null;

    /// <summary>As a shot, of which parts of work can ask what they ask of any.</summary>
    public ShotDocument AsShot() =>
        new()
        {
            Production = "",
            Sequence = "",
            Code = "",
            Elements = Elements,
            Pieces = Pieces,
            Lights = Lights,
            Finish = new() { Steps = Steps },
            Look = Look ?? new(),
            Curves = Curves,
            Range = new(FirstFrame, FirstFrame),
            Rate = Rate,
        };

    /// <summary>What a shot has at some places: “elements/bell”, “pieces/floor”, “lights/sun”, “finish/steps/glow_1”, “look”.</summary>
    /// <exception cref="ArgumentException">There is no such place, or it cannot stand elsewhere; why, in the artist's terms.</exception>
    public static ShotPart Of(ShotDocument shot, IReadOnlyList<string> places, int frame, List<string> told)
    {
        HashSet<string> chosen = [.. places];
        // What hangs on something that is left behind stands by itself.
        foreach (string place in places)
        {
            Carrier? on = CarrierOf(shot, place);
            if (on is not null && Among(chosen, on.On) is null)
            {
                shot = Rehanging.Of(shot, place, null, frame)
                    ?? throw new ArgumentException($"{Name(shot, place)} has no place at {frame}: what it hangs on has none there.");
                told.Add($"{Name(shot, place)} hung on {Name(shot, on.On)}, which stays behind: it stands by itself.");
            }
        }
        var (elements, pieces, lights, steps) = (new List<Element>(), new List<Piece>(), new List<Light>(), new List<FinishStep>());
        PlateLook? look = null;
        foreach (string place in places)
        {
            if (shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == place) is { } element)
            {
                elements.Add(Alone(element, chosen, told));
            }
            else if (shot.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == place) is { } piece)
            {
                pieces.Add(Alone(piece, told));
            }
            else if (shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == place) is { } light)
            {
                lights.Add(Alone(light, chosen, told));
            }
            else if (shot.Finish.Steps.FirstOrDefault(s => ShotCurves.PlaceOf("finish/steps", s.Id) == place) is { } step)
            {
                if (step.Matte is not null)
                {
                    told.Add($"{step.Id} was kept to a matte of this shot, which stays behind.");
                }
                steps.Add(step with { Matte = null });
            }
            else
            {
                look = place == "look" ? shot.Look : throw new ArgumentException($"There is no {place} in the shot.");
            }
        }
        Vec3? Stands(string list, string id, bool hangs, Vec3 at) =>
            hangs ? null : shot.Curves.FirstOrDefault(c => c.Id == $"{ShotCurves.PlaceOf(list, id)}/position")?.TripleAt(frame) ?? at;
        return new()
        {
            Elements = elements,
            Pieces = pieces,
            Lights = lights,
            Steps = steps,
            Look = look,
            Curves = [.. shot.Curves.Where(c => chosen.Any(p => c.Id.StartsWith(p + "/", StringComparison.Ordinal)))],
            FirstFrame = shot.Range.First,
            Rate = shot.Rate,
            Foot = elements.Select(e => Stands("elements", e.Id, e.HangsOn is not null, e.Position)).FirstOrDefault(p => p is not null)
                ?? pieces.Select(p => Stands("pieces", p.Id, p.HangsOn is not null, p.Position)).FirstOrDefault(p => p is not null)
                ?? lights.Select(l => Stands("lights", l.Id, l.HangsOn is not null, l.Position)).FirstOrDefault(p => p is not null)
                ?? default,
        };
    }

    /// <summary>The shot with it; and the places that its things have there.</summary>
    /// <param name="at">Where its foot is put down; null: it stands where it stood.</param>
    public (ShotDocument Shot, IReadOnlyList<string> Places) In(ShotDocument shot, Vec3? at, List<string> told)
    {
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        string New(string list, string id, IEnumerable<string> taken)
        {
            // Neither what the shot has nor what the part itself brings under a name of its own.
            HashSet<string> all =
            [
                .. taken,
                .. names.Values.Where(n => n.StartsWith(list + "/", StringComparison.Ordinal)).Select(n => n[(list.Length + 1)..]),
            ];
            string own = all.Contains(id) ? FreeId.Of(all, id) : id;
            names[ShotCurves.PlaceOf(list, id)] = ShotCurves.PlaceOf(list, own);
            return own;
        }
        string[] elementIds = [.. Elements.Select(e => New("elements", e.Id, shot.Elements.Select(x => x.Id)))],
            pieceIds = [.. Pieces.Select(p => New("pieces", p.Id, shot.Pieces.Select(x => x.Id)))],
            lightIds = [.. Lights.Select(l => New("lights", l.Id, shot.Lights.Select(x => x.Id)))],
            stepIds = [.. Steps.Select(s => New("finish/steps", s.Id, shot.Finish.Steps.Select(x => x.Id)))];
        int later = shot.Range.First - FirstFrame;
        Vec3 by = at is { } to ? to - Foot : default;
        if (Rate != shot.Rate && Curves.Count > 0)
        {
            told.Add($"Its keys were set at {Rate} frames a second, this shot has {shot.Rate}: they stand at the same frames.");
        }
        string Renamed(string on) => Among(names.Keys, on) is { } was ? names[was] + on[was.Length..] : on;
        Carrier? Hung(Carrier? c) =>
            c is null
                ? null
                : c with
                {
                    On = Renamed(c.On),
                    During = [.. c.During.Select(d => new CarrierSpan(d.From + later, d.To + later))],
                };
        Aim? Aimed(Aim? a) =>
            a is { On: { } on } ? a with { On = Renamed(on) }
            : a is null ? null
            : a with { Place = a.Place + by };
        Vec3 Put(Vec3 place, Carrier? on) => on is null ? place + by : place;
        Element[] elements =
        [
            .. Elements.Select(
                (e, k) =>
                    e with
                    {
                        Id = elementIds[k],
                        Position = Put(e.Position, e.HangsOn),
                        HangsOn = Hung(e.HangsOn),
                        AimsAt = Aimed(e.AimsAt),
                        Spots = [.. e.Spots.Select(s => s with { FirstFrame = s.FirstFrame + later })],
                        FromFrame = e.FromFrame + later,
                        ToFrame = e.ToFrame + later,
                        Motion = e.Motion is null ? null : e.Motion with { StartFrame = e.Motion.StartFrame + later },
                        Frames = e.Frames is null
                            ? null
                            : e.Frames with
                            {
                                Mapping = e.Frames.Mapping with { ShotFrame = e.Frames.Mapping.ShotFrame + later },
                            },
                        LetGo = e.LetGo is null
                            ? null
                            : e.LetGo with
                            {
                                AtFrame = e.LetGo.AtFrame + later,
                                RestFrame = e.LetGo.RestFrame + later,
                                FellFrom = null,
                            },
                    }
            ),
        ];
        Piece[] pieces =
        [
            .. Pieces.Select(
                (p, k) =>
                    p with
                    {
                        Id = pieceIds[k],
                        Position = Put(p.Position, p.HangsOn),
                        HangsOn = Hung(p.HangsOn),
                        GoneFrom = p.GoneFrom + later,
                    }
            ),
        ];
        Light[] lights =
        [
            .. Lights.Select(
                (l, k) =>
                    l with
                    {
                        Id = lightIds[k],
                        Position = Put(l.Position, l.HangsOn),
                        HangsOn = Hung(l.HangsOn),
                        AimsAt = Aimed(l.AimsAt),
                    }
            ),
        ];
        ValueCurve Curve(ValueCurve c)
        {
            var (was, now) = names.FirstOrDefault(n => c.Id.StartsWith(n.Key + "/", StringComparison.Ordinal));
            bool free = was is not null && c.Id == was + "/position" && CarrierOf(AsShot(), was) is null;
            return c with
            {
                Id = was is null ? c.Id : now + c.Id[was.Length..],
                Keys = [.. c.Keys.Select(k => k with { Frame = k.Frame + later, Triple = free && k.Triple is { } t ? t + by : k.Triple })],
            };
        }
        return (
            shot with
            {
                Elements = [.. shot.Elements, .. elements],
                Pieces = [.. shot.Pieces, .. pieces],
                Lights = [.. shot.Lights, .. lights],
                Finish = shot.Finish with { Steps = [.. shot.Finish.Steps, .. Steps.Select((s, k) => s with { Id = stepIds[k] })] },
                Look = Look ?? shot.Look,
                Curves = [.. shot.Curves, .. Curves.Select(Curve)],
            },
            [.. names.Values]
        );
    }

    /// <summary>All its things known to be from a place of the shelf, with whose they are.</summary>
    public ShotPart From(long thing, int version, string name, AssetCredit credit) =>
        this with
        {
            Elements = [.. Elements.Select(e => e with { FromShelf = new(thing, version, name, e.Id), Credit = credit })],
            Pieces = [.. Pieces.Select(p => p with { FromShelf = new(thing, version, name, p.Id), Credit = credit })],
            Lights = [.. Lights.Select(l => l with { FromShelf = new(thing, version, name, l.Id), Credit = credit })],
        };

    /// <summary>The thing that a carrier is, or that has the spot that it is; null: it is none of these.</summary>
    private static string? Among(IEnumerable<string> places, string on) =>
        places.FirstOrDefault(p => on == p || on.StartsWith(p + "/", StringComparison.Ordinal));

    private static Carrier? CarrierOf(ShotDocument shot, string place) =>
        shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == place)?.HangsOn
        ?? shot.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == place)?.HangsOn
        ?? shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == place)?.HangsOn;

    private static string Name(ShotDocument shot, string place)
    {
        string Or(string? name) => name is { Length: > 0 } ? name : place[(place.LastIndexOf('/') + 1)..];
        return Or(
            shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == place)?.Name
                ?? shot.Pieces.FirstOrDefault(p => ShotCurves.PlaceOf("pieces", p.Id) == place)?.Name
                ?? shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == place)?.Name
        );
    }

    /// <summary>The same, unless it is at something that stays behind.</summary>
    private static Aim? Aimed(Aim? aim, string name, HashSet<string> chosen, List<string> told)
    {
        if (aim?.On is not { } on || Among(chosen, on) is not null)
        {
            return aim;
        }
        told.Add($"{name} aimed at something that stays behind.");
        return null;
    }

    private static Element Alone(Element e, HashSet<string> chosen, List<string> told)
    {
        if (e.Kind == ElementKind.Rendered)
        {
            throw new ArgumentException($"{e.Name} was rendered through this shot’s camera: it cannot stand in another shot.");
        }
        if (e.Broke is not null || e.DustOf is not null)
        {
            throw new ArgumentException($"{e.Name} is what a piece of this shot broke into: it stays with that.");
        }
        e = e with { AimsAt = Aimed(e.AimsAt, e.Name, chosen, told) };
        if (e.Scatter?.Matte is not null)
        {
            told.Add($"{e.Name} is strewn by a matte of this shot, which stays behind.");
            e = e with { Scatter = e.Scatter with { Matte = null } };
        }
        return e with { FromShelf = null };
    }

    private static Piece Alone(Piece p, List<string> told)
    {
        if (p.Kind == PieceKind.Figure)
        {
            throw new ArgumentException($"{p.Name} is somebody filmed in this shot: the figure stays with its matte.");
        }
        if (p.Duties.SeenWithin is not null)
        {
            told.Add($"{p.Name} is seen within a matte of this shot, which stays behind.");
        }
        return p with { FromShelf = null, Duties = p.Duties with { SeenWithin = null } };
    }

    private static Light Alone(Light l, HashSet<string> chosen, List<string> told)
    {
        l = l with { AimsAt = Aimed(l.AimsAt, l.Name, chosen, told) };
        if (l.ShadeMatte is not null)
        {
            told.Add($"{l.Name} is shaded by a matte of this shot, which stays behind.");
        }
        return l with { FromShelf = null, ShadeMatte = null };
    }
}
