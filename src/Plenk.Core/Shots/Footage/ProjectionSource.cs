using Plenk.Core.Images;

namespace Plenk.Core.Shots;

/// <summary>A picture laid on pieces from the camera that saw it; fades between two angles of incidence, and with distance.</summary>
public sealed record ProjectionSource : Extensible
{
    /// <summary>Most of <see cref="BeyondPixels"/>: a painting twice as wide as a 4K frame.</summary>
    public const int MostBeyond = 2048;

    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public SourceKind Kind { get; init; }

    /// <summary>Of a frame: its clean plate is laid on, where there is one.</summary>
    public bool Cleaned { get; init; }

    /// <summary>Id among <see cref="ShotDocument.OtherCameras"/>; null: the shot's own.</summary>
    public string? Camera { get; init; }

    /// <summary>The shot frame whose camera it is laid on from; void for a running plate.</summary>
    public int Frame { get; init; }

    /// <summary>Of a picture: its file, what its codes stand for, and how it came to be.</summary>
    public string? Media { get; init; }
    public ColorEncoding? Encoding { get; init; }

    /// <summary>As of a plate.</summary>
    public string? Primaries { get; init; }
    public string MadeBy { get; init; } = "";

    /// <summary>Of a picture that is a layer of a painted file: that layer's name. A newer file's layer of this name takes its place.</summary>
    public string? Layer { get; init; }

    /// <summary>The picture is the surface's own colour (albedo); it is laid on under the light that the set had in its frame.</summary>
    public bool OwnColour { get; init; }

    /// <summary>Id of a matte of its camera's frame: what lies inside is left out, or is all that is laid on.</summary>
    public string? Matte { get; init; }
    public bool MatteShows { get; init; }
    public double MatteFeatherPixels { get; init; } = 2;

    /// <summary>It fades out between two distances from its camera, metres; null: it does not.</summary>
    public double? FadeFromMetres { get; init; }
    public double? FadeToMetres { get; init; }

    /// <summary>Ids of pieces; empty: all that wear footage (<see cref="LiesOn"/>).</summary>
    public IReadOnlyList<string> Pieces { get; init; } = [];

    /// <summary>It is laid on those whatever else stands before them: a painted layer goes on behind what is nearer.</summary>
    public bool ThroughOthers { get; init; }

    /// <summary>Of a picture: it goes on beyond its camera's frame by so many pixels on every side.</summary>
    public int BeyondPixels { get; init; }

    /// <summary>Of a picture: it has grain already. What has none gets the plate's where it is seen.</summary>
    public bool HasGrain { get; init; }
    public double FadeFromDegrees { get; init; } = 72;
    public double FadeToDegrees { get; init; } = 84;
    public bool Off { get; init; }

    /// <summary>
    /// It is laid on a piece, if its camera sees it: on those that it names, else on all; footage shows nothing of what was not there, and
    /// is laid on that by name alone.
    /// </summary>
    public bool LiesOn(Piece piece) => Pieces.Count > 0 ? Pieces.Contains(piece.Id) : Kind == SourceKind.Picture || !piece.Duties.New;
}
