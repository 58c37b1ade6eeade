using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Who is let in, and what crafted names, files and folders come to.</summary>
[Collection("application")]
public sealed class DoorTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private static byte[] Png() => RasterFile.ToPng(new CodeImage(16, 9, 3, 8, new ushort[16 * 9 * 3]));

    private async Task<HttpStatusCode> Asked(HttpMethod method, string path, params (string Name, string Value)[] headers)
    {
        using var request = new HttpRequestMessage(method, path);
        if (method != HttpMethod.Get)
        {
            request.Content = JsonContent.Create(
                new
                {
                    production = "Doors",
                    sequence = "D",
                    code = $"D_{Guid.NewGuid():N}"[..12],
                }
            );
        }
        foreach (var (name, value) in headers)
        {
            request.Headers.TryAddWithoutValidation(name, value);
        }
        return (await _client.SendAsync(request)).StatusCode;
    }

    // Fetch Metadata (W3C) and the Origin header (RFC 6454) say where a request comes from.
    [Fact]
    public async Task Other_hosts_and_other_origins_are_refused_before_anything_is_done()
    {
        int before = (await _client.GetFromJsonAsync<JsonArray>("/api/shots"))!.Count;
        foreach (string host in (string[])["evil.example", "evil.example:80", "127.0.0.1.evil.example"])
        {
            Assert.Equal(HttpStatusCode.BadRequest, await Asked(HttpMethod.Get, "/api/shots", ("Host", host)));
        }
        foreach (string host in (string[])["localhost:5080", "127.0.0.1:1", "[::1]:9"])
        {
            Assert.Equal(HttpStatusCode.OK, await Asked(HttpMethod.Get, "/api/shots", ("Host", host)));
        }
        Assert.Equal(HttpStatusCode.Forbidden, await Asked(HttpMethod.Post, "/api/shots", ("Origin", "http://evil.example")));
        Assert.Equal(HttpStatusCode.Forbidden, await Asked(HttpMethod.Post, "/api/shots", ("Origin", "null")));
        Assert.Equal(
            HttpStatusCode.Forbidden,
            await Asked(HttpMethod.Post, "/api/shots", ("Host", "localhost:80"), ("Origin", "http://localhost:8080"))
        );
        Assert.Equal(HttpStatusCode.Forbidden, await Asked(HttpMethod.Post, "/api/shots", ("Sec-Fetch-Site", "cross-site")));
        Assert.Equal(
            HttpStatusCode.Forbidden,
            await Asked(HttpMethod.Post, "/api/shots", ("Sec-Fetch-Site", "same-site"), ("Origin", "http://localhost"))
        );
        Assert.Equal(before, (await _client.GetFromJsonAsync<JsonArray>("/api/shots"))!.Count);
        // Our own page, and a script that names no page.
        Assert.Equal(
            HttpStatusCode.OK,
            await Asked(HttpMethod.Post, "/api/shots", ("Sec-Fetch-Site", "same-origin"), ("Origin", "http://localhost"))
        );
        Assert.Equal(HttpStatusCode.OK, await Asked(HttpMethod.Post, "/api/shots"));
        string policy = (await _client.GetAsync("/")).Headers.GetValues("Content-Security-Policy").Single();
        foreach (string part in (string[])["form-action 'self'", "base-uri 'self'", "frame-ancestors 'none'", "object-src 'none'"])
        {
            Assert.Contains(part, policy);
        }
        Assert.DoesNotContain("unsafe-inline", policy.Split(';')[0]);
    }

    [Fact]
    public async Task What_is_not_there_is_answered_in_words_whatever_is_asked_of_it()
    {
        foreach (string path in (string[])["/api/jobs/999999/stop", "/api/jobs/999999/again", "/api/shots/999999/undo"])
        {
            HttpResponseMessage answer = await _client.PostAsJsonAsync(path, new { baseRevision = 1 });
            Assert.Equal(HttpStatusCode.NotFound, answer.StatusCode);
            Assert.StartsWith("There is no such", (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString());
        }
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync("/api/jobs/999999/frames")).StatusCode);
        Assert.Contains("There is nothing at this address", await (await _client.GetAsync("/shots/999999")).Content.ReadAsStringAsync());
        var (id, at) = await _client.NewShot("D", "DOOR_KIND", 2, _ => Png());
        HttpResponseMessage kind = await _client.GetAsync($"{at}/frames/1001/picture?kind=beauty");
        Assert.Equal(HttpStatusCode.NotFound, kind.StatusCode);
        Assert.Contains(
            "no kind of picture called “beauty”",
            (await kind.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()
        );
        Assert.True(id > 0);
    }

    [Fact]
    public async Task Texts_keep_their_letters_and_lose_what_is_no_character()
    {
        HttpResponseMessage made = await _client.PostAsJsonAsync(
            "/api/shots",
            new
            {
                production = "Doors",
                sequence = "D",
                code = "DOOR_NUL",
                title = "a\0b <b>bold</b>",
            }
        );
        JsonElement row = await made.Content.ReadFromJsonAsync<JsonElement>();
        Assert.Equal("ab <b>bold</b>", row.GetProperty("title").GetString());
        string at = $"/api/shots/{row.GetProperty("id").GetInt64()}",
            page = await _client.GetStringAsync($"/shots/{row.GetProperty("id").GetInt64()}");
        Assert.DoesNotContain("<b>bold", page);
        Assert.Contains("NUL", await Refused(_client.Save(at, d => d["title"] = "x\0y")));
        // The name in the cookie is taken as it was given: once decoded, a percent sign is a percent sign.
        using var request = new HttpRequestMessage(HttpMethod.Put, at)
        {
            Content = JsonContent.Create(
                new
                {
                    baseRevision = 1,
                    what = "Signed",
                    document = (await _client.State(at))["document"],
                }
            ),
        };
        request.Headers.Add("Cookie", "plenk-who=" + Uri.EscapeDataString("100%25 Åsa\0"));
        Assert.Equal(HttpStatusCode.OK, (await _client.SendAsync(request)).StatusCode);
        Assert.Equal("100%25 Åsa", (await _client.State(at))["who"]!.GetValue<string>());
        // Another shot's document is no change of this one.
        Assert.Contains("this shot is Doors / D / DOOR_NUL", await Refused(_client.Save(at, d => d["code"] = "OTHER")));
    }

    [Fact]
    public async Task A_playlist_under_a_films_name_reads_no_other_file()
    {
        var (_, at) = await _client.NewShot("D", "DOOR_LIST", 1, _ => Png());
        string secret = Path.Combine(Path.GetTempPath(), $"plenk-secret-{Guid.NewGuid():N}.png");
        await File.WriteAllBytesAsync(secret, Png());
        try
        {
            foreach (
                string list in (string[])
                    [
                        $"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nfile://{secret}\n#EXT-X-ENDLIST\n",
                        $"ffconcat version 1.0\nfile '{secret}'\n",
                        $"<?xml version=\"1.0\"?><MPD><BaseURL>file://{secret}</BaseURL></MPD>",
                    ]
            )
            {
                HttpResponseMessage answer = await _client.BringPlate(at, Form(("film.mp4", System.Text.Encoding.UTF8.GetBytes(list))));
                Assert.Equal(HttpStatusCode.UnprocessableEntity, answer.StatusCode);
                Assert.Contains("is no video inside, whatever its name says", await answer.Content.ReadAsStringAsync());
            }
            Assert.Equal("p.1001.png", (await _client.State(at))["document"]!["plate"]!["name"]!.GetValue<string>());
        }
        finally
        {
            File.Delete(secret);
        }
    }

    [Fact]
    public void Links_lead_nowhere_and_loops_end()
    {
        string root = Path.Combine(Path.GetTempPath(), $"plenk-plates-{Guid.NewGuid():N}"),
            outside = root + "-outside";
        string? before = Environment.GetEnvironmentVariable("PLENK_PLATES");
        try
        {
            foreach (string folder in (string[])[Path.Combine(root, "a"), outside])
            {
                Directory.CreateDirectory(folder);
                for (int f = 1; f <= 3; f++)
                {
                    File.WriteAllBytes(Path.Combine(folder, $"p.{f}.png"), Png());
                }
            }
            Directory.CreateSymbolicLink(Path.Combine(root, "loop"), root);
            Directory.CreateSymbolicLink(Path.Combine(root, "out"), outside);
            File.CreateSymbolicLink(Path.Combine(root, "a", "p.4.png"), Path.Combine(outside, "p.1.png"));
            Environment.SetEnvironmentVariable("PLENK_PLATES", root);
            Assert.Equal([Path.Combine(root, "a")], PlateFolders.Offered().Select(o => o.Path));
            Assert.Equal(["p.1.png", "p.2.png", "p.3.png"], PlateFolders.Files(Path.Combine(root, "a")));
            Assert.Equal(Path.Combine(root, "a"), PlateFolders.Permitted(Path.Combine(root, "a") + "/"));
            foreach (
                string asked in (string[])
                    [
                        Path.Combine(root, "out"),
                        Path.Combine(root, "loop"),
                        Path.Combine(root, "loop", "a"),
                        outside,
                        Path.Combine(root, "..", Path.GetFileName(outside)),
                        "/",
                        "",
                        "a\0b",
                        root + "-outside",
                    ]
            )
            {
                Assert.Null(PlateFolders.Permitted(asked));
            }
        }
        finally
        {
            Environment.SetEnvironmentVariable("PLENK_PLATES", before);
            Directory.Delete(Path.Combine(root, "loop"));
            Directory.Delete(Path.Combine(root, "out"));
            Directory.Delete(root, recursive: true);
            Directory.Delete(outside, recursive: true);
        }
    }

    // The role of the application owns its database and nothing else.
    [Fact]
    public async Task The_database_role_is_an_ordinary_one_and_needs_its_password()
    {
        string server = Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")!;
        await using var own = Npgsql.NpgsqlDataSource.Create($"{server};Database=postgres");
        await using var c = own.CreateCommand(
            "select rolsuper or rolcreaterole or rolreplication or rolbypassrls from pg_roles where rolname = current_user"
        );
        Assert.False((bool)(await c.ExecuteScalarAsync())!);
        var without = new Npgsql.NpgsqlConnectionStringBuilder($"{server};Database=postgres")
        {
            Passfile = null,
            Password = "guess",
            Pooling = false,
        };
        await using var stranger = new Npgsql.NpgsqlConnection(without.ConnectionString);
        Npgsql.PostgresException refused = await Assert.ThrowsAsync<Npgsql.PostgresException>(() => stranger.OpenAsync());
        Assert.Equal("28P01", refused.SqlState);
    }

    // A verdict without a value was kept by earlier versions, and the front page fell over it for everybody.
    [Fact]
    public async Task The_front_page_stands_whatever_one_shot_holds_and_has_pages()
    {
        var (id, at) = await _client.NewShot("D", "DOOR_FRONT", 2, _ => Png());
        await _client.StandOverFloor(at, 2);
        await _client.Save(at, d => d["elements"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "title",
                    ["name"] = "title",
                    ["kind"] = "Lettering",
                    ["text"] = new JsonObject { ["text"] = "SKY" },
                    ["position"] = new JsonArray(900, 3, -9),
                }
            ));
        var shots = application.Services.GetRequiredService<ShotStore>();
        var (document, _) = (await shots.Read(id))!.Value;
        ReadingKind gap = ReadingKind.All.Single(k => k.Blank.Id == "contact.gap");
        await application
            .Services.GetRequiredService<ResultStore>()
            .Replace(
                gap.Key(document),
                JsonSerializer.Serialize(
                    gap.Blank with
                    {
                        Verdict = Core.Readings.Verdict.Outside,
                        Value = null,
                        Note = "nothing below",
                    },
                    Core.Shots.ShotJson.Options
                )
            );
        string page = await _client.GetStringAsync("/");
        for (int n = 1; n < 40 && !page.Contains("DOOR_FRONT", StringComparison.Ordinal); n++)
        {
            page = await _client.GetStringAsync($"/?page-number={n}");
        }
        Assert.Contains("DOOR_FRONT", page);
        Assert.Contains("not measured yet", page);
        Assert.InRange(page.Split("class=\"card\"").Length - 1, 1, Pages.IndexModel.ShotsOnPage);
        string thumbnail = "/thumbnails/" + document.Plate!.Frames[1].Media;
        Assert.Contains(thumbnail, page);
        Assert.Equal("image/jpeg", (await _client.GetAsync(thumbnail)).Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.OK, (await _client.GetAsync("/?page-number=99999")).StatusCode);
    }

    [Fact]
    public async Task What_is_missing_is_told_at_once_and_not_by_a_job_that_fails()
    {
        var (_, at) = await _client.NewShot("D", "DOOR_THING", 2, _ => Png());
        await _client.Save(at, d => d["movingObjects"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "box",
                    ["name"] = "box",
                    ["matte"] = "m",
                }
            ));
        Assert.Contains(
            "no camera yet, and box is found against it",
            await Refused(_client.PostAsJsonAsync($"{at}/things/box/work", new { }))
        );
        Assert.Contains(
            "first frame, 1002, comes after the last, 1001",
            await Refused(_client.PostAsJsonAsync($"{at}/render", new { first = 1002, last = 1001 }))
        );
        Assert.Contains("km large or away", await Refused(_client.Save(at, d => d["pieces"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "p",
                            ["name"] = "p",
                            ["kind"] = "Plane",
                            ["size"] = new JsonArray(1e9, 0, 1),
                        }
                    ))));
        await _client.StandOverFloor(at, 2);
        byte[] box = Formats.Meshes.GltfFile.WriteMesh("box", Core.Sets.PieceMeshes.Box(new(1, 1, 1)), []);
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/element", Form(("box.glb", box)))).StatusCode);
        Assert.Contains(
            "box has no material “velvet”",
            await Refused(
                _client.Save(at, d =>
                    d["elements"]![0]!["materials"] = new JsonArray(new JsonObject { ["name"] = "velvet", ["roughness"] = 0.2 })
                )
            )
        );
        Assert.DoesNotContain((await _client.GetFromJsonAsync<JsonArray>($"{at}/jobs"))!, j => j!["kind"]!.GetValue<string>() == "thing");
    }

    // Stood by hand before a card: what is seen there is the card, what things stand on is the floor behind it.
    [Fact]
    public async Task A_spot_before_a_card_is_the_cards_own()
    {
        var (_, at) = await _client.NewShot("D", "DOOR_CARD", 2, _ =>
            RasterFile.ToPng(new CodeImage(32, 18, 3, 8, new ushort[32 * 18 * 3]))
        );
        await _client.StandOverFloor(at, 2);
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.PostAsync(
                    $"{at}/card",
                    Form(("card.png", RasterFile.ToPng(new CodeImage(8, 8, 4, 8, [.. Enumerable.Repeat((ushort)255, 256)]))))
                )
            ).StatusCode
        );
        await _client.Save(at, d =>
        {
            d["elements"]![0]!["position"] = new JsonArray(0, 0.2, -3);
            d["elements"]![0]!["widthMetres"] = 1.0;
        });
        JsonElement hit = await _client.GetFromJsonAsync<JsonElement>($"{at}/frames/1001/pixel?x=16&y=9");
        Assert.Equal(-3, hit.GetProperty("point")[2].GetDouble(), 3);
        Assert.Equal(1, hit.GetProperty("normal")[2].GetDouble(), 3);
        Assert.Equal((0.0, true), (Math.Round(hit.GetProperty("onSet")[1].GetDouble(), 4), hit.GetProperty("onSet")[2].GetDouble() < -4));
    }
}
