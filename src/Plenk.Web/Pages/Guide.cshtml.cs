using Markdig;
using Markdig.Renderers;
using Microsoft.AspNetCore.Html;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Plenk.Web.Pages;

/// <summary>The guide that ships with the application: docs/guide as it stands.</summary>
public sealed class GuideModel : PageModel
{
    public const string PicturesAddress = "/guide/pictures";
    public const string First = "first-shot";

    private static readonly string Folder = Path.Combine(AppContext.BaseDirectory, "guide");
    private static readonly MarkdownPipeline Pipeline = new MarkdownPipelineBuilder().DisableHtml().UsePipeTables().Build();

    public static string Pictures => Path.Combine(Folder, "pictures");

    public HtmlString Text { get; private set; } = HtmlString.Empty;
    public string Title { get; private set; } = "";

    public IActionResult OnGet(string? name)
    {
        // Only what is there by its own name: no path is made of what was asked.
        string? file = Directory.EnumerateFiles(Folder, "*.md").FirstOrDefault(f => Path.GetFileNameWithoutExtension(f) == (name ?? First));
        if (file is null)
        {
            return NotFound();
        }
        string markdown = System.IO.File.ReadAllText(file);
        Title = markdown.Split('\n')[0].TrimStart('#', ' ');
        var writer = new StringWriter();
        // Links between the files and to their pictures are those of the page.
        var renderer = new HtmlRenderer(writer)
        {
            LinkRewriter = to =>
                to.StartsWith("../screenshots/", StringComparison.Ordinal) ? $"{PicturesAddress}/{to["../screenshots/".Length..]}"
                : to.EndsWith(".md", StringComparison.Ordinal) && !to.Contains('/') ? $"/guide/{to[..^3]}"
                : to,
        };
        Pipeline.Setup(renderer);
        renderer.Render(Markdown.Parse(markdown, Pipeline));
        Text = new HtmlString(writer.ToString());
        return Page();
    }
}
