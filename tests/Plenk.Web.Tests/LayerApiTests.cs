using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Work;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>Layers of a frame over HTTP, before anything is handed over; and a frame without one thing.</summary>
[Collection("application")]
public sealed class LayerApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    /// <summary>A camera above a floor, a lit box on it, a matte beside.</summary>
    private async Task<string> Shot(string code)
    {
        var (_, at) = await _client.NewShot("LY", code, 2, f =>
            RasterFile.ToPng(new CodeImage(160, 90, 3, 8, [.. Enumerable.Repeat((ushort)120, 160 * 90 * 3)]))
        );
        await _client.StandOverFloor(at, 2);
        byte[] box = System.Text.Encoding.UTF8.GetBytes(
            "o box\nv -0.5 0 0.5\nv 0.5 0 0.5\nv 0.5 1 0.5\nv -0.5 1 0.5\nv -0.5 0 -0.5\nv 0.5 0 -0.5\nv 0.5 1 -0.5\nv -0.5 1 -0.5\nf 1 2 3 4\nf 6 5 8 7\nf 5 1 4 8\nf 2 6 7 3\nf 4 3 7 8\nf 5 6 2 1\n"
        );
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/element", ShotClient.Form(("box.obj", box)))).StatusCode);
        HttpResponseMessage saved = await _client.Save(at, d =>
        {
            d["elements"]![0]!["position"] = new JsonArray(0, 0, -4);
            d["lights"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "sun",
                    ["kind"] = "Sun",
                    ["elevationDegrees"] = 60,
                    ["inPlate"] = true,
                }
            );
            d["mattes"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "left",
                    ["name"] = "the left",
                    ["kind"] = "Drawn",
                    ["keys"] = new JsonArray(new JsonObject { ["frame"] = 1001, ["corners"] = new JsonArray(0, 0, 40, 0, 40, 90, 0, 90) }),
                }
            );
        });
        Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        return at;
    }

    private async Task<CodeImage> Picture(string at, string kind, int frame = 1001) =>
        RasterFile.Read(
            await _client.GetByteArrayAsync($"{at}/frames/{frame}/picture?kind={Uri.EscapeDataString(kind)}&width=160&quality=middle"),
            kind
        );

    private static string Repository()
    {
        string folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(folder, "Plenk.slnx")))
        {
            folder = Path.GetDirectoryName(folder)!;
        }
        return folder;
    }

    private async Task<double[]> Value(string at, string layer, int x, int y, int frame = 1001)
    {
        JsonNode answer = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/{frame}/layers/{layer}/pixel?x={x}&y={y}"))!;
        string[] parts = answer["value"]!.GetValue<string>().Split(' ');
        return [.. parts.Where((_, i) => i % 2 == 1).Select(v => double.Parse(v, CultureInfo.InvariantCulture))];
    }

    [Fact]
    public async Task Every_layer_that_is_handed_over_is_looked_at_by_its_name()
    {
        string at = await Shot("LY_0010");
        string[] names = (await _client.GetFromJsonAsync<string[]>($"{at}/frames/1001/layers"))!;
        // Names of the document that tells what is handed over; lights and mattes by their own.
        string told = await File.ReadAllTextAsync(Path.Combine(Repository(), "docs", "exr-layers.md"));
        Assert.Superset(
            new HashSet<string>
            {
                "background",
                "elements",
                "element",
                "shadow",
                "depth",
                "P",
                "N",
                "id_object",
                "light_sun",
                "matte_the_left",
            },
            names.ToHashSet()
        );
        foreach (string name in names)
        {
            string stem = Regex.Replace(name, "^(light_|matte_).*", "$1");
            Assert.Contains(stem, told);
            CodeImage picture = await Picture(at, $"layer:{name}");
            Assert.Equal((160, 90), (picture.Width, picture.Height));
        }
        JsonNode lacks = (
            await (await _client.GetAsync($"{at}/frames/1001/picture?kind=layer:fog")).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Contains("no layer “fog”", lacks["title"]!.GetValue<string>());
        Assert.Contains("shadow", lacks["title"]!.GetValue<string>());
    }

    [Fact]
    public async Task A_seen_piece_turns_in_the_light_and_leaves_as_a_layer_where_it_is_new()
    {
        string at = await Shot("LY_0050");
        async Task Piece(params (string Key, JsonNode Value)[] duties)
        {
            HttpResponseMessage saved = await _client.Save(at, d =>
            {
                d["elements"] = new JsonArray();
                d["projections"] = new JsonArray(
                    new JsonObject
                    {
                        ["id"] = "held",
                        ["kind"] = "Held",
                        ["frame"] = 1001,
                        ["pieces"] = new JsonArray("floor"),
                    }
                );
                JsonNode sun = d["lights"]![0]!;
                // Overhead when the footage was taken, 60° from there a frame later: half as much falls on the floor.
                d["curves"] = new JsonArray(
                    new JsonObject
                    {
                        ["id"] = $"lights/{sun["id"]}/direction",
                        ["keys"] = new JsonArray(
                            new JsonObject { ["frame"] = 1001, ["triple"] = new JsonArray(0, 1, 0) },
                            new JsonObject { ["frame"] = 1002, ["triple"] = new JsonArray(Math.Sqrt(3), 1, 0) }
                        ),
                    }
                );
                JsonObject own = d["pieces"]![0]!["duties"]!.AsObject();
                own["seen"] = true;
                foreach (var (key, value) in duties)
                {
                    own[key] = value;
                }
            });
            Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
            await Picture(at, "layer:background", 1002);
        }
        await Piece();
        double filmed = (await Value(at, "background", 80, 70, 1002))[1];
        Assert.Equal(0.188, filmed, 0.01); // code 120 of 255 by IEC 61966-2-1
        await Piece(("lit", "Turning"));
        Assert.Equal(filmed / 2, (await Value(at, "background", 80, 70, 1002))[1], 0.002);
        // Where it is new it is no part of what was there.
        await Piece(("new", true));
        await Picture(at, "layer:pieces", 1002);
        double[] piece = await Value(at, "pieces", 80, 70, 1002);
        Assert.Equal(filmed / 2, piece[1], 0.002);
        Assert.Equal(1, piece[3]);
        Assert.Equal(0, (await Value(at, "background", 80, 70, 1002))[3]);
        await Picture(at, "layer:elements", 1002);
        Assert.Equal(1, (await Value(at, "elements", 80, 70, 1002))[3]);
        // Graded by its name: a stop more.
        HttpResponseMessage graded = await _client.Save(at, d => d["finish"]!["steps"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "up",
                    ["kind"] = "Grade",
                    ["grade"] = new JsonObject { ["stops"] = 1 },
                    ["named"] = "fl*",
                }
            ));
        Assert.True(graded.IsSuccessStatusCode, await graded.Content.ReadAsStringAsync());
        await Picture(at, "layer:pieces", 1002);
        Assert.Equal(filmed, (await Value(at, "pieces", 80, 70, 1002))[1], 0.003);
        await _client.Save(at, d => d["finish"]!["steps"]![0]!["named"] = "wall*");
        await Picture(at, "layer:pieces", 1002);
        Assert.Equal(filmed / 2, (await Value(at, "pieces", 80, 70, 1002))[1], 0.002);
        // Within a matte alone: the left is the floor's, the rest the plate's.
        await Piece(("seenWithin", "left"), ("lit", "AsFilmed"));
        await Picture(at, "layer:pieces", 1002);
        Assert.Equal(1, (await Value(at, "pieces", 20, 70, 1002))[3]);
        Assert.Equal(0, (await Value(at, "pieces", 80, 70, 1002))[3]);
        HttpResponseMessage refused = await _client.Save(at, d => d["pieces"]![0]!["duties"]!["fadePixels"] = -3);
        Assert.Contains("0 to 500 px", await refused.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task What_is_offered_is_looked_at_before_it_is_kept()
    {
        string at = await Shot("LY_0080");
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        string Packed(string edits) => "edited:" + System.Buffers.Text.Base64Url.EncodeToString(System.Text.Encoding.UTF8.GetBytes(edits));
        CodeImage before = await Picture(at, "comp"),
            away = await Picture(at, Packed("""[{"edit":"set","at":"elements/box/position","to":[400,0,400]}]"""));
        Assert.NotEqual(before.Codes, away.Codes);
        Assert.Equal((await Picture(at, "without:elements/box")).Codes, away.Codes);
        Assert.Equal(revision, (await _client.State(at))["revision"]!.GetValue<int>());
        Assert.Equal(before.Codes, (await Picture(at, "comp")).Codes);
        async Task<string> Refused(string kind) =>
            await ShotClient.Refused(_client.GetAsync($"{at}/frames/1001/picture?kind={Uri.EscapeDataString(kind)}&width=160"));
        Assert.Contains("no list of edits", await Refused("edited:%%%"));
        Assert.Contains("no list of edits", await Refused(Packed("{")));
        Assert.Contains("no change in it", await Refused(Packed("[]")));
        // It floats by as much as it stands too high, which its reading offers to mend.
        Assert.True((await _client.Save(at, d => d["elements"]![0]!["position"] = new JsonArray(0, 0.12, -4))).IsSuccessStatusCode);
        long id = long.Parse(at.Split('/')[^1], CultureInfo.InvariantCulture);
        for (int i = 0; i < 600; i++)
        {
            if ((await _client.GetFromJsonAsync<JsonNode>($"{at}/readings"))! is JsonArray)
            {
                break;
            }
            await Task.Delay(100);
        }
        string sheet = await _client.GetStringAsync($"/shots/{id}?step=6&frame=1001");
        Assert.Contains("Lower box by 120 mm", sheet);
        Assert.Contains("edited:", sheet);
    }

    [Fact]
    public async Task Pictures_of_their_own_stand_behind_all_and_the_plate_in_its_matte()
    {
        string at = await Shot("LY_0060");
        // Another shot, twice as large and wider: its middle is lighter than its sides, which are cut off.
        var (other, _) = await _client.NewShot("LY", "LY_0065", 2, f =>
            RasterFile.ToPng(
                new CodeImage(
                    400,
                    180,
                    3,
                    8,
                    [.. Enumerable.Range(0, 400 * 180 * 3).Select(i => (ushort)(i / 3 % 400 is >= 40 and < 360 ? 200 - f % 2 * 50 : 0))]
                )
            )
        );
        HttpResponseMessage saved = await _client.Save(at, d =>
        {
            d["elements"] = new JsonArray();
            d["mattes"]![0]!["hidesBeyondMetres"] = 0;
            d["mattes"]![0]!["feather"] = 0;
        });
        Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        HttpResponseMessage taken = await _client.PostAsJsonAsync($"{at}/background/plate", new { baseRevision = revision, shot = other });
        Assert.True(taken.IsSuccessStatusCode, await taken.Content.ReadAsStringAsync());
        double Linear(double code) => Math.Pow((code / 255 + 0.055) / 1.055, 2.4); // IEC 61966-2-1
        foreach (var (frame, code) in ((int, double)[])[(1001, 150), (1002, 200)])
        {
            await Picture(at, "layer:background", frame);
            Assert.Equal(Linear(code), (await Value(at, "background", 80, 45, frame))[0], 2e-3);
            Assert.Equal(Linear(code), (await Value(at, "background", 157, 45, frame))[0], 2e-3);
            Assert.Equal(Linear(120), (await Value(at, "background", 15, 45, frame))[0], 2e-3);
            Assert.Equal(1, (await Value(at, "background", 80, 45, frame))[3]);
        }
        // A sequence with a hole: a comp of that frame is refused by its number, before anything is rendered.
        byte[] own = RasterFile.ToPng(new CodeImage(160, 90, 3, 8, [.. Enumerable.Repeat((ushort)90, 160 * 90 * 3)]));
        HttpResponseMessage brought = await _client.PostAsync(
            $"{at}/background",
            ShotClient.Form(("b.1001.png", own), ("b.1003.png", own))
        );
        Assert.True(brought.IsSuccessStatusCode, await brought.Content.ReadAsStringAsync());
        Assert.Contains("Frames are missing: 1002", await brought.Content.ReadAsStringAsync());
        await Picture(at, "layer:background");
        Assert.Equal(Linear(90), (await Value(at, "background", 80, 45))[0], 2e-3);
        Assert.Contains(
            "no picture at 1002",
            await ShotClient.Refused(_client.PostAsJsonAsync($"{at}/render", new { first = 1001, last = 1002 }))
        );
        Assert.Contains("no picture at 1002", await ShotClient.Refused(_client.GetAsync($"{at}/frames/1002/picture?kind=comp&width=160")));
        // Which is said where it is chosen, and goes with what is seen after its last.
        long id = long.Parse(at.Split('/')[^1], CultureInfo.InvariantCulture);
        Assert.Contains("no picture at 1002", await _client.GetStringAsync($"/shots/{id}?step=4&frame=1001"));
    }

    [Fact]
    public async Task What_a_layer_holds_is_what_lies_there()
    {
        string at = await Shot("LY_0020");
        Assert.Null((await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1002/layers/P/pixel?x=20&y=80"))!["value"]);
        foreach (string layer in (string[])["P", "N", "depth", "shadow", "matte_the_left", "element"])
        {
            await Picture(at, $"layer:{layer}");
        }
        // On the floor, left of the box and outside its shadow.
        JsonNode there = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=20.5&y=80.5"))!;
        double[] p = await Value(at, "P", 20, 80),
            n = await Value(at, "N", 20, 80),
            depth = await Value(at, "depth", 20, 80);
        double[] meant = [.. there["point"]!.AsArray().Select(v => v!.GetValue<double>())];
        Assert.All(Enumerable.Range(0, 3), k => Assert.Equal(meant[k], p[k], 2e-3));
        Assert.Equal((0, 1, 0), (n[0], n[1], n[2]));
        // Along the axis of a camera 1.6 m up that looks 20° down: z cos 20° + (1.6 − y) sin 20°.
        Assert.Equal(-p[2] * Math.Cos(Math.PI / 9) + (1.6 - p[1]) * Math.Sin(Math.PI / 9), depth[0], 2e-3);
        Assert.All(await Value(at, "shadow", 20, 80), v => Assert.Equal(1, v, 1e-3));
        Assert.Equal(1, (await Value(at, "matte_the_left", 20, 80))[0]);
        Assert.Equal(0, (await Value(at, "matte_the_left", 90, 80))[0]);
        // The box stands in the middle.
        Assert.Equal(1, (await Value(at, "element", 80, 46))[3], 1e-3);
        CodeImage matte = await Picture(at, "layer:matte_the_left");
        Assert.Equal((255, 0), (matte.Codes[3 * (80 * 160 + 20)], matte.Codes[3 * (80 * 160 + 90)]));
    }

    [Fact]
    public async Task A_frame_is_seen_without_one_thing()
    {
        string at = await Shot("LY_0030");
        CodeImage whole = await Picture(at, "comp"),
            withoutBox = await Picture(at, "without:elements/box"),
            withoutSun = await Picture(at, "without:lights/sun"),
            withoutFloor = await Picture(at, "without:pieces/floor");
        Assert.All(withoutBox.Codes, c => Assert.Equal(120, c)); // the plate as it was
        Assert.NotEqual(whole.Codes, withoutSun.Codes);
        Assert.NotEqual(whole.Codes, withoutFloor.Codes); // nothing takes the shadow
        Assert.NotEqual(withoutSun.Codes, withoutBox.Codes);
    }

    private static byte[] Exr(params ExrChannel[] channels) => ExrFile.ToBytes(160, 90, channels);

    // By hand: in front of the floor on the left, far behind it on the right, as the depth in a file of its own says.
    [Fact]
    public async Task Passes_in_files_of_their_own_belong_to_the_picture_beside_them()
    {
        string at = await Shot("LY_0095");
        float[] Even(float v) => [.. Enumerable.Repeat(v, 160 * 90)];
        byte[] picture = Exr(new("R", Even(0.5f)), new("G", Even(0.25f)), new("B", Even(0.125f)), new("A", Even(1))),
            depth = Exr(new ExrChannel("Z", [.. Enumerable.Range(0, 160 * 90).Select(i => i % 160 < 80 ? 1.5f : 60f)])),
            normal = Exr(new("X", Even(0)), new("Y", Even(0)), new("Z", Even(1)));
        async Task<HttpResponseMessage> Bring(params (string, byte[])[] files) =>
            await _client.PostAsync($"{at}/rendered-element", ShotClient.Form(files));
        HttpResponseMessage lacks = await Bring(
            ("tower.1001.exr", picture),
            ("tower.1002.exr", picture),
            ("tower_depth.1001.exr", depth),
            ("tower_N.1001.exr", normal),
            ("tower_N.1002.exr", normal)
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, lacks.StatusCode);
        Assert.Contains("tower.1002.exr has no depth beside it", await lacks.Content.ReadAsStringAsync());
        HttpResponseMessage brought = await Bring(
            ("tower.1001.exr", picture),
            ("tower.1002.exr", picture),
            ("tower_depth.1001.exr", depth),
            ("tower_depth.1002.exr", depth),
            ("tower_N.1001.exr", normal),
            ("tower_N.1002.exr", normal)
        );
        Assert.True(brought.IsSuccessStatusCode, await brought.Content.ReadAsStringAsync());
        JsonNode element = (await _client.State(at))["document"]!["elements"]!.AsArray()[^1]!;
        Assert.Equal("tower", element["id"]!.GetValue<string>());
        Assert.Equal(["depth", "normal"], element["passFrames"]!.AsArray().Select(p => p!["name"]!.GetValue<string>()).Order());
        CodeImage comp = await Picture(at, "comp", 1002);
        int Code(int x, int c) => comp.Codes[(80 * 160 + x) * comp.Channels + c];
        // sRGB (IEC 61966-2-1) of 0.5 and 0.25: 188 and 137.
        Assert.Equal((188, 137), (Code(20, 0), Code(20, 1)));
        Assert.Equal((120, 120), (Code(140, 0), Code(140, 1)));
    }

    [Fact]
    public async Task What_the_lens_makes_hangs_on_an_element_and_is_hidden_with_it()
    {
        string at = await Shot("LY_0097");
        string id = at.Split('/')[^1];
        async Task Set(Action<JsonNode> change)
        {
            HttpResponseMessage saved = await _client.Save(at, change);
            Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        }
        await Set(d =>
        {
            d["elements"]![0]!["materials"] = new JsonArray(new JsonObject { ["name"] = "grey", ["emission"] = new JsonArray(40, 20, 10) });
            d["finish"] = new JsonObject
            {
                ["steps"] = new JsonArray(
                    new JsonObject
                    {
                        ["id"] = "flare",
                        ["kind"] = "Flare",
                        ["flare"] = new JsonObject
                        {
                            ["light"] = "box",
                            ["veil"] = 1,
                            ["radiusPixels"] = 30,
                            ["streaks"] = 0,
                            ["ghosts"] = 0,
                        },
                    },
                    new JsonObject
                    {
                        ["id"] = "grade",
                        ["kind"] = "Ripple",
                        ["off"] = true,
                        ["ripple"] = new JsonObject { ["pixels"] = 4, ["sizePixels"] = 6 },
                        ["sphere"] = new JsonObject { ["on"] = "box", ["radiusMetres"] = 1.2 },
                    }
                ),
            };
        });
        int Red(CodeImage picture, int x, int y) => picture.Codes[(y * 160 + x) * picture.Channels];
        CodeImage with = await Picture(at, "comp");
        string effect = await _client.GetStringAsync($"/shots/{id}/parts/StepEffect?revision=0&frame=1001&finish=flare");
        Assert.Contains("100 % of it is seen", effect);
        Assert.True(Red(with, 20, 40) > 122);
        // Behind a wall that hides it nothing shines into the lens.
        await Set(d =>
            ((JsonArray)d["pieces"]!).Add(
                (JsonNode)
                    new JsonObject
                    {
                        ["id"] = "wall",
                        ["kind"] = "Box",
                        ["size"] = new JsonArray(6, 6, 0.1),
                        ["position"] = new JsonArray(0, 0, -2),
                    }
            )
        );
        Assert.Equal(120, Red(await Picture(at, "comp"), 20, 40));
        // Without it, and with the ripple alone: only the air about the box moves, and what it hangs on cannot be taken away under it.
        await Set(d =>
        {
            ((JsonArray)d["pieces"]!).RemoveAt(1);
            d["finish"]!["steps"]![0]!["off"] = true;
            d["finish"]!["steps"]![1]!["off"] = false;
        });
        CodeImage rippled = await Picture(at, "comp"),
            still = await Picture(at, "bare");
        Assert.NotEqual(still.Codes, rippled.Codes);
        Assert.All(Enumerable.Range(0, 90), y => Assert.Equal(Red(still, 5, y), Red(rippled, 5, y)));
        HttpResponseMessage away = await _client.Save(at, d => d["elements"] = new JsonArray());
        Assert.Contains("what its sphere hangs on is no longer in the shot", await away.Content.ReadAsStringAsync());
    }
}
