using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Outlines;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Outlines drawn with the picture's help: along its edges, or from strokes over what they hold.</summary>
public sealed class DrawnWithHelp(ShotEngine engine)
{
    /// <summary>Edges are looked for in a picture at most so wide.</summary>
    private const int WidestEdges = 1280;

    private readonly Cache<EdgePath> _edges = new(e => e.Bytes);

    /// <summary>The way along the strongest edge from a place to another, which is put on an edge that is near.</summary>
    /// <param name="x0">Pixels of the plate.</param>
    /// <returns>Open, pixels of the plate.</returns>
    public Curve AlongEdge(ShotDocument shot, int frame, double x0, double y0, double x1, double y1)
    {
        int width = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            wide = Math.Min(width, WidestEdges);
        if (!double.IsFinite(x0 + y0 + x1 + y1) || Math.Abs(x0) + Math.Abs(y0) + Math.Abs(x1) + Math.Abs(y1) > 1e6)
        {
            throw new ShotFault("That spot is far outside the picture. Click on the edge of what is meant.");
        }
        double by = (double)wide / width;
        EdgePath edges = _edges.Get(ResultKey.Of("edges", 1, Reduced.Plate(shot), frame, wide), () =>
            new(engine.Plates.QuietPlate(shot, frame, wide))
        );
        var (x, y) = edges.Snapped(x1 * by, y1 * by);
        return edges.Between(x0 * by, y0 * by, x, y).Sized(1 / by);
    }

    /// <summary>A stroke more over a drawn matte, and its outline found anew in that frame: from all its strokes, or as this one corrects it.</summary>
    /// <returns>And how sure it is, and what is to be said of it.</returns>
    public (Matte Matte, string Told) Stroked(ShotDocument shot, Matte matte, int frame, MatteStroke stroke)
    {
        int width = shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1."),
            wide = Math.Min(width, OutlineFollower.WidestPixels);
        if (matte.Kind != MatteKind.Drawn || matte.Open)
        {
            throw new ShotFault($"{matte.Name} is no drawn shape that encloses something: strokes find only these.");
        }
        if (stroke.Points.Length < 2 || stroke.Points.Length % 2 != 0 || stroke.Points.Any(v => !double.IsFinite(v)))
        {
            throw new ShotFault("The stroke has no place in the picture. Draw it again.");
        }
        if (stroke.Points.Length > MostPlaces || !(stroke.WidthPixels > 0) || stroke.WidthPixels > width)
        {
            throw new ShotFault($"The stroke has more than {MostPlaces / 2:N0} places, or is wider than the picture. Draw a shorter one.");
        }
        double by = (double)wide / width;
        MatteKey? here = matte.Keys.FirstOrDefault(k => k.Frame == frame);
        bool corrects = matte.Keys.Count > 0 && here is not { Strokes.Count: > 0 };
        IReadOnlyList<MatteStroke> strokes = corrects || here is null ? [stroke] : [.. here.Strokes, stroke];
        FloatImage picture = engine.Plates.QuietPlate(shot, frame, wide);
        StrokeFound found;
        try
        {
            found = StrokeCut.Of(
                picture,
                [.. strokes.Select(s => s.Sized(by))],
                corrects ? MatteShape.CurveAt(matte, frame)?.Sized(by) : null,
                Distances(shot, frame, picture.Width, picture.Height)
            );
        }
        catch (ArgumentException e)
        {
            throw new ShotFault(e.Message);
        }
        Matte made = OutlinePoints.WithKey(matte, frame, found.Curve.Sized(1 / by));
        return (
            made with
            {
                Keys = [.. made.Keys.Select(k => k.Frame == frame && !corrects ? k with { Strokes = strokes } : k)],
            },
            FormattableString.Invariant($"{found.Curve.Knots.Count} points, {100 * found.Confidence:0} % sure. {found.Told}").TrimEnd()
        );
    }

    /// <summary>Numbers of a stroke.</summary>
    private const int MostPlaces = 20_000;

    /// <summary>How far the set is by pixel, metres; null: there is no camera there, or nothing is built.</summary>
    private float[]? Distances(ShotDocument shot, int frame, int width, int height)
    {
        ShotDocument filmed = Reduced.Filmed(shot);
        if (filmed.Pieces.Count == 0 || ShotCamera.Of(shot)?.TryAt(frame, out Pose pose, out Pinhole pinhole) != true)
        {
            return null;
        }
        SetScene set = engine.Place.Set(Hanging.At(filmed, frame));
        RayGrid grid = engine.Grid(shot, frame, width, height);
        var result = new float[width * height];
        // Looks are told apart in a smaller picture: every second pixel does.
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                int i = y * width + x;
                if ((x & 1) == 1 && x > 0)
                {
                    result[i] = result[i - 1];
                    continue;
                }
                result[i] = float.NaN;
                if (grid.TryDirection(x, y, new(0.5f, 0.5f), out var d))
                {
                    Hit hit = set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                    result[i] = hit.IsHit ? hit.T : float.NaN;
                }
            }
        });
        return result;
    }
}
