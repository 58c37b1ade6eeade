using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Plenk.Core.Edits;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Web.Sheets;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Pages as the server draws them: whole at their addresses, saved without script, changed by named edits.</summary>
[Collection("application")]
public sealed partial class SheetTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient(new() { AllowAutoRedirect = false });

    private static byte[] Png(int frame) =>
        RasterFile.ToPng(new CodeImage(32, 18, 3, 8, [.. Enumerable.Repeat((ushort)(frame % 200), 32 * 18 * 3)]));

    private async Task<(long Id, string At)> Shot(string code)
    {
        var shot = await _client.NewShot("S", code, 3, Png);
        await Edit(
            shot.At,
            """
            {"edit":"add","at":"elements","item":{"id":"title","name":"Ti<tle> & \"co\"","kind":"Lettering","text":{"text":"LOW"}}},
            {"edit":"add","at":"pieces","item":{"id":"floor","name":"Floor","kind":"Outline","corners":[0,0,4,0,4,-3],"size":[1,2.5,1]}},
            {"edit":"add","at":"lights","item":{"id":"sun","name":"sun","kind":"Sun"}},
            {"edit":"add","at":"curves","item":{"id":"lights/sun/strength","keys":[{"frame":1002,"value":2}]}},
            {"edit":"add","at":"lights","item":{"id":"spot","name":"spot","kind":"Spot"}},
            {"edit":"add","at":"mattes","item":{"id":"m","name":"matte","keys":[{"frame":1001,"corners":[1,1,9,1,9,9]}]}},
            {"edit":"add","at":"projections","item":{"id":"p","name":"frame 1001","frame":1001}},
            {"edit":"add","at":"surveyPoints","item":{"name":"A","position":[0,0,0]}},
            {"edit":"add","at":"notes","item":{"id":"n","frame":1001,"text":"soft","when":"2026-01-01T00:00:00Z"}},
            {"edit":"add","at":"finish/steps","item":{"id":"reframe_1","kind":"Reframe","reframe":{"keys":[]}}}
            """
        );
        return shot;
    }

    private async Task<HttpResponseMessage> Edit(string at, string edits)
    {
        HttpResponseMessage answer = await _client.PostAsync(
            $"{at}/edits",
            new StringContent($$"""{"edits":[{{edits}}]}""", System.Text.Encoding.UTF8, "application/json")
        );
        return answer;
    }

    private static readonly string[] Chosen =
    [
        "step=1",
        "step=2&point=A",
        "step=3&piece=floor&points-open=yes&edges=yes",
        "step=4&projection=p&matte=m",
        "step=5&light=sun&frame=1002",
        "step=5&light=spot&matte=m",
        "step=6&element=title&matte=m",
        "step=7&finish=reframe_1",
        "step=8&note=n",
    ];

    /// <summary>What a browser without script sends: fields of the form “plain”, ticked boxes alone.</summary>
    private static List<KeyValuePair<string, string>> Sent(string page)
    {
        var sent = new List<KeyValuePair<string, string>>();
        foreach (Match m in Tags().Matches(page).Where(m => m.Value.Contains("form=\"plain\"", StringComparison.Ordinal)))
        {
            string Attribute(string name) => WebUtility.HtmlDecode(Regex.Match(m.Value, $" {name}=\"([^\"]*)\"").Groups[1].Value);
            if (m.Value.Contains(" disabled=", StringComparison.Ordinal))
            {
                continue;
            }
            if (m.Value.StartsWith("<select", StringComparison.Ordinal))
            {
                string options = page[m.Index..page.IndexOf("</select>", m.Index, StringComparison.Ordinal)];
                Match chosen = Regex.Match(options, "<option selected=\"\" value=\"([^\"]*)\"");
                chosen = chosen.Success ? chosen : Regex.Match(options, "<option[^>]*value=\"([^\"]*)\"");
                sent.Add(new(Attribute("name"), WebUtility.HtmlDecode(chosen.Groups[1].Value)));
            }
            else if (Attribute("type") != "checkbox" || m.Value.Contains(" checked=", StringComparison.Ordinal))
            {
                sent.Add(new(Attribute("name"), Attribute("type") == "checkbox" ? "on" : Attribute("value")));
            }
        }
        return sent;
    }

    [Fact]
    public async Task Every_step_is_drawn_whole_at_its_address_with_what_is_chosen()
    {
        var (id, at) = await Shot("SHEETS");
        string[] holds =
        [
            "The cut begins at",
            "Click A at 1001",
            "Walls’ height",
            "Fades from",
            "Angular size",
            "Dark beyond",
            "Capitals are",
            "Enlarged",
            "Answer",
        ];
        foreach (var (query, text) in Chosen.Zip(holds))
        {
            string page = await _client.GetStringAsync($"/shots/{id}?{query}");
            Assert.Contains(text, WebUtility.HtmlDecode(page), StringComparison.Ordinal);
            Assert.Contains("id=\"readings\"", page, StringComparison.Ordinal);
            // What people have named is text, wherever it stands.
            Assert.DoesNotContain("Ti<tle>", page, StringComparison.Ordinal);
            string sheet = await _client.GetStringAsync($"/shots/{id}?handler=Sheet&{query}");
            Assert.DoesNotContain("<html", sheet, StringComparison.Ordinal);
            // Every field names a place that the document has, and that can be what it is.
            ShotDocument shot = ShotJson.Read((await _client.State(at))["document"]!.ToJsonString());
            var values = new DocumentValues(shot);
            foreach (Match m in Fields().Matches(sheet).Where(m => !m.Value.Contains("data-begins", StringComparison.Ordinal)))
            {
                string place = WebUtility.HtmlDecode(m.Groups[1].Value);
                if (values.At(place) is { } stands)
                {
                    Assert.Single(Edits.Apply(shot, [new SetValue(stands.DeepClone()) { At = place }]).Changes);
                }
                else if (
                    !place.StartsWith("tolerances/", StringComparison.Ordinal) && !m.Value.Contains("disabled", StringComparison.Ordinal)
                )
                {
                    Assert.Single(Edits.Apply(shot, [new SetValue(null) { At = place }]).Changes);
                }
            }
            // What is to be done next is there to be done.
            string words = WebUtility.HtmlDecode(Regex.Match(sheet, "data-show=\"([^\"]*)\"").Groups[1].Value);
            Assert.Matches($">\\s*{Regex.Escape(words)}", WebUtility.HtmlDecode(sheet));
        }
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync("/shots/987654321?step=3")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync($"/shots/{id}/parts/..%2FIndex")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync($"/shots/{id}/parts/Nothing")).StatusCode);
        Assert.NotEmpty(await _client.GetStringAsync($"/shots/{id}/parts/Readings?step=1"));
        Assert.Equal(at, $"/api/shots/{id}");
    }

    [Fact]
    public async Task A_sheet_saves_without_script()
    {
        var (id, at) = await Shot("PLAIN");
        string address = $"/shots/{id}?step=6&element=title";
        string page = await _client.GetStringAsync(address);
        Dictionary<string, string> fields = Sent(page)
            .GroupBy(f => f.Key)
            .Where(g => g.Count() == 1)
            .ToDictionary(g => g.Key, g => g.Single().Value);
        Assert.Equal("LOW", fields["text:elements/title/text/text"]);
        // As they are drawn sheets change nothing.
        int revision = await Revision(at);
        foreach (string step in Chosen)
        {
            string drawn = await _client.GetStringAsync($"/shots/{id}?{step}");
            HttpResponseMessage sent = await _client.PostAsync($"/shots/{id}?{step}", new FormUrlEncodedContent(Sent(drawn)));
            Assert.True(
                sent.StatusCode == HttpStatusCode.Redirect,
                $"{step}: {WebUtility.HtmlDecode(await sent.Content.ReadAsStringAsync())}"
            );
            Assert.True(revision == await Revision(at), $"{step}: {(await _client.GetFromJsonAsync<JsonArray>($"{at}/ledger"))![0]}");
        }
        fields["text:elements/title/text/text"] = "HIGH";
        fields["number:elements/title/text/heightMetres"] = "40 cm";
        Assert.Equal(HttpStatusCode.Redirect, (await _client.PostAsync(address, new FormUrlEncodedContent(fields))).StatusCode);
        JsonNode text = (await _client.State(at))["document"]!["elements"]![0]!["text"]!;
        Assert.Equal(("HIGH", 0.4), (text["text"]!.GetValue<string>(), text["heightMetres"]!.GetValue<double>()));
        fields["number:elements/title/text/heightMetres"] = "tall";
        HttpResponseMessage refused = await _client.PostAsync(address, new FormUrlEncodedContent(fields));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, refused.StatusCode);
        string told = WebUtility.HtmlDecode(await refused.Content.ReadAsStringAsync());
        Assert.Contains("“tall” is no number", told, StringComparison.Ordinal);
        // What was typed is kept.
        Assert.Contains("value=\"tall\"", told, StringComparison.Ordinal);
        // A button's edits, and a tick.
        await _client.PostAsync(
            address,
            new FormUrlEncodedContent(new Dictionary<string, string> { ["edits"] = """[{"edit":"remove","at":"elements/title"}]""" })
        );
        Assert.Empty((await _client.State(at))["document"]!["elements"]!.AsArray());
        await _client.PostAsync(
            address,
            new FormUrlEncodedContent(
                new Dictionary<string, string>
                {
                    ["tick:bounces"] = "on",
                    ["tickshown:bounces"] = "off",
                    ["shown:contact/strength"] = "0",
                    ["number*100:contact/strength"] = "12",
                    ["rate:rate"] = "24000/1001",
                    ["shown:rate"] = "24",
                    ["choice?:lights/sun/shadeMatte"] = "m",
                    ["json:solving/turns"] = "true",
                    ["triple:lights/sun/color"] = "1",
                }
            )
        );
        JsonNode document = (await _client.State(at))["document"]!;
        Assert.Equal((true, 0.12), (document["bounces"]!.GetValue<bool>(), document["contact"]!["strength"]!.GetValue<double>()));
        Assert.Equal((24000, "m"), (document["rate"]!["num"]!.GetValue<int>(), document["lights"]![0]!["shadeMatte"]!.GetValue<string>()));
        Assert.True(document["solving"]!["turns"]!.GetValue<bool>());
        await _client.PostAsync(
            address,
            new FormUrlEncodedContent(
                new Dictionary<string, string> { ["choice?:lights/sun/shadeMatte"] = "", ["shown:lights/sun/shadeMatte"] = "m" }
            )
        );
        Assert.Null((await _client.State(at))["document"]!["lights"]![0]!["shadeMatte"]);
    }

    [Fact]
    public async Task Edits_are_laid_on_the_newest_document_and_refused_at_their_place()
    {
        var (_, at) = await Shot("EDITS");
        HttpResponseMessage made = await Edit(at, """{"edit":"set","at":"lights/sun/strength","from":1,"to":4}""");
        Assert.Equal(HttpStatusCode.OK, made.StatusCode);
        JsonNode line = (await _client.GetFromJsonAsync<JsonArray>($"{at}/ledger"))![0]!;
        Assert.Equal("Sun: strength 1 → 4", line["what"]!.GetValue<string>());
        Assert.Equal("4", line["changes"]![0]!["to"]!.GetValue<string>());
        HttpResponseMessage late = await Edit(at, """{"edit":"set","at":"lights/sun/strength","from":1,"to":5}""");
        Assert.Equal(HttpStatusCode.Conflict, late.StatusCode);
        JsonNode told = (await late.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.Equal("lights/sun/strength", told["at"]!.GetValue<string>());
        Assert.Contains("it is 4 now", told["title"]!.GetValue<string>(), StringComparison.Ordinal);
        HttpResponseMessage wrong = await Edit(
            at,
            """{"edit":"set","at":"seed","to":7},{"edit":"set","at":"lights/sun/angularDiameterDegrees","to":-1}"""
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, wrong.StatusCode);
        Assert.Equal("lights/sun/angularDiameterDegrees", (await wrong.Content.ReadFromJsonAsync<JsonNode>())!["at"]!.GetValue<string>());
        Assert.Equal(1u, (await _client.State(at))["document"]!["seed"]!.GetValue<uint>());
        foreach (
            string odd in (string[])
                ["""{"edit":"fly","at":"seed"}""", """{"edit":"set"}""", "7", """{"edit":"set","at":"elements/title/frames/x/y","to":{}}"""]
        )
        {
            Assert.InRange((int)(await Edit(at, odd)).StatusCode, 400, 422);
        }
    }

    [Fact]
    public void Quantities_are_read_as_the_page_reads_them()
    {
        foreach (JsonNode? row in JsonNode.Parse(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "quantities.json")))!.AsArray())
        {
            double? read = Quantity.Read(row!["text"]!.GetValue<string>(), row["unit"]!.GetValue<string>());
            double? value = row["value"]?.GetValue<double>();
            Assert.Equal(value is null, read is null);
            if (value is { } v)
            {
                Assert.Equal(v, read!.Value, 1e-12 * Math.Max(1, Math.Abs(v)));
            }
        }
        Assert.Equal(
            ("1.5", "-0.126", "0", "12"),
            (Quantity.Show(1.5), Quantity.Show(-0.12649), Quantity.Show(-0.0001), Quantity.Show(12, 0))
        );
    }

    // OpenAPI 3.1: an operation's summary, what it is asked with, what it answers.
    [Fact]
    public async Task Every_operation_of_the_api_says_what_it_does_and_what_it_takes()
    {
        JsonNode description = (await _client.GetFromJsonAsync<JsonNode>("/openapi/v1.json"))!;
        int operations = 0,
            uploads = 0;
        foreach (var (path, methods) in description["paths"]!.AsObject())
        {
            foreach (var (method, operation) in methods!.AsObject().Where(m => m.Key is "get" or "post" or "put"))
            {
                operations++;
                string? summary = operation!["summary"]?.GetValue<string>();
                Assert.True(summary is { Length: > 8 }, $"{method} {path} has no summary");
                JsonObject? body = operation["requestBody"]?["content"]?.AsObject();
                uploads += body?.ContainsKey("multipart/form-data") == true ? 1 : 0;
                Assert.All(body ?? [], b => Assert.NotNull(b.Value!["schema"]));
            }
        }
        Assert.InRange(operations, 110, 200);
        Assert.Equal(23, uploads);
        JsonNode edit = description["components"]!["schemas"]!["EditsRequest"]!;
        Assert.NotNull(edit["properties"]!["edits"]);
    }

    private async Task<int> Revision(string at) => (await _client.State(at))["revision"]!.GetValue<int>();

    [GeneratedRegex("<[^>]* data-at=\"([^\"]*)\"[^>]*>")]
    private static partial Regex Fields();

    [GeneratedRegex("<(input|select)[^>]*>")]
    private static partial Regex Tags();
}
