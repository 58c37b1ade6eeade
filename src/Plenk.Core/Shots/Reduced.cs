namespace Plenk.Core.Shots;

/// <summary>
/// Documents reduced to what a computation reads. The key of a result is the hash of the reduced document, and the computation is given
/// nothing else: it cannot read what its key does not know.
/// </summary>
public static class Reduced
{
    private static readonly ShotDocument Nothing = new()
    {
        Production = "",
        Sequence = "",
        Code = "",
    };

    /// <summary>Nothing of the shot: what has nothing to measure.</summary>
    public static ShotDocument None(ShotDocument shot) => Nothing;

    /// <summary>The plate, and which of its frames the shot has.</summary>
    public static ShotDocument Plate(ShotDocument shot) => Nothing with { Plate = shot.Plate, Range = shot.Range, Rate = shot.Rate };

    /// <summary>The camera in the world at any frame, and all that moves by itself.</summary>
    public static ShotDocument Camera(ShotDocument shot) =>
        Plate(shot) with
        {
            // Of one that is set by hand the samples tell all.
            Camera = shot.Camera is { Hand: not null } camera ? camera with { Hand = null } : shot.Camera,
            Orientation = shot.Orientation,
            SurveyPoints = Places(shot),
            MovingObjects = shot.MovingObjects,
            StoodAt = shot.StoodAt,
        };

    /// <summary>The set as it stands in any frame; somebody filmed stands by a matte and may be turned to the light.</summary>
    public static ShotDocument Set(ShotDocument shot)
    {
        ShotDocument set = WithCarriers(
            ShotCurves.Within(Camera(shot) with { Pieces = shot.Pieces, Seed = shot.Seed }, shot, "pieces"),
            shot
        );
        if (shot.Pieces.Any(p => p.Figure is { TowardsLight: true }))
        {
            set = ShotCurves.Within(set with { Lights = shot.Lights }, shot, "lights");
        }
        return shot.Pieces.Any(p => p.Figure is not null) ? WithMattes(set, shot) : set;
    }

    /// <summary>The set and what is laid on it from its cameras.</summary>
    public static ShotDocument Footage(ShotDocument shot)
    {
        ShotDocument set = Set(shot) with
        {
            Projections = shot.Projections,
            OtherCameras = shot.OtherCameras,
            ProjectionsMix = shot.ProjectionsMix,
            SeamBlendPixels = shot.SeamBlendPixels,
        };
        if (shot.Projections.Any(p => p.OwnColour))
        {
            set = Lit(set, shot);
        }
        if (shot.Projections.Any(p => p.Cleaned))
        {
            set = set with { CleanPlate = shot.CleanPlate };
        }
        return shot.Projections.Any(p => p.Matte is not null) ? WithMattes(set, shot) : set;
    }

    /// <summary>What lies under all that is added: the plate, what is seen of the set, and what was filmed before it.</summary>
    public static ShotDocument Background(ShotDocument shot)
    {
        ShotDocument footage = WithMattes(Footage(shot), shot);
        if (shot.Pieces.Any(p => p is { IsSeen: true, Duties.Lit: not PieceLit.AsFilmed }))
        {
            footage = Lit(footage, shot);
        }
        return ShotCurves.Within(footage, shot, "background") with
        {
            Background = shot.Background,
            BackgroundFrames = shot.Background == BackgroundKind.Frames ? shot.BackgroundFrames : null,
            CleanPlate = shot.Background == BackgroundKind.Clean ? shot.CleanPlate : footage.CleanPlate,
            ShutterDegrees = shot.ShutterDegrees,
            // Grain is measured where it was chosen.
            Cut = shot.Cut,
            Finish = new() { Region = shot.Finish.Region },
        };
    }

    /// <summary>What a clean plate is made of: what is there already does not tell.</summary>
    public static ShotDocument Clean(ShotDocument shot) =>
        WithMattes(Set(shot), shot) with
        {
            CleanPlate = shot.CleanPlate with { Frames = [], Told = [] },
            Projections = [.. shot.Projections.Where(p => shot.CleanPlate.Painted.Contains(p.Id))],
        };

