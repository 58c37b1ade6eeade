using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Plenk.Web.Sheets.Fields;

/// <summary>
/// A field of a sheet. With <see cref="At"/> it shows the document's value at that place, and what is typed becomes an edit of it; with
/// <see cref="Name"/> alone it belongs to the form or the button that asks for it.
/// </summary>
public abstract class FieldHelper : SheetHelper
{
    /// <summary>A place in the document, as edits name it.</summary>
    public string? At { get; set; }
    public string? Name { get; set; }
    public string Label { get; set; } = "";

    /// <summary>A member of a list that the place lies in and that is not there yet: it begins as this, known by its frame or id.</summary>
    public object? Begins { get; set; }

    /// <summary>
    /// A hand of the step's script that takes what is typed; “choose:name” keeps it for the page alone, “compare” changes what the picture
    /// shows.
    /// </summary>
    public string? Tells { get; set; }

    /// <summary>What the page's hand works on.</summary>
    public string? On { get; set; }

    /// <summary>The same as a value, written as JSON.</summary>
    public object? OnValue { get; set; }
    public bool Disabled { get; set; }

    private CurveField? _keyed;

    /// <summary>How the value at <see cref="At"/> is keyed over frames; null: it cannot be.</summary>
    protected CurveField? Keyed => At is null || Begins is not null || Disabled || !MayKey ? null : _keyed ??= CurveField.Of(Sheet, At);

    /// <summary>What is typed here can stand in a key.</summary>
    protected virtual bool MayKey => true;

    /// <summary>Where what is typed goes: the place itself, or its key at this frame.</summary>
    private string? EditAt => Keyed is { IsKeyed: true } k ? k.KeyAt : At;

    protected JsonNode? Stands => At is null ? null : Sheet.Value(At);

    protected string Id => $"f-{At ?? Name ?? Label}".Replace('/', '-').Replace(' ', '-');

    /// <summary>What the field is where it is sent without script (<see cref="PlainForm"/>).</summary>
    protected abstract string PlainKind { get; }

    // What begins with a key that is not there yet is the script's alone.
    private bool IsPlain =>
        At is not null
        && (Begins is null || Stands is not null)
        // Without script yes and no cannot be told from 1 and 0, which a key holds.
        && (Keyed is not { IsKeyed: true } k || (k.HasKey && PlainKind != "tick"));

    /// <summary>What was typed there and refused, in its order; else what is given.</summary>
    protected string Typed(string shown, int part = 0) =>
        IsPlain
        && ViewContext.HttpContext.Request is { HasFormContentType: true } request
        && request.Form[$"{PlainKind}:{EditAt}"] is { } sent
        && sent.Count > part
            ? sent[part] ?? ""
            : shown;

    /// <summary>What the field shows, sent along: numbers are rounded, and a place that is open shows what counts in its stead.</summary>
    protected void TellShown(TagHelperOutput output, params string[] texts) => Tell(output, PlainForm.Shown, texts);

    protected void Tell(TagHelperOutput output, string what, params string[] texts)
    {
        foreach (string text in IsPlain ? texts : [])
        {
            TagBuilder hidden = Tag("input");
            hidden.Attributes["type"] = "hidden";
            hidden.Attributes["name"] = $"{what}:{EditAt}";
            hidden.Attributes["value"] = text;
            hidden.Attributes["form"] = "plain";
            output.Content.AppendHtml(hidden);
        }
    }

    /// <summary>What all inputs of the field say of themselves.</summary>
    protected void Mark(TagBuilder input)
    {
        if (At is not null)
        {
            input.Attributes["data-at"] = EditAt;
            if (IsPlain)
            {
                input.Attributes["name"] = $"{PlainKind}:{EditAt}";
                input.Attributes["form"] = "plain";
            }
        }
        else if (Name is not null)
        {
            input.Attributes["name"] = Name;
        }
        if ((Begins ?? (Keyed is { IsKeyed: true } keyed ? keyed.Here : null)) is { } begins)
        {
            input.Attributes["data-begins"] = SheetView.Json(begins);
        }
        if (Tells is not null)
        {
            input.Attributes["data-tells"] = Tells;
        }
        if ((OnValue is null ? On : SheetView.Json(OnValue)) is { } on)
        {
            input.Attributes["data-on"] = on;
        }
        if (Disabled)
        {
            input.Attributes["disabled"] = "";
        }
    }

    /// <summary>Label, input and unit side by side.</summary>
    protected void Row(TagHelperOutput output, TagBuilder input, string unit)
    {
        (output.TagName, output.TagMode) = ("div", TagMode.StartTagAndEndTag);
        output.Attributes.SetAttribute("class", "field");
        TagBuilder label = Tag("label", null, Label);
        label.Attributes["for"] = Id;
        input.Attributes["id"] = Id;
        output.Content.AppendHtml(label);
        output.Content.AppendHtml(input);
        output.Content.AppendHtml(Tag("span", "unit", unit));
        AppendKey(output);
    }

    /// <summary>A press there sets a key of this frame, or takes it away.</summary>
    protected void AppendKey(TagHelperOutput output)
    {
        if (Keyed is not { } keyed || Tells is not null)
        {
            return;
        }
        string words = $"{(keyed.HasKey ? "Take the key of" : "Key")} {Label.TrimEnd(':')} at {Sheet.Frame}";
        TagBuilder button = Tag(
            "button",
            keyed.HasKey ? "key here"
                : keyed.IsKeyed ? "key keyed"
                : "key"
        );
        string edits = SheetView.Json(keyed.Press);
        button.Attributes["type"] = "submit";
        // From the field itself Alt+K presses it.
        button.Attributes["tabindex"] = "-1";
        button.Attributes["form"] = "plain";
        button.Attributes["name"] = "edits";
        button.Attributes["value"] = edits;
        button.Attributes["data-edits"] = edits;
        button.Attributes["data-choose"] = $"keyed:{At}";
        button.Attributes["aria-label"] = words;
        button.Attributes["title"] = words;
        output.Content.AppendHtml(button);
    }
}
