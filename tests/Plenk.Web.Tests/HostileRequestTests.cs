using System.Net;
using System.Text;
using System.Text.Json.Nodes;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>Every address of the API is asked for what is not there and told nonsense: it answers in words, and nothing breaks.</summary>
[Collection("application")]
public sealed class HostileRequestTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private static readonly string[] Bodies =
    [
        "",
        "null",
        "[]",
        "{}",
        "{\"",
        "\"text\"",
        "7",
        "[null]",
        "{\"first\":-2147483648,\"last\":2147483647}",
        "{\"width\":-5,\"frames\":[2147483647],\"id\":\"../../etc\",\"x\":1e308,\"y\":-1e308}",
        "{\"frame\":1001,\"x\":null,\"points\":[[]],\"name\":\"" + "\\u0000" + "\",\"kind\":\"\\ud800\"}",
        new string('[', 200),
    ];

    public static TheoryData<string> Methods => ["get", "post", "put"];

    [Theory]
    [MemberData(nameof(Methods))]
    public async Task Nonsense_is_answered_in_words(string method)
    {
        byte[] png = RasterFile.ToPng(
            new CodeImage(32, 18, 3, 8, [.. Enumerable.Range(0, 32 * 18 * 3).Select(i => (ushort)(i * 37 % 256))])
        );
        var (id, at) = await _client.NewShot("H", $"HST_{method}", 2, _ => png);
        await _client.StandOverFloor(at, 2);
        JsonNode api = JsonNode.Parse(await _client.GetStringAsync("/openapi/v1.json"))!;
        JsonObject paths = api["paths"]!.AsObject();
        JsonNode document = (await _client.State(at))["document"]!;
        var broken = new SortedDictionary<string, string>(); // one of each address
        int asked = 0;
        foreach (var (path, item) in paths)
        {
            if (item![method] is not { } operation || path.Contains("/events", StringComparison.Ordinal))
            {
                continue;
            }
            foreach (string address in Addresses(path, operation, id))
            {
                bool takesFiles = operation["requestBody"]?["content"]?["multipart/form-data"] is not null;
                IEnumerable<HttpContent?> contents =
                    method == "get" ? [null]
                    : takesFiles
                        ?
                        [
                            new StringContent("x", Encoding.UTF8, "multipart/form-data"),
                            new MultipartFormDataContent(),
                            ShotClient.Form(("a.exr", [1, 2, 3])),
                            ShotClient.Form(("../../a.png", png), ("x", [])),
                        ]
                    : Bodies
                        .Concat(Filled(api, operation, document))
                        .Select(b => (HttpContent?)new StringContent(b, Encoding.UTF8, "application/json"));
                foreach (HttpContent? content in contents)
                {
                    using var request = new HttpRequestMessage(new(method.ToUpperInvariant()), address) { Content = content };
                    using HttpResponseMessage answer = await _client.SendAsync(request);
                    asked++;
                    string said = (int)answer.StatusCode >= 400 ? await answer.Content.ReadAsStringAsync() : "";
                    if (
                        (int)answer.StatusCode >= 500
                        || said.Contains("   at ", StringComparison.Ordinal)
                        || said.Contains("Exception", StringComparison.Ordinal)
                        || said.Contains("Plenk.", StringComparison.Ordinal)
                    )
                    {
                        broken.TryAdd(
                            path,
                            $"{method} {address} {(content is StringContent ? await content.ReadAsStringAsync() : "")}: {(int)answer.StatusCode} {said}"
                        );
                    }
                }
            }
        }
        Assert.True(broken.Count == 0, string.Join('\n', broken.Values));
        Assert.InRange(
            asked,
            method switch
            {
                "get" => 60,
                "post" => 200,
                _ => 1,
            },
            20_000
        );
        Assert.Equal(HttpStatusCode.OK, (await _client.GetAsync(at)).StatusCode);
    }

    /// <summary>Bodies of the shape that is asked for, with numbers, names and lists that make no sense.</summary>
    private static IEnumerable<string> Filled(JsonNode api, JsonNode operation, JsonNode document)
    {
        if (operation["requestBody"]?["content"]?["application/json"]?["schema"] is not { } schema)
        {
            yield break;
        }
        foreach (
            var (whole, real, text, count) in ((int, double, string, int)[])
                [(0, 0, "", 0), (-1, -1e300, "../..", 1), (int.MaxValue, 1e300, "none", 3), (1001, 0.5, "floor", 2)]
        )
        {
            yield return Fill(schema, 0)?.ToJsonString() ?? "null";

            JsonNode? Fill(JsonNode s, int depth)
            {
                // Places are three numbers, whatever their type is made of; a document is the shot's own.
                if (s["$ref"]?.GetValue<string>() is { } vector && vector.EndsWith("Vec3", StringComparison.Ordinal))
                {
                    return new JsonArray(real, real, real);
                }
                if (s["$ref"]?.GetValue<string>() is { } shot && shot.EndsWith("/ShotDocument", StringComparison.Ordinal))
                {
                    return document.DeepClone();
                }
                if (s["$ref"]?.GetValue<string>() is { } named)
                {
                    s = api["components"]!["schemas"]![named[(named.LastIndexOf('/') + 1)..]]!;
                }
                if (s["oneOf"] is JsonArray one)
                {
                    return Fill(one[^1]!, depth);
                }
                string type = s["type"] is JsonArray several
                    ? several
                        .Select(t => t!.GetValue<string>())
                        .First(t =>
                            t is not ("null" or "string")
                            || several.Count == 1
                            || several.All(x => x!.GetValue<string>() is "null" or "string")
                        )
                    : s["type"]?.GetValue<string>() ?? (s["properties"] is { } ? "object" : "");
                if (depth > 6)
                {
                    return null;
                }
                return type switch
                {
                    "object" => new JsonObject(
                        (s["properties"]?.AsObject() ?? []).Select(p => KeyValuePair.Create(p.Key, Fill(p.Value!, depth + 1)))
                    ),
                    "array" => new JsonArray([
                        .. Enumerable.Range(0, count).Select(_ => s["items"] is { } item ? Fill(item, depth + 1) : JsonValue.Create(real)),
                    ]),
                    "integer" => whole,
                    "number" => real,
                    "boolean" => whole > 0,
                    "string" => s["enum"] is JsonArray names ? names[0]!.GetValue<string>() : text,
                    _ => s["enum"] is JsonArray names ? names[0]?.DeepClone() : null,
                };
            }
        }
    }

    /// <summary>The address with its shot, and things in it that are not there; then with no shot.</summary>
    private static IEnumerable<string> Addresses(string path, JsonNode operation, long shot)
    {
        JsonArray parameters = operation["parameters"]?.AsArray() ?? [];
        foreach (
            var (id, name, number) in ((string, string, string)[])
                [
                    ($"{shot}", "none", "1001"),
                    ($"{shot}", "%01..%2f", "-2147483648"),
                    ($"{shot}", "é\"<", "2147483647"),
                    ("99999", "none", "1001"),
                ]
        )
        {
            string address = path,
                query = "";
            foreach (JsonNode? p in parameters)
            {
                string key = p!["name"]!.GetValue<string>();
                bool isText = p["schema"]?["type"] is JsonValue v && v.TryGetValue(out string? type) && type == "string";
                string value =
                    key == "id" && path.Contains("/shots/{id}", StringComparison.Ordinal) ? id
                    : isText ? name
                    : number;
                if (p["in"]!.GetValue<string>() == "path")
                {
                    address = address.Replace($"{{{key}}}", value, StringComparison.Ordinal);
                }
                else if (p["in"]!.GetValue<string>() == "query")
                {
                    query += $"{(query.Length == 0 ? "?" : "&")}{key}={value}";
                }
            }
            yield return address + query;
        }
    }
}