    /// <summary>The set in its light.</summary>
    public static ShotDocument Light(ShotDocument shot) => Lit(Set(shot), shot);

    /// <summary>With those pieces alone that were there when the plate was shot: what the plate is held against.</summary>
    public static ShotDocument Filmed(ShotDocument shot) =>
        shot.Pieces.Any(p => p.Duties.New) ? shot with { Pieces = [.. shot.Pieces.Where(p => !p.Duties.New)] } : shot;

    /// <summary>What stands on the set.</summary>
    public static ShotDocument Contact(ShotDocument shot)
    {
        ShotDocument contact = WithCarriers(ShotCurves.Within(Set(shot) with { Elements = shot.Elements }, shot, "elements"), shot);
        return shot.Elements.Any(e => e.Scatter?.Matte is not null) ? WithMattes(contact, shot) : contact;
    }

    /// <summary>What stands on the set, in its light.</summary>
    public static ShotDocument Shadow(ShotDocument shot) => Lit(Contact(shot), shot);

    /// <summary>
    /// All that is seen of a frame, through whatever it is looked at: the shot without its names, its notes and what only judges it.
    /// </summary>
    public static ShotDocument Seen(ShotDocument shot) =>
        shot with
        {
            Production = "",
            Sequence = "",
            Code = "",
            Title = "",
            SharesPlace = null,
            SurveyPoints = Places(shot),
            Notes = [],
            Tolerances = Nothing.Tolerances,
            Sun = Nothing.Sun,
            StandIns = [],
            KnownLengths = [],
            Clouds = [],
            Still = null,
            Solving = Nothing.Solving,
            RealShadow = null,
            BackgroundFrames = shot.Background == BackgroundKind.Frames ? shot.BackgroundFrames : null,
            CleanPlate =
                shot.Background == BackgroundKind.Clean || shot.Projections.Any(p => p.Cleaned) ? shot.CleanPlate : Nothing.CleanPlate,
            Unknown = null,
        };

    /// <summary>
    /// The same before its steps of finishing, but for what these ask of rendered frames; and without what it is seen through.
    /// </summary>
    public static ShotDocument Bare(ShotDocument shot) =>
        Seen(shot) with
        {
            Look = Nothing.Look,
            Curves = [.. shot.Curves.Where(c => !c.Id.StartsWith("finish/", StringComparison.Ordinal))],
            // A background of our own takes the plate's grain, as it is measured.
            Cut = shot.ShowsPlate ? null : shot.Cut,
            Finish = new()
            {
                Region = shot.ShowsPlate ? null : shot.Finish.Region,
                Steps =
                [
                    .. shot
                        .Finish.InOrder()
                        .Where(s => s.RenderedIds.Count > 0)
                        .Select(s => new FinishStep
                        {
                            Id = s.Id,
                            Kind = s.Kind,
                            RenderedIds = s.RenderedIds,
                        }),
                ],
            },
        };

    /// <summary>Where points are; where they were clicked judges a camera and makes no picture.</summary>
    private static IReadOnlyList<SurveyPoint> Places(ShotDocument shot) =>
        shot.SurveyPoints.All(p => p.Clicks.Count == 0) ? shot.SurveyPoints : [.. shot.SurveyPoints.Select(p => p with { Clicks = [] })];

    private static ShotDocument WithMattes(ShotDocument to, ShotDocument shot)
    {
        bool elements = shot.Mattes.Any(m => m.Kind == MatteKind.Element && m.Frozen is null);
        bool strewn =
            (elements && shot.Elements.Any(e => e.Scatter is not null))
            // By a range of the set, which stands wherever it is.
            || (
                shot.Mattes.Any(m => m is { Kind: MatteKind.Range, Frozen: null, Range.Of: not MatteMeasure.Brightness })
                && to.Pieces.Count == 0
            );
        to = ShotCurves.Within(to, shot, "mattes", elements ? "elements" : "mattes", strewn ? "pieces" : "mattes") with
        {
            Pieces = strewn ? shot.Pieces : to.Pieces,
            Mattes = shot.Mattes,
            ShutterDegrees = shot.Mattes.Any(m => m.BlursByShutter) ? shot.ShutterDegrees : to.ShutterDegrees,
            Elements = elements ? shot.Elements : to.Elements,
            OtherCameras = shot.Mattes.Any(m => m.Kind == MatteKind.Filmed && m.Frozen is null) ? shot.OtherCameras : to.OtherCameras,
        };
        return elements || strewn ? WithCarriers(to, shot) : to;
    }

