using System.Numerics;
using Plenk.Core.Edits;
using Plenk.Core.Finishing;
using Plenk.Core.Finishing.Steps;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Looks;

namespace Plenk.Work;

/// <summary>The grade of everything beside a comp that goes without it: as a CDL, or as a LUT on the plate's codes.</summary>
public static class WholeGrade
{
    private const int Size = 33;

    public static IReadOnlyList<FinishStep> Of(ShotDocument shot) => [.. shot.Finish.InOrder().Where(s => StepKinds.Of(s).OfWhole)];

    /// <summary>A matte, objects or a strength keep it to a part: no file of colours alone can say so.</summary>
    private static bool IsKept(FinishStep s) =>
        s.Matte is not null || s.Strength < 1 || s.Objects.Count + s.Materials.Count > 0 || s.Named is not null;

    private static bool IsKeyed(ShotDocument shot, FinishStep s) =>
        shot.Curves.Any(c => c.Id.StartsWith($"finish/steps/{EditPath.Escape(s.Id)}/", StringComparison.Ordinal));

    /// <summary>What is handed over beside the comp, and what it is.</summary>
    public static IEnumerable<(string Name, byte[] Bytes, string What)> Files(ShotDocument shot, string stem)
    {
        IReadOnlyList<FinishStep> steps = Of(shot);
        if (steps.Count == 0 || steps.Any(s => IsKept(s) || IsKeyed(shot, s)))
        {
            yield break;
        }
        if (
            steps is [{ Saturation: null or { Dark: 1, Middle: 1, Light: 1 }, Grade: { Cdl: { } cdl } grade }]
            && grade with { Cdl = null } == new GradeSettings()
        )
        {
            yield return ($"{stem}.grade.cc", CdlFile.Write(cdl.ToCdl(), stem), "the grade of everything, CDL on ACEScct codes");
        }
        // Linear codes end at 1 and begin coarse: their LUT is on ACEScct instead.
        ColorSpace space =
            shot.Plate!.Space.Encoding == ColorEncoding.Linear ? ColorSpace.Of(ColorEncoding.AcesCct, null) : shot.Plate.Space;
        yield return (
            $"{stem}.grade.cube",
            CubeFile.Write(Lut(steps, space), stem),
            $"the grade of everything, LUT from and to codes in {space.Name}"
        );
    }

    /// <summary>Codes to codes, 33 a side.</summary>
    public static Lut Lut(IReadOnlyList<FinishStep> steps, ColorSpace space)
    {
        Func<Vector3, Vector3>[] each = [.. steps.Select(WholeKind.Of)];
        var values = new Vector3[Size * Size * Size];
        for (int i = 0; i < values.Length; i++)
        {
            Vector3 light = space.ToLinear(new Vector3(i % Size, i / Size % Size, i / (Size * Size)) / (Size - 1));
            values[i] = space.ToCodes(each.Aggregate(light, (c, to) => to(c)));
        }
        return new(Size, true, Vector3.Zero, Vector3.One, values);
    }

    /// <summary>What the sheet says of it; null: there is none.</summary>
    public static string? Says(ShotDocument shot) =>
        Of(shot) switch
        {
            { Count: 0 } => null,
            var steps when steps.Any(IsKept) =>
                "A grade of everything is kept to a part of the picture: it is in what is for review alone, and no file of its own says it.",
            var steps when steps.Any(s => IsKeyed(shot, s)) =>
                "A grade of everything changes from frame to frame: it is in what is for review alone, and no file of its own says it.",
            var steps => "The grade of everything is in what is for review; comp and layers go without it, it stands beside them as a file."
                + (
                    steps.Any(s => s.Whole is { Glow: > 0 } or { Grain: > 0 })
                        ? " Its glow and its grain are in what is for review alone."
                        : ""
                ),
        };
}
