using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Elements of every kind and mattes over HTTP: what comes in, what stands, what is refused and why.</summary>
[Collection("application")]
public sealed class ElementApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    /// <summary>
    /// Three frames: grey, with a green screen at the left and a bright texture at the right that goes 2 px a frame; a camera above a
    /// floor.
    /// </summary>
    private async Task<string> Shot(string code)
    {
        static ushort[] Pixel(int x, int y, int f) =>
            x < 40 ? [40, 180, 60]
            : x > 90 ? [.. Enumerable.Repeat((ushort)(60 + (x - 2 * (f - 1001)) * 37 % 90 + y * 53 % 70), 3)]
            : [120, 120, 120];
        var (_, at) = await _client.NewShot("E", code, 3, f =>
            RasterFile.ToPng(new CodeImage(160, 90, 3, 8, [.. Enumerable.Range(0, 160 * 90).SelectMany(i => Pixel(i % 160, i / 160, f))]))
        );
        await _client.StandOverFloor(at, 3);
        return at;
    }

    private static byte[] Png(int width, int height, int channels, Func<int, int, ushort> code) =>
        RasterFile.ToPng(
            new CodeImage(
                width,
                height,
                channels,
                8,
                [.. Enumerable.Range(0, width * height * channels).Select(i => code(i / channels % width, i % channels))]
            )
        );

    private async Task<JsonNode> Given(string path, params (string Name, byte[] Bytes)[] files)
    {
        HttpResponseMessage answer = await _client.PostAsync(path, Form(files));
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    [Fact]
    public async Task Meshes_bring_their_materials_and_cards_their_frames()
    {
        string at = await Shot("E_0010");
        byte[] obj = Encoding.UTF8.GetBytes("mtllib box.mtl\no box\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n"),
            mtl = Encoding.UTF8.GetBytes("newmtl red\nKd 0.6 0.1 0.1\n");
        JsonNode mesh = await Given($"{at}/element", ("box.obj", obj), ("box.mtl", mtl));
        Assert.Equal("box", mesh["element"]!.GetValue<string>());
        JsonArray materials = (await _client.GetFromJsonAsync<JsonArray>($"{at}/elements/box/materials"))!;
        Assert.Equal(
            ("red", 0.6, true),
            (
                materials[0]!["name"]!.GetValue<string>(),
                Math.Round(materials[0]!["baseColor"]![0]!.GetValue<double>(), 4),
                materials[0]!["lambert"]!.GetValue<bool>()
            )
        );
        Assert.Contains("not there", (await Given($"{at}/element", ("box.obj", obj)))["notes"]![0]!.GetValue<string>());
        Assert.Contains("Choose one mesh", await Refused(_client.PostAsync($"{at}/element", Form(("a.obj", obj), ("b.obj", obj)))));
        Assert.Contains("Choose a mesh", await Refused(_client.PostAsync($"{at}/element", Form(("box.mtl", mtl)))));

        // A numbered sequence of one thing is one element; what does not belong to it is refused, and nothing of it is kept.
        byte[] second = Encoding.UTF8.GetBytes("o box\nv 0 0 0\nv 1 0 0\nv 0 2 0\nf 1 2 3\n"),
            other = Encoding.UTF8.GetBytes("o box\nv 0 0 0\nv 1 0 0\nv 0 2 0\nv 1 1 0\nf 1 2 3\nf 2 3 4\n");
        JsonNode cloth = await Given($"{at}/element", ("cloth.0002.obj", second), ("cloth.0001.obj", obj), ("box.mtl", mtl));
        JsonNode kept = cloth["state"]!["document"]!["elements"]!.AsArray()[^1]!;
        Assert.Equal(("cloth", 2), (kept["id"]!.GetValue<string>(), kept["frames"]!["frames"]!.AsArray().Count));
        Assert.Equal(kept["media"]!.GetValue<string>(), kept["frames"]!["frames"]![0]!["media"]!.GetValue<string>());
        Assert.Contains(
            "cloth.0003.obj has 2 triangles",
            await Refused(_client.PostAsync($"{at}/element", Form(("cloth.0001.obj", second), ("cloth.0003.obj", other))))
        );

        byte[] Card(int level) => Png(8, 8, 4, (x, c) => (ushort)(c == 3 ? (x < 4 ? 255 : 0) : level));
        JsonNode card = await Given($"{at}/card", ("fog.7.png", Card(90)), ("fog.9.png", Card(120)));
        Assert.Equal("fog", card["element"]!.GetValue<string>());
        Assert.Contains("Frames are missing: 8", card["notes"]![0]!.GetValue<string>());
        Assert.Contains(card["notes"]!.AsArray(), n => n!.GetValue<string>().Contains("laid on the shot's first"));
        // An EXR too: half of light 3 by its alpha, as it is.
        string exr = Path.GetTempFileName();
        ExrFile.Write(
            exr,
            4,
            2,
            [
                .. new (string, float)[] { ("R", 1.5f), ("G", 0.5f), ("B", 0.25f), ("A", 0.5f) }.Select(c => new ExrChannel(
                    c.Item1,
                    [.. Enumerable.Repeat(c.Item2, 8)]
                )),
            ]
        );
        JsonNode spark = await Given($"{at}/card", ("spark.exr", await File.ReadAllBytesAsync(exr)));
        File.Delete(exr);
        JsonNode brought = (await _client.State(at))["document"]!["elements"]!.AsArray().Last()!;
        Assert.Equal(
            (spark["element"]!.ToString(), true),
            (brought["id"]!.ToString(), brought["frames"]!["premultiplied"]!.GetValue<bool>())
        );
        HttpResponseMessage stood = await _client.Save(at, d =>
        {
            JsonNode own = d["elements"]!.AsArray().Last()!;
            own["position"] = new JsonArray(0, 0, -2.82);
            own["lit"] = false;
            own["widthMetres"] = 2;
        });
        Assert.True(stood.IsSuccessStatusCode, await stood.Content.ReadAsStringAsync());
        await _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=layer:element&width=160&quality=middle");
        JsonNode seen = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/layers/element/pixel?x=80&y=45"))!;
        Assert.Equal("R 1.5 G 0.5 B 0.25 A 0.5", seen["value"]!.GetValue<string>());
        Assert.Contains("no frame number", await Refused(_client.PostAsync($"{at}/card", Form(("a.png", Card(1)), ("b.png", Card(2))))));
        Assert.Contains(
            "4 × 4, the frames before it 8 × 8",
            await Refused(_client.PostAsync($"{at}/card", Form(("a.1.png", Card(1)), ("a.2.png", Png(4, 4, 4, (_, _) => 9)))))
        );
        Assert.Contains(
            "has no alpha",
            await Refused(_client.PostAsync($"{at}/rendered-element", Form(("r.1001.png", Png(160, 90, 3, (_, _) => 9)))))
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await _client.PostAsync($"{at}/card", Form(("a.1.png", [1, 2, 3])))).StatusCode);
        Assert.Contains(
            "width must be more than 0",
            await Refused(_client.Save(at, d => d["elements"]!.AsArray().Last()!["widthMetres"] = 0))
        );
        Assert.Contains(
            "two keys stand at 1001",
            await Refused(
                _client.Save(at, d =>
                    d["curves"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = $"elements/{d["elements"]![0]!["id"]}/scale",
                            ["keys"] = new JsonArray(
                                new JsonObject { ["frame"] = 1001, ["value"] = 1 },
                                new JsonObject { ["frame"] = 1001, ["value"] = 2 }
                            ),
                        }
                    )
                )
            )
        );
        Assert.Equal(5, (await _client.State(at))["document"]!["elements"]!.AsArray().Count);
    }

    [Fact]
    public async Task A_keyed_element_goes_its_way_and_is_lowered_at_its_keys()
    {
        string at = await Shot("E_0020");
        await Given($"{at}/element", ("box.obj", Encoding.UTF8.GetBytes("o box\nv -0.2 0 -0.2\nv 0.2 0 -0.2\nv 0 0.5 0.2\nf 1 2 3\n")));
        HttpResponseMessage saved = await _client.Save(at, d => d["curves"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "elements/box/position",
                    ["keys"] = new JsonArray(
                        new JsonObject
                        {
                            ["frame"] = 1001,
                            ["triple"] = new JsonArray(-1, 0.5, -4),
                            ["handle"] = "Straight",
                        },
                        new JsonObject
                        {
                            ["frame"] = 1003,
                            ["triple"] = new JsonArray(1, 0.9, -4),
                            ["handle"] = "Straight",
                        }
                    ),
                }
            ));
        Assert.Equal(HttpStatusCode.OK, saved.StatusCode);
        JsonArray path = (await _client.GetFromJsonAsync<JsonArray>($"{at}/elements/box/path"))!;
        Assert.Equal([-1.0, 0, 1], path.Select(p => Math.Round(p!["position"]![0]!.GetValue<double>(), 6)));
        JsonNode document = (await _client.State(at))["document"]!;
        JsonArray keys = (
            await (await _client.PostAsJsonAsync($"{at}/elements/box/stand-keys", new { document })).Content.ReadFromJsonAsync<JsonArray>()
        )!;
        Assert.All(keys, k => Assert.Equal(0, k!["triple"]![1]!.GetValue<double>(), 1e-4));
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync($"{at}/elements/none/path")).StatusCode);
    }

    [Fact]
    public async Task A_mesh_is_strewn_over_a_piece_as_densely_as_a_matte_is_painted_and_its_key_knows_the_piece()
    {
        string at = await Shot("E_0310");
        byte[] post = Encoding.UTF8.GetBytes("o post\nv -0.1 0 0\nv 0.1 0 0\nv 0 0.5 0\nf 1 2 3\n");
        await Given($"{at}/element", ("post.obj", post));
        async Task<HttpStatusCode> Strewn(object how) =>
            (
                await _client.PostAsJsonAsync(
                    $"{at}/edits",
                    new
                    {
                        edits = new[]
                        {
                            new
                            {
                                edit = "set",
                                at = "elements/post/scatter",
                                to = how,
                            },
                        },
                    }
                )
            ).StatusCode;
        async Task<string> Told() =>
            await _client.GetStringAsync($"{at.Replace("/api", "", StringComparison.Ordinal)}/parts/Strewn?element=post&frame=1001");
        Task<byte[]> Picture() => _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=comp&width=160&quality=draft");
        byte[] alone = await Picture();
        Assert.Equal(
            HttpStatusCode.OK,
            await Strewn(
                new
                {
                    on = "fl*",
                    perSquareMetre = 1,
                    seed = 2,
                }
            )
        );
        // 20 × 20 m, one a square metre.
        Assert.Contains("400 copies on floor", await Told(), StringComparison.Ordinal);
        byte[] strewn = await Picture();
        Assert.NotEqual(alone, strewn);
        Assert.Equal(strewn, await Picture());

        // The surface goes away under them: they go with it, and it is said that none stands.
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["pieces"]![0]!["position"] = new JsonArray(0, -0.5, 0))).StatusCode);
        Assert.NotEqual(strewn, await Picture());
        Assert.Equal(HttpStatusCode.OK, await Strewn(new { on = "walls", perSquareMetre = 1 }));
        Assert.Contains("no piece that is on is called", await Told(), StringComparison.Ordinal);
        await Picture();

        // Within a drawn matte alone.
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["mattes"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "patch",
                            ["name"] = "patch",
                            ["kind"] = "Drawn",
                            ["keys"] = new JsonArray(
                                new JsonObject { ["frame"] = 1001, ["corners"] = new JsonArray(40, 60, 120, 60, 120, 88, 40, 88) }
                            ),
                        }
                    ))).StatusCode);
        Assert.Equal(
            HttpStatusCode.OK,
            await Strewn(
                new
                {
                    on = "floor",
                    perSquareMetre = 20,
                    most = 20_000,
                    matte = "patch",
                    matteFrame = 1001,
                }
            )
        );
        int within = int.Parse(
            System
                .Text.RegularExpressions.Regex.Match(await Told(), @"([\d,]+) copies")
                .Groups[1]
                .Value.Replace(",", "", StringComparison.Ordinal),
            System.Globalization.CultureInfo.InvariantCulture
        );
        Assert.InRange(within, 20, 2000);

        Assert.Equal(HttpStatusCode.UnprocessableEntity, await Strewn(new { on = "floor", perSquareMetre = -1 }));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, await Strewn(new { on = "floor", matte = "none" }));
    }

    [Fact]
    public async Task Screens_pictures_and_joined_mattes_serve_and_what_is_used_stays()
    {
        string at = await Shot("E_0030");
        JsonNode screen = (
            await (
                await _client.PostAsJsonAsync(
                    $"{at}/mattes/screen",
                    new
                    {
                        x = 20,
                        y = 40,
                        frame = 1001,
                    }
                )
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.True(screen["color"]![1]!.GetValue<double>() > 3 * screen["color"]![0]!.GetValue<double>());
        Assert.Contains(
            "hardly coloured",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/mattes/screen",
                    new
                    {
                        x = 70,
                        y = 40,
                        frame = 1001,
                    }
                )
            )
        );
        Assert.Contains(
            "inside the picture",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/mattes/screen",
                    new
                    {
                        x = 700,
                        y = 40,
                        frame = 1001,
                    }
                )
            )
        );
        JsonNode pictures = await Given(
            $"{at}/mattes/frames",
            ("hand.1001.png", Png(160, 90, 1, (x, _) => (ushort)(x < 80 ? 255 : 0))),
            ("hand.1003.png", Png(160, 90, 1, (_, _) => 0))
        );
        Assert.Contains("Frames are missing: 1002", pictures["notes"]![0]!.GetValue<string>());
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                {
                    d["mattes"]!
                        .AsArray()
                        .Add(
                            new JsonObject
                            {
                                ["id"] = "key",
                                ["name"] = "key",
                                ["kind"] = "Screen",
                                ["screen"] = new JsonObject
                                {
                                    ["color"] = screen["color"]!.DeepClone(),
                                    ["low"] = 0.1,
                                    ["high"] = 0.5,
                                },
                                ["parts"] = new JsonArray(new JsonObject { ["matte"] = "matte_1", ["join"] = "Within" }),
                            }
                        );
                })).StatusCode);
        async Task<CodeImage> Seen(string matte, int frame) =>
            RasterFile.Read(
                await _client.GetByteArrayAsync($"{at}/frames/{frame}/picture?kind=matte:{matte}&width=160&quality=full"),
                "matte"
            );
        CodeImage both = await Seen("key", 1001);
        Assert.Equal((0, 255, 0), (both.Codes[3 * (45 * 160 + 10)], both.Codes[3 * (45 * 160 + 60)], both.Codes[3 * (45 * 160 + 120)]));
        Assert.Contains(
            "no picture for frame 1002",
            await Refused(_client.GetAsync($"{at}/frames/1002/picture?kind=matte:key&width=160&quality=full"))
        );
        Assert.Contains("joined to", await Refused(_client.Save(at, d => d["mattes"]!.AsArray().RemoveAt(0))));
        Assert.Contains(
            "goes from a smaller to a larger",
            await Refused(_client.Save(at, d => d["mattes"]![1]!["screen"]!["high"] = 0.05))
        );
        // A ring of mattes is told, not followed for ever.
        Assert.Equal(
            HttpStatusCode.OK,
            (await _client.Save(at, d => d["mattes"]![0]!["parts"] = new JsonArray(new JsonObject { ["matte"] = "key" }))).StatusCode
        );
        Assert.Contains(
            "joined to itself",
            await Refused(_client.GetAsync($"{at}/frames/1001/picture?kind=matte:key&width=160&quality=full"))
        );
    }

    [Fact]
    public async Task A_shape_is_carried_by_its_plane_and_frozen_in_the_tray()
    {
        string at = await Shot("E_0040");
        await Drawn(at);
        await Tray(at, await _client.PostAsJsonAsync($"{at}/mattes/m/follow", new { frame = 1001 }));
        JsonNode outline = (await _client.GetFromJsonAsync<JsonNode>($"{at}/mattes/m/outline?frame=1003"))!;
        Assert.Equal(104, outline["corners"]![0]!.GetValue<double>(), 0.5);
        Assert.Equal(15, outline["corners"]![1]!.GetValue<double>(), 0.5);
        await Tray(at, await _client.PostAsJsonAsync($"{at}/mattes/m/freeze", new { frame = 1001 }));
        JsonNode frozen = (await _client.State(at))["document"]!["mattes"]![0]!["frozen"]!;
        Assert.Equal(3, frozen["frames"]!.AsArray().Count);
        Assert.Contains("There is no track 5", await Refused(_client.PostAsJsonAsync($"{at}/mattes/m/with-track/5", new { })));
    }

    [Fact]
    public async Task An_outline_gets_points_in_all_keys_and_follows_the_picture_in_the_tray()
    {
        string at = await Shot("E_0045");
        await Drawn(at);
        async Task<HttpResponseMessage> Point(string how, double x, double y)
        {
            int revision = (await _client.State(at))["revision"]!.GetValue<int>();
            return await _client.PostAsJsonAsync(
                $"{at}/mattes/m/points",
                new
                {
                    baseRevision = revision,
                    frame = 1001,
                    how,
                    x,
                    y,
                }
            );
        }
        JsonNode Own(JsonNode state) => state["document"]!["mattes"]![0]!;
        Assert.Equal(HttpStatusCode.OK, (await Point("Put", 121, 14)).StatusCode);
        Assert.Equal(10, Own(await _client.State(at))["keys"]![0]!["corners"]!.AsArray().Count);
        Assert.Equal(HttpStatusCode.OK, (await Point("Turn", 139, 16)).StatusCode);
        Assert.Equal(20, Own(await _client.State(at))["keys"]![0]!["handles"]!.AsArray().Count);
        Assert.Equal(HttpStatusCode.OK, (await Point("Take", 121, 15)).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await Point("Take", 100, 75)).StatusCode);
        // The last three stay, and it is said why.
        Assert.Contains("needs the 3 points", await Refused(Point("Take", 100, 15)));
        await Tray(at, await _client.PostAsJsonAsync($"{at}/mattes/m/follow-outline", new { frame = 1001 }));
        JsonNode followed = Own(await _client.State(at));
        Assert.Equal(2, followed["followed"]!.AsArray().Count);
        Assert.False(followed["keys"]![0]!["found"]?.GetValue<bool>() ?? false);
        Assert.True(followed["keys"]!.AsArray()[^1]!["found"]!.GetValue<bool>());
        Assert.Equal(
            followed["keys"]!.AsArray()[^1]!["corners"]!.ToJsonString(),
            (await _client.GetFromJsonAsync<JsonNode>($"{at}/mattes/m/outline?frame=1003"))!["corners"]!.ToJsonString()
        );
        // What bends or hangs on nothing has no spot there.
        Assert.Contains(
            "no longer in the shot",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/elements/none/spots",
                    new
                    {
                        baseRevision = 1,
                        frame = 1001,
                        x = 5,
                        y = 5,
                    }
                )
            )
        );
    }

    /// <summary>A matte of four corners, drawn in the first frame.</summary>
    private async Task Drawn(string at) => Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["mattes"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "m",
                            ["name"] = "m",
                            ["keys"] = new JsonArray(
                                new JsonObject { ["frame"] = 1001, ["corners"] = new JsonArray(100, 15, 140, 15, 140, 75, 100, 75) }
                            ),
                        }
                    ))).StatusCode);

    private async Task Tray(string at, HttpResponseMessage begun)
    {
        Assert.True(begun.IsSuccessStatusCode, await begun.Content.ReadAsStringAsync());
        long id = (await begun.Content.ReadFromJsonAsync<JsonNode>())!["id"]!.GetValue<long>();
        for (int i = 0; i < 300; i++)
        {
            JsonNode job = (await _client.GetFromJsonAsync<JsonArray>($"{at}/jobs"))!.First(j => j!["id"]!.GetValue<long>() == id)!;
            string state = job["state"]!.GetValue<string>();
            if (state == "done")
            {
                return;
            }
            Assert.True(state is "waiting" or "running", job.ToJsonString());
            await Task.Delay(100);
        }
        Assert.Fail("the job did not end");
    }

    [Fact]
    public async Task Balls_stand_beside_the_filmed_ones()
    {
        string at = await Shot("E_0050");
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        JsonNode state = (
            await (
                await _client.PostAsJsonAsync(
                    $"{at}/balls",
                    new
                    {
                        baseRevision = revision,
                        spot = new[] { 0.0, 0, -4 },
                        radiusMetres = 0.1,
                    }
                )
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Equal(["grey_ball", "chrome_ball"], state["document"]!["elements"]!.AsArray().Select(e => e!["id"]!.GetValue<string>()));
        JsonArray chrome = (await _client.GetFromJsonAsync<JsonArray>($"{at}/elements/chrome_ball/materials"))!;
        Assert.Equal(1, chrome[0]!["metallic"]!.GetValue<double>());
        Assert.Contains(
            "between 5 mm and 5 m",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/balls",
                    new
                    {
                        baseRevision = revision + 1,
                        spot = new[] { 0.0, 0, -4 },
                        radiusMetres = 50,
                    }
                )
            )
        );
    }
}
