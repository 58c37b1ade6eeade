using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>
/// A button of a sheet, told what it does: edits of the document, a request to the API, a hand of the step's own script, a look at the
/// picture, or a choice.
/// </summary>
[HtmlTargetElement("sheet-button")]
public sealed class SheetButton : SheetHelper
{
    /// <summary>Edits, made as one revision; without script too.</summary>
    public object? Edits { get; set; }

    /// <summary>Id of a choice whose values are edits.</summary>
    public string? EditsOf { get; set; }

    /// <summary>What is chosen after it, as kind:id; “kind:” chooses nothing.</summary>
    public string? Choose { get; set; }

    /// <summary>An address of the API of this shot that is asked, with this body.</summary>
    public string? Post { get; set; }
    public object? Body { get; set; }

    /// <summary>The same of another address.</summary>
    public string? PostTo { get; set; }

    public bool Disabled { get; set; }

    /// <summary>Said while the answer is not there.</summary>
    public string? Telling { get; set; }

    /// <summary>Named fields of the sheet that go into the body, under their names or as “member=field”.</summary>
    public string? With { get; set; }

    /// <summary>
    /// The place in the document that the answer, or its part named by <see cref="Take"/>, is set at; none: the document has it already.
    /// </summary>
    public string? Into { get; set; }
    public string? Take { get; set; }

    /// <summary>Name of a hand in the step's script.</summary>
    public string? Hand { get; set; }

    /// <summary>What the hand works on.</summary>
    public string? On { get; set; }

    /// <summary>The same as a value, written as JSON.</summary>
    public object? OnValue { get; set; }

    /// <summary>What the picture shows while it is pressed.</summary>
    public string? Compare { get; set; }

    /// <summary>It is the one to press next.</summary>
    public bool Next { get; set; }

    public override void Process(TagHelperContext context, TagHelperOutput output)
    {
        (output.TagName, output.TagMode) = ("button", TagMode.StartTagAndEndTag);
        void Set(string name, string? value)
        {
            if (value is not null)
            {
                output.Attributes.SetAttribute(name, value);
            }
        }
        Set("type", Edits is null && EditsOf is null ? "button" : "submit");
        if (Edits is not null)
        {
            string edits = SheetView.Json(Edits);
            Set("data-edits", edits);
            Set("form", "plain");
            Set("name", "edits");
            Set("value", edits);
        }
        if (EditsOf is not null)
        {
            Set("data-edits-of", EditsOf);
            Set("form", "plain");
            Set("name", "edits-of");
            Set("value", EditsOf);
        }
        Set("data-choose", Choose);
        Set("data-post", Post is null ? PostTo : Sheet.Api(Post));
        Set("disabled", Disabled ? "" : null);
        Set("data-body", Body is null ? null : SheetView.Json(Body));
        Set("data-telling", Telling);
        Set("data-with", With);
        Set("data-into", Into);
        Set("data-take", Take);
        Set("data-hand", Hand);
        Set("data-on", OnValue is null ? On : SheetView.Json(OnValue));
        if (Compare is not null)
        {
            Set("data-compare-with", Compare);
            Set("aria-pressed", Sheet.Compare == Compare ? "true" : "false");
        }
        if (Next)
        {
            Set("class", "next");
        }
    }
}
