using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A camera that is typed as another program has it: its axes found by frames that were rendered there, or said.</summary>
public static class TypedCameraWork
{
    /// <summary>Rays that pass this near to the positions are the camera's, pixels of theirs.</summary>
    private const double Fits = 2;

    /// <summary>The shot with that camera in all its frames, and what was found.</summary>
    /// <param name="axes">Name of one of <see cref="TypedCamera.Ways"/>; null: they are found by the positions of rendered frames.</param>
    /// <exception cref="ShotFault">Says what does not fit, and by how much.</exception>
    public static (ShotDocument Shot, IReadOnlyList<string> Notes) With(
        ShotDocument shot,
        TypedCamera typed,
        string? axes,
        int frame,
        Func<string, byte[]> media
    )
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("Bring the plate in first: the camera is read against its size and sensor.");
        if (typed.Fault is { } fault)
        {
            throw new ShotFault(fault);
        }
        double f = typed.FocalMm / plate.SensorWidthMm * plate.Width;
        var pinhole = new Pinhole(plate.Width, plate.Height, f, f, plate.Width / 2.0, plate.Height / 2.0, Lens.None);
        Element? tells = shot.Elements.FirstOrDefault(e => e.Kind == ElementKind.Rendered && e.Frames?.At(frame, shot.Rate) is not null);
        var notes = new List<string>();
        AxesGuess? way = axes is null
            ? null
            : TypedCamera.Ways.FirstOrDefault(w => w.Name == axes)
                ?? throw new ShotFault($"Axes are one of {string.Join("; ", TypedCamera.Ways.Select(w => w.Name))}.");
        if (tells is not null)
        {
            (FloatImage position, _, Pinhole own) = RelitWork.Passes(shot, tells, frame, pinhole, media);
            IReadOnlyList<AxesGuess> ranked = typed.Rank(position, own);
            AxesGuess best = way is null ? ranked[0] : ranked.First(r => r.Name == way.Name),
                next = ranked.First(r => r.Name != best.Name);
            if (best.Px is not { } px)
            {
                throw new ShotFault(
                    $"Too few places of {tells.Name} tell where it was seen from at {frame}. Go to a frame that shows more of it."
                );
            }
            if (px > Fits)
            {
                throw new ShotFault(
                    FormattableString.Invariant(
                        $"No such camera saw {tells.Name}: read {best.Name}, its positions lie {px:0.0} px off the rays. "
                    ) + "Look at place, aim, roll and focal length again, and at the plate’s sensor."
                );
            }
            // A camera that looks along the plane of two axes is as level by the one as by the other.
            AxesGuess[] alike = [.. ranked.Where(r => r.Px < Fits && r.Px < 2 * Math.Max(0.05, px))];
            if (way is null && alike.Length > 1)
            {
                throw new ShotFault(
                    $"{string.Join(" and ", alike.Select(a => a.Name))} fit alike: seen so, this camera does not tell which of its axes is up. Say it."
                );
            }
            way = best;
            notes.Add(
                FormattableString.Invariant(
                    $"Its axes are {best.Name}: positions of {tells.Name} lie on its rays to {px:0.00} px, read {next.Name} they are {next.Px ?? 0:0} px off."
                )
            );
            notes.Add("Its unit stands for both: rays cannot tell it.");
        }
        if (way is null)
        {
            throw new ShotFault("Say which of its axes is up, or bring frames in that were rendered through it, with their positions.");
        }
        if (typed.PoseBy(way) is not { } pose)
        {
            throw new ShotFault("The camera looks straight up or down: how it is turned about that is open. Move its aim a little aside.");
        }
        double[] toWorld = pose.ToRowMajor16();
        return (
            shot with
            {
                Camera = new()
                {
                    Name = "typed camera",
                    Rate = shot.Rate,
                    Mapping = new(shot.Range.First, shot.Range.First),
                    Width = plate.Width,
                    Height = plate.Height,
                    Samples =
                    [
                        .. Enumerable
                            .Range(shot.Range.First, shot.Range.Count)
                            .Select(k => new CameraSample(k, toWorld, f, pinhole.Cx, pinhole.Cy)),
                    ],
                },
                Solve = null,
                // What was named in another camera's space says nothing in this one's.
                Orientation = shot.Camera is null ? shot.Orientation : new(),
                Elements =
                [
                    .. shot.Elements.Select(e =>
                        tells is null || e.Kind != ElementKind.Rendered ? e : e with { Passes = Meaning(way, typed.Metres, e.Passes) }
                    ),
                ],
            },
            notes
        );
    }

    /// <summary>Positions of the same program: its axes and its unit. Normals are taken alike until they are found.</summary>
    private static PassMeaning Meaning(AxesGuess way, double metres, PassMeaning? now)
    {
        string name = PassReader.SignedPermutations.First(p => p.Axes == way.Axes).Name;
        return (now ?? new()) with
        {
            Positions = name,
            PositionsInCamera = false,
            Metres = metres,
            Margin = null,
            Normals = name,
            NormalsInCamera = false,
        };
    }
}