    /// <summary>With what its things hang on and look at, as far as their places go: these are off, and have no looks.</summary>
    private static ShotDocument WithCarriers(ShotDocument to, ShotDocument shot)
    {
        IEnumerable<string?> Asked(Carrier? on, Aim? aim) => [on?.On, aim?.On];
        var open = new Queue<string>(
            to.Pieces.SelectMany(p => Asked(p.HangsOn, null))
                .Concat(to.Elements.SelectMany(e => Asked(e.HangsOn, e.AimsAt)))
                .Concat(to.Lights.SelectMany(l => Asked(l.HangsOn, l.AimsAt)))
                .OfType<string>()
        );
        while (open.TryDequeue(out string? on))
        {
            // A spot's element is what it goes with.
            on = on.IndexOf("/spots/", StringComparison.Ordinal) is > 0 and var end ? on[..end] : on;
            if (
                shot.Elements.FirstOrDefault(e => ShotCurves.PlaceOf("elements", e.Id) == on) is { } e
                && to.Elements.All(o => o.Id != e.Id)
            )
            {
                var place = new Element
                {
                    Id = e.Id,
                    Kind = e.Kind,
                    Position = e.Position,
                    RotationYxzDegrees = e.RotationYxzDegrees,
                    Scale = e.Scale,
                    Stretch = e.Stretch,
                    Pivot = e.Pivot,
                    Spots = e.Spots,
                    HangsOn = e.HangsOn,
                    AimsAt = e.AimsAt,
                    Shake = e.Shake,
                    Off = true,
                };
                to = Keyed(to with { Elements = [.. to.Elements, place] }, on);
                Ask(e.HangsOn, e.AimsAt);
            }
            else if (shot.Lights.FirstOrDefault(l => ShotCurves.PlaceOf("lights", l.Id) == on) is { } l && to.Lights.All(o => o.Id != l.Id))
            {
                var place = new Light
                {
                    Id = l.Id,
                    Kind = l.Kind,
                    Position = l.Position,
                    Direction = l.Direction,
                    HangsOn = l.HangsOn,
                    AimsAt = l.AimsAt,
                    Shake = l.Shake,
                    Off = true,
                };
                to = Keyed(to with { Lights = [.. to.Lights, place] }, on);
                Ask(l.HangsOn, l.AimsAt);
            }
        }
        return to;

        void Ask(Carrier? on, Aim? aim)
        {
            foreach (string more in Asked(on, aim).OfType<string>())
            {
                open.Enqueue(more);
            }
        }

        ShotDocument Keyed(ShotDocument with, string on)
        {
            ValueCurve[] own =
            [
                .. shot.Curves.Where(c =>
                    c.Id.StartsWith(on + "/", StringComparison.Ordinal)
                    && c.Id[(on.Length + 1)..] is "position" or "rotationYxzDegrees" or "scale" or "direction"
                    && with.Curves.All(o => o.Id != c.Id)
                ),
            ];
            return own.Length == 0 ? with : with with { Curves = [.. with.Curves, .. own] };
        }
    }

    private static ShotDocument Lit(ShotDocument to, ShotDocument shot)
    {
        bool cards = shot.Elements.Any(e => e.Lights);
        to = ShotCurves.Within(to, shot, "lights", cards ? "elements" : "lights") with
        {
            Lights = shot.Lights,
            // One that is there already may be known by its place alone.
            Elements = cards
                ?
                [
                    .. to.Elements.Select(o => shot.Elements.FirstOrDefault(e => e.Lights && e.Id == o.Id) ?? o),
                    .. shot.Elements.Where(e => e.Lights && to.Elements.All(o => o.Id != e.Id)),
                ]
                : to.Elements,
        };
        to = WithCarriers(to, shot);
        return shot.Lights.Any(l => l.ShadeMatte is not null) ? WithMattes(to, shot) : to;
    }
}
