using System.Net;
using System.Text.RegularExpressions;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>The guide that ships with the application.</summary>
[Collection("application")]
public sealed partial class GuideTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient(new() { AllowAutoRedirect = false });

    [Theory]
    [InlineData("/guide")]
    [InlineData("/guide/first-shot")]
    [InlineData("/guide/readings")]
    public async Task Its_pages_stand_and_all_that_they_lead_to_is_there(string address)
    {
        string page = await _client.GetStringAsync(address);
        Assert.Contains("<h1", page, StringComparison.Ordinal);
        string[] pictures = [.. Source().Matches(page).Select(m => m.Groups[1].Value)];
        string[] links =
        [
            .. Link().Matches(page).Select(m => m.Groups[1].Value).Where(l => l.StartsWith("/guide", StringComparison.Ordinal)),
        ];
        Assert.True(pictures.Length + links.Length > 0);
        foreach (string picture in pictures)
        {
            CodeImage read = RasterFile.Read(await _client.GetByteArrayAsync(picture), picture);
            Assert.InRange(read.Width, 640, 4096);
        }
        foreach (string link in links)
        {
            Assert.Equal(HttpStatusCode.OK, (await _client.GetAsync(link)).StatusCode);
        }
    }

    [Theory]
    [InlineData("/guide/nothing")]
    [InlineData("/guide/..%2f..%2fappsettings")]
    [InlineData("/guide/%2e%2e%2freadings")]
    [InlineData("/guide/first-shot.md")]
    [InlineData("/guide/pictures/..%2f..%2fplenk.dll")]
    [InlineData("/guide/pictures/nothing.png")]
    public async Task Nothing_but_the_guide_is_served(string address)
    {
        HttpResponseMessage answer = await _client.GetAsync(address);
        Assert.Contains(answer.StatusCode, (HttpStatusCode[])[HttpStatusCode.NotFound, HttpStatusCode.BadRequest]);
        Assert.DoesNotContain("   at ", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
    }

    [GeneratedRegex("<img[^>]+src=\"([^\"]+)\"")]
    private static partial Regex Source();

    [GeneratedRegex("<a[^>]+href=\"([^\"]+)\"")]
    private static partial Regex Link();
}
