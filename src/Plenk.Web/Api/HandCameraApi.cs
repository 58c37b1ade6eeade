using Plenk.Core.Cameras;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

public sealed record HandCameraRequest(int BaseRevision, int Frame);

/// <param name="Drag">From x, y to x, y, pixels of the plate; null: none is under way.</param>
public sealed record HandLookRequest(int Frame, HandGrid Grid = HandGrid.Floor, HandMove How = HandMove.Turn, double[]? Drag = null);

public sealed record RectangleRequest(
    int BaseRevision,
    int Frame,
    double[] Corners,
    double AcrossMetres = 1,
    double? UpMetres = null,
    bool Wall = false,
    bool HoldFocal = false,
    bool Piece = false
);

/// <summary>A camera that is set by hand.</summary>
public static class HandCameraApi
{
    public static void MapHandCamera(this WebApplication app)
    {
        var api = app.MapGroup("/api/shots/{id:long}/camera/hand").WithTags("Camera");

        api.MapPost("", async (long id, HandCameraRequest r, ShotStore shots, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                ShotDocument begun = HandCameraWork.Begun(document, r.Frame);
                await ShotApi.Keep(shots, id, http, begun, "Camera set by hand", $"{r.BaseRevision}", revision.Number);
                return await ShotApi.State(shots, id);
            })
            .WithSummary("Begins a camera that is set by hand, where the shot’s stands at a frame, else at eye height");

        api.MapPost("/look", async (long id, HandLookRequest r, ShotStore shots) =>
            {
                var (document, _) = await ShotApi.Need(shots, id);
                if (r.Drag is { } d && (d.Length != 4 || !d.All(double.IsFinite)))
                {
                    throw new ShotFault("A drag goes from two numbers to two numbers.");
                }
                return HandCameraWork.Look(
                    document,
                    r.Frame,
                    r.Grid,
                    r.How,
                    r.Drag is { } drag ? (drag[0], drag[1], drag[2], drag[3]) : null
                );
            })
            .WithSummary(
                "Grid, horizon and rectangle as a camera set by hand sees them, moved by a drag or as it stands; nothing is saved"
            );

        api.MapPost("/rectangle", async (long id, RectangleRequest r, ShotStore shots, HttpContext http) =>
            {
                var (document, revision) = await ShotApi.Need(shots, id);
                var (found, notes) = HandCameraWork.Rectangle(
                    document,
                    r.Frame,
                    new(r.Corners, r.AcrossMetres, r.UpMetres, r.Wall, r.HoldFocal, r.Piece)
                );
                await ShotApi.Keep(shots, id, http, found, "Camera by a rectangle", $"{r.BaseRevision}", revision.Number);
                return new { state = await ShotApi.State(shots, id), notes };
            })
            .WithSummary("The camera that sees a real rectangle’s corners there; in a further frame, keys of it");
    }
}
