using Plenk.Core.Checks;
using Plenk.Core.Edits;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;

namespace Plenk.Web.Api;

/// <param name="Pictures">By frame of the range, from its first: which of the plate's pictures it shows; null where it has none.</param>
public sealed record ShotState(
    long Id,
    int Revision,
    string Who,
    string What,
    bool CanUndo,
    bool CanRedo,
    ShotDocument Document,
    IReadOnlyList<int?> Pictures
);

public sealed record SaveRequest(int BaseRevision, ShotDocument Document, string? What = null);

/// <param name="Edits">In their order.</param>
public sealed record EditsRequest(IReadOnlyList<Edit> Edits);

public sealed record StepRequest(int BaseRevision, int? Number = null);

public sealed record NewShot(string Production, string Sequence, string Code, string? Title);

public sealed record DraftRequest(ShotDocument Document);

/// <summary>Where a pivot goes: on a part of its element by name, or on the spot below a place of the picture, pixels of the plate.</summary>
public sealed record PivotRequest(ShotDocument Document, string? To = null, double? X = null, double? Y = null);

/// <summary>A revision with some of its lists changed: what a page shows while something is dragged.</summary>
public sealed record PreviewRequest(int Revision, Element[]? Elements, Light[]? Lights, Piece[]? Pieces, ValueCurve[]? Curves = null)
{
    public ShotDocument On(ShotDocument saved) =>
        saved with
        {
            Elements = Elements ?? saved.Elements,
            Lights = Lights ?? saved.Lights,
            Pieces = Pieces ?? saved.Pieces,
            Curves = Curves ?? saved.Curves,
        };
}

/// <summary>Shots, their ledgers, their readings.</summary>
public static class ShotApi
{
    /// <summary>Who is working: the name the artist gave this browser.</summary>
    public static string Who(HttpContext http) =>
        Plain(http.Request.Cookies["plenk-who"]) is { Length: > 0 } who ? who[..Math.Min(40, who.Length)] : "artist";

    /// <summary>A shot's code as it is typed.</summary>
    internal static string Code(string? typed)
    {
        string code = Plain(typed);
        return code.Length is 0 or > 40 || !code.All(c => char.IsAsciiLetterOrDigit(c) || c is '_' or '-')
            ? throw new ShotFault("The shot's code is made of letters, digits, _ and - (up to 40).")
            : code;
    }

    /// <summary>A line of text as it is typed: without what is no letter, digit or sign, and without blanks around it.</summary>
    private static string Plain(string? text) => new string([.. (text ?? "").Where(c => !char.IsControl(c))]).Trim();

    public static async Task<(ShotDocument Document, RevisionRow Revision)> Need(ShotStore shots, long id, int? revision = null) =>
        await shots.Read(id, revision)
        ?? throw new NotThereException(revision is null ? "There is no such shot." : $"There is no revision {revision}.");

    /// <summary>Something of another shot taken into one, as a revision.</summary>
    /// <param name="itself">What is said where the other one is the shot itself.</param>
    /// <param name="lay">This shot and the other: this one with it, and what that is called.</param>
    internal static async Task<ShotState> Borrowed(
        ShotStore shots,
        long id,
        long from,
        int baseRevision,
        HttpContext http,
        string itself,
        Func<ShotDocument, ShotDocument, (ShotDocument Changed, string What)> lay
    )
    {
        var (document, _) = await Need(shots, id);
        if (from == id)
        {
            throw new ShotFault(itself);
        }
        var (other, _) = await Need(shots, from);
        var (changed, what) = lay(document, other);
        Check(changed);
        await shots.Save(id, baseRevision, changed, Who(http), what);
        return await State(shots, id);
    }

    public static async Task<ShotState> State(ShotStore shots, long id)
    {
        var (document, r) = await Need(shots, id);
        int? parent = r.Content == r.Number ? r.Parent : (await Need(shots, id, r.Content)).Revision.Parent;
        return new(id, r.Number, r.Who, r.What, parent is not null, r.Redo.Length > 0, document, Pictures(document));
    }

    private static IReadOnlyList<int?> Pictures(ShotDocument shot)
    {
        if (shot.Plate is not { } plate)
        {
            return [];
        }
        var at = new Dictionary<int, int>();
        for (int i = 0; i < plate.Frames.Count; i++)
        {
            at.TryAdd(plate.Frames[i].Frame, i);
        }
        return
        [
            .. Enumerable
                .Range(shot.Range.First, shot.Range.Count)
                .Select(f => at.TryGetValue(plate.FrameAt(f, shot.Rate), out int i) ? i : (int?)null),
        ];
    }

