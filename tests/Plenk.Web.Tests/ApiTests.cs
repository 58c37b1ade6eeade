using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Npgsql;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>The application in the test's own process, on a database of its own.</summary>
public sealed class Application : WebApplicationFactory<Program>
{
    private readonly string _name = $"web_{Guid.NewGuid():N}";
    private readonly string _data = Path.Combine(Path.GetTempPath(), $"plenk-web-{Guid.NewGuid():N}");

    public Application()
    {
        string server = Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")
            ?? throw new InvalidOperationException("run ./test, which starts the database");
        Environment.SetEnvironmentVariable("PLENK_DATABASE", $"{server};Database={_name}");
        Environment.SetEnvironmentVariable("PLENK_DATA", _data);
        Environment.SetEnvironmentVariable("PLENK_DEMO", null);
    }

    /// <summary>As it is served: what a developer alone is told is not tested.</summary>
    protected override void ConfigureWebHost(IWebHostBuilder builder) => builder.UseEnvironment("Production");

    public override async ValueTask DisposeAsync()
    {
        await base.DisposeAsync();
        NpgsqlConnection.ClearAllPools();
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create(
            $"{Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")};Database=postgres"
        );
        await using NpgsqlCommand drop = admin.CreateCommand($"drop database if exists {_name} with (force)");
        await drop.ExecuteNonQueryAsync();
        if (Directory.Exists(_data))
        {
            Directory.Delete(_data, recursive: true);
        }
    }
}

/// <summary>One application in the process: it is told its database by the environment.</summary>
[CollectionDefinition("application")]
public sealed class ApplicationCollection : ICollectionFixture<Application>;

