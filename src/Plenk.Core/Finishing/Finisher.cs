using Plenk.Core.Finishing.Steps;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>Lays the steps of a shot on a rendered frame, in the order of <see cref="StepKinds.All"/>.</summary>
public static class Finisher
{
    /// <summary>The frame with its steps; the same where there are none.</summary>
    /// <param name="whole">With those that are of all that is seen.</param>
    /// <exception cref="FinishFault">A step cannot be done as it is set.</exception>
    public static FrameLayers Run(
        FrameLayers layers,
        FloatImage plate,
        IReadOnlyList<FinishStep> steps,
        FinishContext context,
        bool whole = false
    )
    {
        FinishStep[] order =
        [
            .. steps.Where(s => s is { Off: false, Strength: > 0 } && (whole || !StepKinds.Of(s).OfWhole)).OrderBy(s => s.Kind),
        ];
        bool joins = layers.Rendered.Any(r => r.Shadow is not null);
        if (order.Length == 0 && !joins)
        {
            return layers;
        }
        var canvas = new FinishCanvas(layers, plate, context);
        // Shadows that came with rendered elements are joined whether or not somebody set how.
        if (joins && !order.Any(s => s.Kind == FinishKind.ShadowMerge))
        {
            ShadowMergeKind.Join(canvas, new());
        }
        foreach (FinishStep s in order.Where(s => !StepKinds.Of(s).AfterMerge))
        {
            StepKinds.Of(s).Lay(canvas, s);
        }
        canvas.Merge();
        foreach (FinishStep s in order.Where(s => StepKinds.Of(s).AfterMerge))
        {
            StepKinds.Of(s).Lay(canvas, s);
        }
        return canvas.Frame();
    }
}
