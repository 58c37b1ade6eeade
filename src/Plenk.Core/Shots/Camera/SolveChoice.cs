namespace Plenk.Core.Shots;

/// <summary>How the camera is to be solved.</summary>
public sealed record SolveChoice : Extensible
{
    /// <summary>It turns about one place; else it travels.</summary>
    public bool Turns { get; init; }

    /// <summary>The plate's focal length is held; else it is found.</summary>
    public bool HoldFocal { get; init; }

    /// <summary>The lens zooms: every frame has a focal length of its own; a held one is that of the first frame.</summary>
    public bool Zooms { get; init; }

    /// <summary>none, k1 or k1k2.</summary>
    public string RefineLens { get; init; } = "k1k2";
    public bool RefinePrincipalPoint { get; init; }

    /// <summary>Tracks that were cleaned away.</summary>
    public IReadOnlyList<int> LeftOut { get; init; } = [];
}