[Collection("application")]
public sealed class ApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private async Task<long> NewShot(string code)
    {
        HttpResponseMessage made = await _client.PostAsJsonAsync(
            "/api/shots",
            new
            {
                production = "Test",
                sequence = "T",
                code,
            }
        );
        Assert.Equal(HttpStatusCode.OK, made.StatusCode);
        return (await made.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
    }

    private static MultipartFormDataContent Frames(params (string Name, byte[] Bytes)[] files)
    {
        var form = new MultipartFormDataContent();
        foreach (var (name, bytes) in files)
        {
            form.Add(new ByteArrayContent(bytes), "files", name);
        }
        return form;
    }

    private static byte[] Png() => RasterFile.ToPng(new CodeImage(16, 9, 3, 8, new ushort[16 * 9 * 3]));

    [Fact]
    public async Task A_request_that_cannot_be_read_is_answered_in_words()
    {
        long id = await NewShot("UNREAD");
        HttpResponseMessage unread = await _client.PostAsync(
            $"/api/shots/{id}/camera/hand/look",
            new StringContent("{\"frame\":1001,\"how\":\"Fly\"}", System.Text.Encoding.UTF8, "application/json")
        );
        Assert.Equal(HttpStatusCode.BadRequest, unread.StatusCode);
        Assert.Contains("how", await unread.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        HttpResponseMessage unbound = await _client.GetAsync($"/api/shots/{id}/frames/1001/pixel?x=left&y=3");
        Assert.Equal(HttpStatusCode.BadRequest, unbound.StatusCode);
        Assert.Contains(
            "The request’s x is missing",
            (await unbound.Content.ReadFromJsonAsync<JsonObject>())!["title"]!.ToString(),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Health_front_page_and_api_description_answer()
    {
        Assert.Equal("Healthy", await _client.GetStringAsync("/health"));
        Assert.Contains("New shot", await _client.GetStringAsync("/"));
        Assert.Contains("/api/shots/{id}/render", await _client.GetStringAsync("/openapi/v1.json"));
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync("/shots/99999")).StatusCode);
    }

    [Fact]
    public async Task A_plate_comes_in_with_its_faults_told_and_good_frames_kept()
    {
        long id = await NewShot("T_0020");
        HttpResponseMessage answer = await _client.BringPlate(
            $"/api/shots/{id}",
            Frames(("p.1001.png", Png()), ("p.1002.png", []), ("p.1004.png", Png()))
        );
        JsonElement body = await answer.Content.ReadFromJsonAsync<JsonElement>();
        Assert.Equal(2, body.GetProperty("notes").GetArrayLength());
        JsonElement document = body.GetProperty("state").GetProperty("document");
        Assert.Equal(2, document.GetProperty("plate").GetProperty("frames").GetArrayLength());
        Assert.Equal(1004, document.GetProperty("range").GetProperty("last").GetInt32());
        string media = document.GetProperty("plate").GetProperty("frames")[0].GetProperty("media").GetString()!;
        Assert.Equal("image/png", (await _client.GetAsync($"/media/{media}")).Content.Headers.ContentType!.MediaType);
    }

    [Fact]
    public async Task Bad_input_gets_words_and_changes_nothing()
    {
        long id = await NewShot("T_0030");
        HttpResponseMessage refused = await _client.BringPlate($"/api/shots/{id}", Frames(("p.1001.png", "no picture"u8.ToArray())));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, refused.StatusCode);
        string text = await refused.Content.ReadAsStringAsync();
        Assert.Contains("neither a PNG nor a JPEG", text);
        Assert.DoesNotContain("   at ", text);
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (await _client.PostAsync($"/api/shots/{id}/camera", Frames(("c.csv", "x"u8.ToArray())))).StatusCode
        );
        Assert.Equal(1, (await _client.GetFromJsonAsync<JsonElement>($"/api/shots/{id}")).GetProperty("revision").GetInt32());
        Assert.Equal(
            HttpStatusCode.UnprocessableEntity,
            (
                await _client.PostAsJsonAsync(
                    "/api/shots",
                    new
                    {
                        production = "Test",
                        sequence = "",
                        code = "../x",
                    }
                )
            ).StatusCode
        );
    }

    [Fact]
    public async Task The_second_page_to_save_gets_a_conflict()
    {
        long id = await NewShot("T_0040");
        JsonElement state = await _client.GetFromJsonAsync<JsonElement>($"/api/shots/{id}");
        var change = new
        {
            baseRevision = 1,
            what = "Nothing much",
            document = state.GetProperty("document"),
        };
        Assert.Equal(HttpStatusCode.OK, (await _client.PutAsJsonAsync($"/api/shots/{id}", change)).StatusCode);
        HttpResponseMessage second = await _client.PutAsJsonAsync($"/api/shots/{id}", change);
        Assert.Equal(HttpStatusCode.Conflict, second.StatusCode);
        Assert.Equal(2, (await second.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("head").GetInt32());
    }

    // A camera whose frames are not the plate's is taken, and what is amiss is said; one that cannot be read is refused by its frame.
    [Fact]
    public async Task A_camera_with_other_frames_than_the_plate_is_told()
    {
        long id = await NewShot("T_0050");
        await _client.BringPlate($"/api/shots/{id}", Frames(("p.1001.png", Png()), ("p.1002.png", Png()), ("p.1003.png", Png())));
        static byte[] Camera(params string[] rows) =>
            System.Text.Encoding.UTF8.GetBytes("frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n" + string.Join('\n', rows) + "\n");
        HttpResponseMessage answer = await _client.PostAsync(
            $"/api/shots/{id}/camera",
            Frames(("c.csv", Camera("1001,0,1,2,0,0,0,1,28", "1002,0,1,2,0,0,0,1,28")))
        );
        string note = Assert
            .Single((await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("notes").EnumerateArray())
            .GetString()!;
        Assert.Contains("1001 to 1002", note);
        Assert.Contains("needs 1001 to 1003", note);
        HttpResponseMessage picture = await _client.GetAsync($"/api/shots/{id}/frames/1003/overlay");
        Assert.Contains("no sample for frame 1003", await picture.Content.ReadAsStringAsync());
        foreach (
            var (row, words) in new[]
            {
                ("1002,0,1,nan,0,0,0,1,28", "1002"),
                ("1002,0,1,2,0,0,0,1,0", "focal length"),
                ("1001,0,1,2,0,0,0,1,28", "1001"),
            }
        )
        {
            HttpResponseMessage refused = await _client.PostAsync(
                $"/api/shots/{id}/camera",
                Frames(("c.csv", Camera("1001,0,1,2,0,0,0,1,28", row)))
            );
            Assert.Equal(HttpStatusCode.UnprocessableEntity, refused.StatusCode);
            Assert.Contains(words, await refused.Content.ReadAsStringAsync());
        }
        // A solve that failed says its own reason.
        HttpResponseMessage failed = await _client.PostAsync(
            $"/api/shots/{id}/camera",
            Frames(("solve.json", """{"status":"failed","reason":"too little texture"}"""u8.ToArray()))
        );
        Assert.Contains("too little texture", await failed.Content.ReadAsStringAsync());
    }

    private async Task<string> Refused(Task<HttpResponseMessage> asked, HttpStatusCode status = HttpStatusCode.UnprocessableEntity)
    {
        HttpResponseMessage answer = await asked;
        Assert.Equal(status, answer.StatusCode);
        string title = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!;
        Assert.DoesNotContain("   at ", title);
        return title;
    }

    [Fact]
    public async Task Tracking_and_solving_say_what_is_missing()
    {
        long id = await NewShot("T_0060");
        string at = $"/api/shots/{id}";
        Assert.Contains("no plate yet", await Refused(_client.PostAsJsonAsync($"{at}/track", new { count = 300, distance = 12 })));
        Assert.Contains("no tracks yet", await Refused(_client.PostAsJsonAsync($"{at}/solve", new { })));
        Assert.Contains("no camera yet", await Refused(_client.GetAsync($"{at}/camera/handover.zip")));
        await _client.BringPlate(at, Frames(("p.1001.png", Png()), ("p.1003.png", Png())));
        Assert.Contains("no frame 1002", await Refused(_client.PostAsJsonAsync($"{at}/track", new { count = 300, distance = 12 })));
        Assert.Contains(
            "between 20 and 5,000",
            (await Refused(_client.PostAsJsonAsync($"{at}/track", new { count = 3, distance = 12 }))).ToLowerInvariant()
        );
        Assert.Contains(
            "no track 7",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/tracks/edit",
                    new
                    {
                        baseRevision = 2,
                        edit = new
                        {
                            @do = "delete",
                            track = 7,
                            frame = 1001,
                            x = 0,
                            y = 0,
                        },
                    }
                )
            )
        );
        Assert.Contains(
            "nothing that is done",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/tracks/edit",
                    new
                    {
                        baseRevision = 2,
                        edit = new
                        {
                            @do = "paint",
                            track = 7,
                            frame = 1001,
                            x = 0,
                            y = 0,
                        },
                    }
                )
            )
        );
        Assert.Contains(
            "Track the plate first",
            await Refused(_client.PostAsync($"{at}/camera/readings", Frames(("c.csv", "frame,tx\n1,2\n"u8.ToArray()))))
        );
        Assert.Contains("floor is not named", await Refused(_client.GetAsync($"{at}/frames/1001/floor?x=3&y=3")));
        // Nothing of this made a revision.
        Assert.Equal(2, (await _client.GetFromJsonAsync<JsonElement>(at)).GetProperty("revision").GetInt32());
        Assert.False((await _client.GetFromJsonAsync<JsonElement>($"{at}/solve")).GetProperty("solved").GetBoolean());
        Assert.Empty((await _client.GetFromJsonAsync<JsonElement>($"{at}/frames/1001/tracks")).EnumerateArray());
    }

    [Fact]
    public async Task Lines_on_a_still_are_looked_at_and_kept_whatever_they_give()
    {
        long id = await NewShot("T_0070");
        string at = $"/api/shots/{id}";
        await _client.BringPlate(at, Frames(("p.1001.png", Png())));
        object Still(params double[][] lines) =>
            new
            {
                frame = 1001,
                lines = lines.Select(l => new
                {
                    axis = "x",
                    x1 = l[0],
                    y1 = l[1],
                    x2 = l[2],
                    y2 = l[3],
                }),
            };
        JsonElement look = await (
            await _client.PostAsJsonAsync(
                $"{at}/still/look",
                new
                {
                    baseRevision = 2,
                    what = "",
                    still = Still([0, 0, 15, 1], [0, 8, 15, 7]),
                }
            )
        ).Content.ReadFromJsonAsync<JsonElement>();
        Assert.False(look.GetProperty("solved").GetBoolean());
        Assert.Contains("two or three directions", look.GetProperty("reason").GetString());
        // Half-drawn work is kept all the same; the camera stays as it was.
        JsonElement kept = await (
            await _client.PostAsJsonAsync(
                $"{at}/still",
                new
                {
                    baseRevision = 2,
                    what = "Line along x",
                    still = Still([0, 0, 15, 1]),
                }
            )
        ).Content.ReadFromJsonAsync<JsonElement>();
        JsonElement document = kept.GetProperty("state").GetProperty("document");
        Assert.Equal(1, document.GetProperty("still").GetProperty("lines").GetArrayLength());
        Assert.Equal(JsonValueKind.Null, document.GetProperty("camera").ValueKind);
        Assert.Contains(
            "runs along x, y or z",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/still",
                    new
                    {
                        baseRevision = 3,
                        what = "",
                        still = new
                        {
                            frame = 1001,
                            lines = new[]
                            {
                                new
                                {
                                    axis = "up",
                                    x1 = 1.0,
                                    y1 = 1.0,
                                    x2 = 9.0,
                                    y2 = 1.0,
                                },
                            },
                        },
                    }
                )
            )
        );
    }

    // Made by Debian's ffmpeg.
    [Fact]
    public async Task A_video_comes_in_as_a_plate_at_its_own_rate()
    {
        string file = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.mp4");
        try
        {
            using (
                var ffmpeg = System.Diagnostics.Process.Start(
                    new System.Diagnostics.ProcessStartInfo(
                        "ffmpeg",
                        ["-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25", "-frames:v", "6", "-pix_fmt", "yuv420p", file]
                    )
                )!
            )
            {
                await ffmpeg.WaitForExitAsync();
            }
            long id = await NewShot("T_0080");
            HttpResponseMessage answer = await _client.BringPlate(
                $"/api/shots/{id}",
                Frames(("take.mp4", await File.ReadAllBytesAsync(file)))
            );
            JsonElement document = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("state").GetProperty("document");
            Assert.Equal(
                (25, 6, "take.mp4"),
                (
                    document.GetProperty("rate").GetProperty("num").GetInt32(),
                    document.GetProperty("plate").GetProperty("frames").GetArrayLength(),
                    document.GetProperty("plate").GetProperty("name").GetString()
                )
            );
            Assert.Equal(
                (1001, 1006),
                (
                    document.GetProperty("range").GetProperty("first").GetInt32(),
                    document.GetProperty("range").GetProperty("last").GetInt32()
                )
            );
            Assert.Contains("no video", await Refused(_client.BringPlate($"/api/shots/{id}", Frames(("bad.mp4", [1, 2, 3])))));
        }
        finally
        {
            File.Delete(file);
        }
    }

    // Codes of an encoding stand for light of the primaries that its standard goes with, unless others are named.
    [Theory]
    [InlineData("acescct", "", "acesCct", "acescg")]
    [InlineData("pq", "", "pq", "bt2020")]
    [InlineData("pq", "bt709", "pq", null)]
    [InlineData("bt1886", "bt2020", "bt1886", "bt2020")]
    [InlineData("srgb", "", "srgb", null)]
    public async Task A_plate_keeps_what_its_codes_stand_for(string encoding, string primaries, string kept, string? of)
    {
        long id = await NewShot($"ENC_{encoding}_{primaries}");
        MultipartFormDataContent form = Frames(("p.1001.png", Png()));
        form.Add(new StringContent(encoding), "encoding");
        form.Add(new StringContent(primaries), "primaries");
        Assert.Equal(HttpStatusCode.OK, (await _client.BringPlate($"/api/shots/{id}", form)).StatusCode);
        JsonElement plate = (await _client.GetFromJsonAsync<JsonElement>($"/api/shots/{id}")).GetProperty("document").GetProperty("plate");
        Assert.Equal(kept, plate.GetProperty("encoding").GetString());
        Assert.Equal(of, plate.TryGetProperty("primaries", out JsonElement p) ? p.GetString() : null);
    }

    [Theory]
    [InlineData("encoding", "film", "“film” is not an encoding that is known")]
    [InlineData("primaries", "wide", "“wide” names no primaries; bt709, bt2020, acescg, aces2065-1 do.")]
    public async Task What_codes_cannot_stand_for_is_told(string field, string value, string words)
    {
        long id = await NewShot($"ENC_{value}");
        MultipartFormDataContent form = Frames(("p.1001.png", Png()));
        form.Add(new StringContent(value), field);
        Assert.Contains(words, await ShotClient.Refused(_client.BringPlate($"/api/shots/{id}", form)));
    }

    // What a DPX header says is believed where nobody says otherwise, and told where somebody does.
    [Theory]
    [InlineData("", "printingDensity", null)]
    [InlineData("printingdensity", "printingDensity", null)]
    [InlineData("acescct", "acesCct", null)]
    [InlineData("srgb", "srgb", "Their headers say printing density, and they are taken as sRGB.")]
    public async Task A_header_is_believed_where_nobody_says_otherwise(string encoding, string kept, string? told)
    {
        long id = await NewShot($"DPX_{encoding}");
        byte[] dpx = DpxFile.Write(new CodeImage(16, 9, 3, 10, new ushort[16 * 9 * 3]), 10, 3, 1001, new(24, 1));
        MultipartFormDataContent form = Frames(("p.1001.dpx", dpx));
        form.Add(new StringContent(encoding), "encoding");
        HttpResponseMessage answer = await _client.BringPlate($"/api/shots/{id}", form);
        JsonElement said = await answer.Content.ReadFromJsonAsync<JsonElement>();
        Assert.Equal(kept, said.GetProperty("state").GetProperty("document").GetProperty("plate").GetProperty("encoding").GetString());
        Assert.Equal(
            told is not null,
            said.GetProperty("notes").EnumerateArray().Any(n => told is not null && n.GetString()!.Contains(told, StringComparison.Ordinal))
        );
    }
}
