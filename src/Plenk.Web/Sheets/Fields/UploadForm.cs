using System.Globalization;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>Files that are chosen, or dropped here, and brought in by a press, with the fields that stand in it.</summary>
[HtmlTargetElement("upload-form")]
public sealed class UploadForm : SheetHelper
{
    /// <summary>The API's address of this shot that takes them.</summary>
    public string Path { get; set; } = "";

    /// <summary>The button's words, and the chooser's name.</summary>
    public string Label { get; set; } = "";
    public string Accept { get; set; } = "";

    /// <summary>The chooser's name where it is another than the button's.</summary>
    public string? FileLabel { get; set; }

    /// <summary>Said while the answer is not there.</summary>
    public string While { get; set; } = "Sending it.";
    public bool Many { get; set; }
    public bool Next { get; set; }

    /// <summary>What is chosen then, as kind:property of the answer; of several properties they stand side by side.</summary>
    public string? Chooses { get; set; }

    /// <summary>Said once the files are there and what follows runs in the tray.</summary>
    public string? Telling { get; set; }

    /// <summary>
    /// The place in the document that the answer, or its part named by <see cref="Take"/>, is set at; none: the document has it already.
    /// </summary>
    public string? Into { get; set; }
    public string? Take { get; set; }

    public override async Task ProcessAsync(TagHelperContext context, TagHelperOutput output)
    {
        (output.TagName, output.TagMode) = ("form", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("data-upload", Sheet.Api(Path));
        output.Attributes.SetAttribute("action", Sheet.Api(Path));
        output.Attributes.SetAttribute("method", "post");
        output.Attributes.SetAttribute("enctype", "multipart/form-data");
        output.Attributes.SetAttribute("data-while", While);
        if (Chooses is not null)
        {
            output.Attributes.SetAttribute("data-chooses", Chooses);
        }
        if (Telling is not null)
        {
            output.Attributes.SetAttribute("data-telling", Telling);
        }
        if (Into is not null)
        {
            output.Attributes.SetAttribute("data-into", Into);
        }
        if (Take is not null)
        {
            output.Attributes.SetAttribute("data-take", Take);
        }
        // What is brought in begins where one looks.
        TagBuilder frame = Tag("input");
        frame.Attributes["type"] = "hidden";
        frame.Attributes["name"] = "frame";
        frame.Attributes["value"] = Sheet.Frame.ToString(CultureInfo.InvariantCulture);
        output.Content.AppendHtml(frame);
        TagBuilder file = Tag("input");
        file.Attributes["type"] = "file";
        file.Attributes["name"] = "files";
        file.Attributes["accept"] = Accept;
        file.Attributes["aria-label"] = FileLabel ?? Label;
        if (Many)
        {
            file.Attributes["multiple"] = "";
        }
        TagBuilder button = Tag("button");
        button.Attributes["type"] = "submit";
        if (Next)
        {
            button.AddCssClass("next");
        }
        button.InnerHtml.Append(Label);
        TagBuilder actions = Tag("div");
        actions.AddCssClass("actions");
        actions.InnerHtml.AppendHtml(file);
        actions.InnerHtml.AppendHtml(button);
        output.Content.AppendHtml(await output.GetChildContentAsync());
        output.Content.AppendHtml(actions);
    }
}
