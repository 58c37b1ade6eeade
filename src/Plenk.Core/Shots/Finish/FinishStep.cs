namespace Plenk.Core.Shots;

/// <summary>One step of closing the match. Which settings count is told by its kind; pixels are the plate's.</summary>
public sealed record FinishStep : Extensible
{
    public required string Id { get; init; }
    public FinishKind Kind { get; init; }
    public bool Off { get; init; }

    /// <summary>How much of it is laid on, 0 to 1.</summary>
    public double Strength { get; init; } = 1;

    /// <summary>Id of the matte it is kept to; null: everywhere.</summary>
    public string? Matte { get; init; }
    public bool OutsideMatte { get; init; }

    /// <summary>The sphere of air that it is kept to; null: to none.</summary>
    public AirSphere? Sphere { get; init; }

    /// <summary>The distances and heights that it is kept to; null: to none.</summary>
    public FinishBand? Band { get; init; }

    /// <summary>Names of elements and of materials that it is kept to, through ID mattes; none: all.</summary>
    public IReadOnlyList<string> Objects { get; init; } = [];

    /// <summary>It is kept to elements and seen pieces of such a name too: * stands for any letters, ? for one; null: to none by its name.</summary>
    public string? Named { get; init; }
    public IReadOnlyList<string> Materials { get; init; } = [];

    /// <summary>Names in the ID mattes that elements rendered elsewhere bring: it is kept to these too.</summary>
    public IReadOnlyList<RenderedId> RenderedIds { get; init; } = [];

    /// <summary>Elements whose footage brings this already: they are left out.</summary>
    public IReadOnlyList<string> Except { get; init; } = [];
    public GradePart Of { get; init; }
    public string? Light { get; init; }
    public GradeSettings? Grade { get; init; }
    public SaturationBands? Saturation { get; init; }
    public LevelMatch? Levels { get; init; }
    public HazeSettings? Haze { get; init; }
    public DefocusSettings? Defocus { get; init; }
    public LensMarks? Lens { get; init; }
    public ShadowSettings? Shadow { get; init; }
    public ShadowJoinSettings? ShadowJoin { get; init; }
    public DrawnShadowSettings? DrawnShadow { get; init; }
    public FlareSettings? Flare { get; init; }
    public BeamSettings? Beam { get; init; }
    public WholeSettings? Whole { get; init; }
    public RippleSettings? Ripple { get; init; }
    public ReframeSettings? Reframe { get; init; }

    /// <summary>Of a blur: its standard deviation, how far wrap and glow reach, how much softer a drawn shadow is.</summary>
    public double Pixels { get; init; }

    /// <summary>Of motion by vectors: how long the shutter was open.</summary>
    public double Degrees { get; init; } = 180;

    /// <summary>Of glow: linear light above which it begins.</summary>
    public double Threshold { get; init; } = 1;
}