    /// <summary>Keeps a change that a form made, on the revision that it names or else on the newest.</summary>
    public static async Task Keep(ShotStore shots, long id, HttpContext http, ShotDocument changed, string what, string? based, int newest)
    {
        changed = HandPath.Laid(ShotCurves.Pruned(changed));
        Check(changed);
        await shots.Save(id, int.TryParse(based, out int named) ? named : newest, changed, Who(http), what);
    }

    public static void Check(ShotDocument document)
    {
        IReadOnlyList<string> faults = ShotChecks.Faults(document);
        if (faults.Count > 0)
        {
            throw new ShotFault(string.Join(" ", faults));
        }
    }

    public static void MapShots(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots").WithTags("Shots");

        api.MapGet("/", (ShotStore shots) => shots.List()).WithSummary("All shots");

        api.MapPost("/", async (NewShot request, ShotStore shots, HttpContext http) =>
            {
                string production = Plain(request.Production),
                    sequence = Plain(request.Sequence),
                    code = Code(request.Code);
                if (production.Length is 0 or > 80)
                {
                    throw new ShotFault("Name the production (up to 80 letters).");
                }
                return await shots.Create(
                    new ShotDocument
                    {
                        Production = production,
                        Sequence = sequence,
                        Code = code,
                        Title = Plain(request.Title),
                    },
                    Who(http),
                    "New shot"
                );
            })
            .WithSummary("Makes a shot of a production");

        api.MapGet("/{id:long}", (long id, ShotStore shots) => State(shots, id))
            .WithSummary("A shot’s newest document, its revision, and which of the plate’s pictures each frame shows");

        api.MapPut(
                "/{id:long}",
                async (long id, SaveRequest request, ShotStore shots, MediaStore media, ShotEngine engine, HttpContext http) =>
                {
                    Check(request.Document);
                    ShotDocument before = (await Need(shots, id)).Document;
                    ShotSaving.Check(before, request.Document, media, engine);
                    await shots.Save(
                        id,
                        request.BaseRevision,
                        request.Document,
                        Who(http),
                        Plain(request.What) is { Length: > 0 } what ? what[..Math.Min(120, what.Length)] : "Change"
                    );
                    return await State(shots, id);
                }
            )
            .WithSummary("Keeps a whole document on the revision that it was made from; named edits are the better way");

        api.MapPost(
                "/{id:long}/edits",
                async (long id, EditsRequest request, ShotStore shots, MediaStore media, ShotEngine engine, HttpContext http) =>
                {
                    await shots.Edit(id, Who(http), newest =>
                    {
                        EditedShot made = Edits.Apply(newest, request.Edits);
                        ShotSaving.Check(newest, made.Document, media, engine);
                        return made;
                    });
                    return await State(shots, id);
                }
            )
            .WithSummary("Makes named changes, all or none, on the newest document")
            .WithDescription(
                "Each names a place, like “elements/bell/position”: members of lists by id, name or frame, “/” within a name written "
                    + "“~1”. What an edit says it was and is no longer is refused with 409 and the place; what cannot stand there with 422 "
                    + "and the place."
            );

        api.MapPost("/{id:long}/undo", async (long id, StepRequest request, ShotStore shots, HttpContext http) =>
            {
                await shots.Undo(id, request.BaseRevision, Who(http));
                return await State(shots, id);
            })
            .WithSummary("Goes back by one change");

        api.MapPost("/{id:long}/redo", async (long id, StepRequest request, ShotStore shots, HttpContext http) =>
            {
                await shots.Redo(id, request.BaseRevision, Who(http));
                return await State(shots, id);
            })
            .WithSummary("Makes the change again that was gone back from");

        api.MapPost("/{id:long}/restore", async (long id, StepRequest request, ShotStore shots, HttpContext http) =>
            {
                await shots.Restore(
                    id,
                    request.BaseRevision,
                    request.Number ?? throw new ShotFault("Say which revision to go back to."),
                    Who(http)
                );
                return await State(shots, id);
            })
            .WithSummary("Goes back to any earlier revision, as a change of its own");

        api.MapGet("/{id:long}/ledger", (long id, ShotStore shots) => shots.Ledger(id))
            .WithSummary("The shot’s changes, newest first, with values before and after");

        api.MapGet("/{id:long}/readings", async (long id, int? revision, ShotStore shots, Measuring measuring) =>
            {
                var (document, r) = await Need(shots, id, revision);
                var (readings, at) = await measuring.Read(document, id, r.Number);
                return readings is null ? Results.Accepted(value: at) : Results.Ok(readings);
            })
            .WithSummary("The readings of a revision; 202 with how far it is while they are measured");
    }
}
