using Plenk.Core.Edits;
using Plenk.Core.Finishing;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>What the finish's sheet offers.</summary>
public static class FinishSheet
{
    public static IReadOnlyList<(string Way, string Text)> Looks { get; } =
    [
        ("after", "the comp"),
        ("bare", "it without these steps"),
        ("element", "the element alone"),
        ("edges", "edges only"),
        ("exposure", "exposure in false colour"),
        ("lifted", "blacks raised, colour × 3"),
    ];

    public static IReadOnlyList<(string, string)> Parts { get; } =
    [
        (nameof(GradePart.Element), "the element"),
        (nameof(GradePart.Diffuse), "its diffuse"),
        (nameof(GradePart.Specular), "its specular"),
        (nameof(GradePart.Reflection), "its reflection"),
        (nameof(GradePart.Emission), "its own light"),
        (nameof(GradePart.Light), "one light’s part"),
        (nameof(GradePart.Added), "new lamps on the set"),
        (nameof(GradePart.Mirror), "what mirrors show"),
    ];

    public static string Aside(FinishStep s) =>
        (
            s.Off ? "off"
            : s.Strength < 1 ? $"{Math.Round(100 * s.Strength)} %"
            : ""
        )
        + (
            StepKinds.Of(s) is { OfWhole: true } ? " last"
            : StepKinds.Of(s).AfterMerge ? " after the merge"
            : ""
        );

    /// <summary>Edits that add a step of each kind. What it must name of the shot is the first there is.</summary>
    public static IEnumerable<(string Edits, string Title)> ToAdd(ShotDocument shot) =>
        StepKinds.All.Select(k =>
        {
            string id = FreeId.Of(shot.Finish.Steps.Select(s => s.Id), k.Kind.ToString().ToLowerInvariant());
            Edit[] edits =
            [
                // A shutter that is set is that of vectors too.
                Edit.Add(
                    "finish/steps",
                    k.Default with
                    {
                        Id = id,
                        Degrees = shot.ShutterDegrees > 0 ? shot.ShutterDegrees : k.Default.Degrees,
                    }
                ),
                .. k
                    .Fields.Where(f => f.Shape is FieldShape.Light or FieldShape.Shining)
                    .Select(f => Edit.Set($"finish/steps/{id}/{f.Path.Replace('.', '/')}", shot.Lights.FirstOrDefault(k.Takes)?.Id ?? "")),
            ];
            return (SheetView.Json(new { edits, choose = $"finish:{id}" }), k.Title);
        });

    /// <summary>What takes a shot's steps to others: those that are set anew, and those that come.</summary>
    public static IReadOnlyList<Edit> To(ShotDocument shot, FinishChoice finish) =>
        [
            .. finish
                .Steps.Where(s => shot.Finish.Steps.All(o => SheetView.Json(o) != SheetView.Json(s)))
                .Select(s =>
                    shot.Finish.Steps.Any(o => o.Id == s.Id)
                        ? Edit.Set($"finish/steps/{EditPath.Escape(s.Id)}", s)
                        : Edit.Add("finish/steps", s)
                ),
        ];

    /// <summary>The partial that draws a kind's fields: most are drawn as the kind describes them.</summary>
    public static string FieldsOf(FinishKind kind) =>
        kind is FinishKind.Whole ? $"_{FinishKind.Grade}"
        : kind is FinishKind.Grade or FinishKind.Ripple or FinishKind.Reframe ? $"_{kind}"
        : "_Fields";

    /// <param name="Element">What it is called.</param>
    /// <param name="Names">In its ID mattes, and how much of the picture they take.</param>
    public sealed record BroughtIds(string Element, IReadOnlyList<string> Notes, IReadOnlyList<(RenderedId Id, string Share)> Names);

    /// <summary>What elements bring that a step can be kept to: materials, and names in ID mattes. Reads their files.</summary>
    public static (string[] Materials, IReadOnlyList<BroughtIds> Rendered) Brought(
        ShotEngine engine,
        ShotDocument shot,
        FinishStep step,
        IEnumerable<Element> elements,
        int frame
    )
    {
        SortedSet<string> materials = [.. step.Materials];
        var rendered = new List<BroughtIds>();
        foreach (Element e in elements)
        {
            string called = e.Name.Length > 0 ? e.Name : e.Id;
            try
            {
                if (e.Kind is ElementKind.Mesh or ElementKind.Lettering)
                {
                    materials.UnionWith(engine.Model(shot, e).Materials.Select(m => m.Name));
                }
                if (e.Kind == ElementKind.Rendered)
                {
                    var (names, notes) = engine.IdNames(shot, e, frame);
                    var all = names
                        .Select(n => (Id: new RenderedId(e.Id, n.Layer, n.Name), Share: n.Share > 0 ? Percent(n.Share) : "not seen here"))
                        .ToList();
                    all.AddRange(
                        step.RenderedIds.Where(r => r.Element == e.Id && all.All(a => a.Id != r)).Select(r => (r, "not seen here"))
                    );
                    rendered.Add(new(called, notes, all));
                }
            }
            catch (Exception fault) when (fault is ShotFault or FormatFault or MissingMediaException)
            {
                rendered.Add(new(called, [fault.Message], []));
            }
        }
        return ([.. materials], rendered);
    }

    private static string Percent(double share) => $"{Quantity.Show(100 * share, share < 0.01 ? 2 : 1)} %";
}
