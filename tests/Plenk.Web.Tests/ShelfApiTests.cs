using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work.Paint;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Things that go from shot to shot over HTTP: by the shelf, by copy and paste, by a duplicate of the shot.</summary>
[Collection("application")]
public sealed class ShelfApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private async Task<string> Shot(string code)
    {
        var (_, at) = await _client.NewShot("H", code, 3, _ =>
            RasterFile.ToPng(new CodeImage(64, 36, 3, 8, [.. Enumerable.Repeat((ushort)120, 64 * 36 * 3)]))
        );
        await _client.StandOverFloor(at, 3);
        return at;
    }

    private async Task<JsonNode> Element(string at, string name)
    {
        byte[] obj = Encoding.UTF8.GetBytes("o box\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        HttpResponseMessage answer = await _client.PostAsync($"{at}/element", Form(($"{name}.obj", obj)));
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    private async Task<JsonNode> Post(string path, object body)
    {
        HttpResponseMessage answer = await _client.PostAsJsonAsync(path, body);
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    private async Task<int> Revision(string at) => (int)(await _client.State(at))["revision"]!;

    [Fact]
    public async Task What_is_copied_is_pasted_as_it_was_here_and_in_another_shot()
    {
        string one = await Shot("H_0010"),
            two = await Shot("H_0020");
        Assert.Contains(
            "Nothing is copied",
            await Refused(_client.PostAsJsonAsync($"{two}/paste", new { baseRevision = await Revision(two), frame = 1001 }))
        );
        await Element(one, "crate");
        HttpResponseMessage copied = await _client.PostAsJsonAsync($"{one}/copy", new { place = "elements/crate", frame = 1001 });
        Assert.Equal(HttpStatusCode.OK, copied.StatusCode);
        string cookie = copied
            .Headers.GetValues("Set-Cookie")
            .First(c => c.StartsWith("plenk-copied=", StringComparison.Ordinal))
            .Split(';')[0];
        // What is changed after that is not what was copied.
        await _client.Save(one, d => d["elements"]![0]!["scale"] = 3);

        async Task<JsonNode> Paste(string at)
        {
            using var ask = new HttpRequestMessage(HttpMethod.Post, $"{at}/paste")
            {
                Content = JsonContent.Create(new { baseRevision = await Revision(at), frame = 1001 }),
            };
            ask.Headers.Add("Cookie", cookie);
            HttpResponseMessage answer = await _client.SendAsync(ask);
            Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
            return (await answer.Content.ReadFromJsonAsync<JsonNode>())!["state"]!["document"]!["elements"]!;
        }
        JsonNode there = Assert.Single((await Paste(two)).AsArray())!;
        Assert.Equal(("crate", 1.0), ((string)there["id"]!, (double)there["scale"]!));
        JsonArray here = (await Paste(one)).AsArray();
        Assert.Equal(["crate", "crate_1"], here.Select(e => (string)e!["id"]!));
        Assert.Equal(0.5, (double)here[1]!["position"]![0]! - (double)here[0]!["position"]![0]!, 1e-9);
        Assert.Contains(
            "no elements/nobody",
            await Refused(_client.PostAsJsonAsync($"{one}/copy", new { place = "elements/nobody", frame = 1001 }))
        );
    }

    [Fact]
    public async Task A_shot_is_duplicated_with_its_plate_and_without()
    {
        string at = await Shot("H_0030");
        await Element(at, "crate");
        await Post($"{at}/duplicate", new { code = "H_0031", plate = true });
        JsonNode without = await Post($"{at}/duplicate", new { code = "H_0032", plate = false });
        JsonArray shots = (await _client.GetFromJsonAsync<JsonArray>("/api/shots"))!;
        async Task<JsonNode> Document(string code) =>
            (await _client.State($"/api/shots/{shots.First(s => (string)s!["code"]! == code)!["id"]}"))["document"]!;
        JsonNode whole = await Document("H_0031"),
            bare = await Document("H_0032");
        Assert.NotNull(whole["plate"]);
        Assert.NotNull(whole["camera"]);
        Assert.Null(bare["plate"]);
        Assert.Null(bare["camera"]);
        Assert.Equal("crate", (string)bare["elements"]![0]!["id"]!);
        Assert.Equal(whole["pieces"]!.AsArray().Count, bare["pieces"]!.AsArray().Count);
        Assert.Contains("H_0032 is made", without["said"]!.ToString(), StringComparison.Ordinal);
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await _client.PostAsJsonAsync($"{at}/duplicate", new { code = "H_0031" })).StatusCode
        );
        Assert.Contains("made of letters", await Refused(_client.PostAsJsonAsync($"{at}/duplicate", new { code = "no good" })));
    }

    [Fact]
    public async Task The_shelf_is_searched_shows_its_pictures_and_lets_go()
    {
        string at = await Shot("H_0040");
        await Element(at, "vase");
        Assert.Contains(
            "who made it",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/shelf",
                    new
                    {
                        frame = 1001,
                        place = "elements/vase",
                        name = "vase",
                    }
                )
            )
        );
        JsonNode put = await Post(
            $"{at}/shelf",
            new
            {
                frame = 1001,
                place = "elements/vase",
                name = "tall vase",
                author = "R. Holm",
                licence = "CC0",
                source = "here",
                tags = "clay, Vessel",
            }
        );
        long id = (long)put["thing"]!["id"]!;
        string production = Uri.EscapeDataString((string)(await _client.State(at))["document"]!["production"]!);
        Assert.Single((await _client.GetFromJsonAsync<JsonArray>($"/api/shelf?words=vessel%20tall&production={production}"))!);
        Assert.Empty((await _client.GetFromJsonAsync<JsonArray>("/api/shelf?words=vessel&production=Other"))!);
        byte[] picture = await _client.GetByteArrayAsync($"/api/shelf/{id}/picture");
        Assert.Equal(320, RasterFile.ReadHeader(picture, "picture").Width);
        JsonNode taken = await Post($"{at}/shelf/{id}/take", new { baseRevision = await Revision(at), frame = 1001 });
        Assert.Equal("elements/vase_1", (string)taken["places"]![0]!);
        Assert.Contains(
            "is not from the shelf",
            await Refused(_client.PostAsJsonAsync($"{at}/shelf/renew", new { baseRevision = await Revision(at), place = "elements/vase" }))
        );
        Assert.Equal(HttpStatusCode.NoContent, (await _client.DeleteAsync($"/api/shelf/{id}")).StatusCode);
        Assert.Empty((await _client.GetFromJsonAsync<JsonArray>("/api/shelf?words=vessel"))!);
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync("/api/shelf/999999/picture")).StatusCode);
        Assert.Contains(
            "vase",
            await _client.GetStringAsync($"{at.Replace("/api", "", StringComparison.Ordinal)}?step=6"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task The_tray_tells_what_a_watched_folder_brought_until_somebody_changes_the_shot()
    {
        string at = await Shot("H_0050");
        long id = long.Parse(at[(at.LastIndexOf('/') + 1)..], System.Globalization.CultureInfo.InvariantCulture);
        var shots = application.Services.GetRequiredService<ShotStore>();
        async Task<int?> Watched() => (int?)(await _client.GetFromJsonAsync<JsonNode>($"{at}/tray"))!["watched"];
        Assert.Null(await Watched());
        var (document, revision) = (await shots.Read(id))!.Value;
        RevisionRow made = await shots.Save(id, revision.Number, document with { Title = "painted" }, "r" + WatchedFiles.Mark, "a.ora in");
        Assert.Equal(made.Number, await Watched());
        await shots.Save(id, made.Number, document with { Title = "mine" }, "r", "Change");
        Assert.Null(await Watched());
    }
}
