using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Plenk.Formats.Raster;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>
/// Cameras beside, fills, paint, textures, views from elsewhere and depth over HTTP; what is refused says why and changes nothing.
/// </summary>
[Collection("application")]
public sealed class FootageApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private static byte[] Frame(int f, int width = 160, int height = 90)
    {
        var codes = new ushort[width * height * 3];
        for (int i = 0; i < codes.Length; i++)
        {
            int x = i / 3 % width,
                y = i / 3 / width;
            codes[i] = (ushort)(90 + 60 * ((x + f - 1001) / 9 % 2) + 30 * (y / 7 % 2) + i % 3 * 10);
        }
        return RasterFile.ToPng(new CodeImage(width, height, 3, 8, codes));
    }

    /// <summary>Three frames, a camera at 1.6 m from x on, a wall five metres ahead that wears frame 1001.</summary>
    private async Task<(long Id, string At)> Shot(string code, double x = 0)
    {
        var (id, at) = await _client.NewShot("F", code, 3, f => Frame(f));
        string csv =
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n"
            + string.Concat(
                Enumerable.Range(0, 3).Select(i => FormattableString.Invariant($"{1001 + i},{x + 0.1 * i},1.6,0,0,0,0,1,36\n"))
            );
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/camera", Form("c.csv", Encoding.UTF8.GetBytes(csv)))).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                {
                    d["pieces"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "wall",
                            ["name"] = "wall",
                            ["kind"] = "Plane",
                            ["position"] = new JsonArray(0, 1.6, -5),
                            ["rotationYxzDegrees"] = new JsonArray(90, 0, 0),
                            ["size"] = new JsonArray(30, 0, 20),
                        }
                    );
                    d["projections"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "one",
                            ["name"] = "one",
                            ["frame"] = 1001,
                        }
                    );
                    d["mattes"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "m",
                            ["name"] = "mark",
                            ["keys"] = new JsonArray(
                                new JsonObject { ["frame"] = 1001, ["corners"] = new JsonArray(60, 30, 90, 30, 90, 50, 60, 50) }
                            ),
                        }
                    );
                })).StatusCode);
        return (id, at);
    }

    private static MultipartFormDataContent Form(string name, byte[] bytes, params (string Key, string Value)[] fields)
    {
        MultipartFormDataContent form = ShotClient.Form((name, bytes));
        foreach (var (key, value) in fields)
        {
            form.Add(new StringContent(value), key);
        }
        return form;
    }

    /// <summary>The job's end: its state and its message.</summary>
    private async Task<JsonNode> Ended(string at, Task<HttpResponseMessage> asked)
    {
        HttpResponseMessage answer = await asked;
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        long job = (await answer.Content.ReadFromJsonAsync<JsonNode>())!["id"]!.GetValue<long>();
        for (int i = 0; i < 300; i++)
        {
            JsonNode? row = (await _client.GetFromJsonAsync<JsonNode>($"{at}/jobs"))!
                .AsArray()
                .FirstOrDefault(j => j!["id"]!.GetValue<long>() == job);
            if (row?["state"]!.GetValue<string>() is "done" or "failed" or "stopped")
            {
                return row!;
            }
            await Task.Delay(100);
        }
        throw new TimeoutException("the job does not end");
    }

    [Fact]
    public async Task Another_shots_camera_comes_beside_and_is_matched()
    {
        var (id, at) = await Shot("F_0010");
        var (other, _) = await Shot("F_0020", 0.6);
        HttpResponseMessage empty = await _client.PostAsJsonAsync(
            "/api/shots",
            new
            {
                production = "Test",
                sequence = "F",
                code = "F_0030",
            }
        );
        long bare = (await empty.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        Assert.Contains(
            "this shot itself",
            await Refused(_client.PostAsJsonAsync($"{at}/other-cameras", new { baseRevision = revision, shot = id }))
        );
        Assert.Contains(
            "no plate yet",
            await Refused(_client.PostAsJsonAsync($"{at}/other-cameras", new { baseRevision = revision, shot = bare }))
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (await _client.PostAsJsonAsync($"{at}/other-cameras", new { baseRevision = revision, shot = other })).StatusCode
        );
        Assert.Contains(
            "of one camera",
            await Refused(
                _client.PostAsJsonAsync($"{at}/match-cameras", new { document = (await _client.State(at))["document"], frame = 1001 })
            )
        );
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["projections"]!
                        .AsArray()
                        .Add(
                            new JsonObject
                            {
                                ["id"] = "two",
                                ["name"] = "two",
                                ["frame"] = 1002,
                                ["camera"] = "F_0020",
                            }
                        ))).StatusCode);
        JsonNode meeting = Assert.Single((await _client.GetFromJsonAsync<JsonNode>($"{at}/meetings?frame=1001"))!.AsArray())!;
        // 0.7 m apart, 5 m before a wall of which each sees 5 m: 86 % shared, 2 · atan(0.35 / 5) = 8°.
        Assert.Equal(0.86, meeting["overlap"]!.GetValue<double>(), 0.03);
        Assert.InRange(meeting["parallaxDegrees"]!.GetValue<double>(), 5, 8.1);
        // A projection through a camera that is taken away is refused.
        Assert.Contains("camera is no longer", await Refused(_client.Save(at, d => d["otherCameras"] = new JsonArray())));
        JsonNode around = (await _client.GetFromJsonAsync<JsonNode>($"{at}/around?frame=1001"))!;
        Assert.Equal(0.7, around["cameras"]![1]!["pose"]![3]!.GetValue<double>(), 1e-6);
        CodeImage picture = RasterFile.Read(await _client.GetByteArrayAsync($"{at}/projections/two/picture"), "p");
        Assert.Equal((160, 4), (picture.Width, picture.Channels));
    }

    [Fact]
    public async Task A_hole_is_filled_in_the_tray_and_goes_out_as_a_frame()
    {
        var (_, at) = await Shot("F_0110");
        Assert.Contains(
            "Choose the matte",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/fill",
                    new
                    {
                        frame = 1001,
                        matte = "none",
                        how = "Frames",
                    }
                )
            )
        );
        JsonNode job = await Ended(
            at,
            _client.PostAsJsonAsync(
                $"{at}/fill",
                new
                {
                    frame = 1001,
                    matte = "m",
                    how = "Smooth",
                }
            )
        );
        Assert.Equal("done", job["state"]!.GetValue<string>());
        JsonNode made = (await _client.State(at))["document"]!["projections"]![0]!;
        Assert.Equal(("Picture", 1001), (made["kind"]!.GetValue<string>(), made["frame"]!.GetValue<int>()));
        Assert.Contains("smoothly from the rim", made["madeBy"]!.GetValue<string>());
        CodeImage frame = RasterFile.Read(await _client.GetByteArrayAsync($"{at}/projections/{made["id"]}/frame"), "f"),
            plate = RasterFile.Read(Frame(1001), "p");
        Assert.Equal((160, 90, 16), (frame.Width, frame.Height, frame.Bits));
        Assert.Equal(plate.Codes[3 * (10 * 160 + 10)] * 257, frame.Codes[3 * (10 * 160 + 10)]);
        Assert.Contains("as it is", await Refused(_client.GetAsync($"{at}/projections/one/frame")));
        // A matte that is used cannot simply go.
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["projections"]![1]!["matte"] = "m")).StatusCode);
        Assert.Contains("Take the matte off", await Refused(_client.Save(at, d => d["mattes"] = new JsonArray())));
    }

    [Fact]
    public async Task Paint_goes_out_and_comes_back_checked()
    {
        var (_, at) = await Shot("F_0210");
        byte[] sent = await _client.GetByteArrayAsync($"{at}/frames/1002/paint");
        Assert.Contains(
            "Choose the painted",
            await Refused(
                _client.PostAsync($"{at}/frames/1002/paint", new MultipartFormDataContent { { new StringContent("false"), "colour" } })
            )
        );
        Assert.Contains(
            "says it is frame 1002",
            await Refused(_client.PostAsync($"{at}/frames/1003/paint", Form("F_0210.1002.png", sent, ("colour", "false"))))
        );
        Assert.Contains(
            "80 × 45",
            await Refused(_client.PostAsync($"{at}/frames/1002/paint", Form("a.png", Frame(1002, 80, 45), ("colour", "false"))))
        );
        Assert.Contains(
            "stops after",
            await Refused(_client.PostAsync($"{at}/frames/1002/paint", Form("a.png", sent[..(sent.Length / 2)], ("colour", "false"))))
        );
        Assert.Contains("No light of the plate", await Refused(_client.GetAsync($"{at}/frames/1002/paint?colour=true")));
        HttpResponseMessage back = await _client.PostAsync($"{at}/frames/1002/paint", Form("F_0210.1002.png", sent, ("colour", "false")));
        Assert.Equal(HttpStatusCode.OK, back.StatusCode);
        Assert.Equal("1002 painted", (await _client.State(at))["document"]!["projections"]![0]!["name"]!.GetValue<string>());
    }

    [Fact]
    public async Task Textures_views_and_depth_are_made_in_the_tray_or_refused_in_words()
    {
        var (_, at) = await Shot("F_0310");
        Assert.Contains("0.01 mm", await Refused(_client.PostAsJsonAsync($"{at}/bake", new { frame = 1001, texelMillimetres = 0 })));
        JsonNode baked = await Ended(
            at,
            _client.PostAsJsonAsync(
                $"{at}/bake",
                new
                {
                    frame = 1001,
                    texelMillimetres = 30,
                    keep = true,
                }
            )
        );
        Assert.Equal("done", baked["state"]!.GetValue<string>());
        string[] files = JsonSerializer.Deserialize<string[]>(baked["output"]!.GetValue<string>())!;
        Assert.Contains("set.glb", files);
        Assert.Equal("glTF"u8.ToArray(), (await _client.GetByteArrayAsync($"/renders/{baked["id"]}/set.glb"))[..4]);
        Assert.InRange((await _client.State(at))["document"]!["pieces"]![0]!["baked"]!["covered"]!.GetValue<double>(), 0.01, 0.2);
        // It wears them now.
        Assert.Equal(HttpStatusCode.OK, (await _client.GetAsync($"{at}/frames/1003/picture?kind=projection&quality=draft")).StatusCode);

        Assert.Contains(
            "overscan",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/elsewhere",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        view = new { overscan = 9 },
                    }
                )
            )
        );
        Assert.Contains(
            "within the shot's range",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/elsewhere",
                    new
                    {
                        first = 900,
                        last = 1002,
                        view = new { },
                    }
                )
            )
        );
        JsonNode view = await Ended(
            at,
            _client.PostAsJsonAsync(
                $"{at}/elsewhere",
                new
                {
                    first = 1001,
                    last = 1002,
                    view = new { moved = new[] { 0.5, 0, 0 }, overscan = 1.2 },
                }
            )
        );
        Assert.Equal(
            ["F_0310.elsewhere.1001.exr", "F_0310.elsewhere.1002.exr"],
            JsonSerializer.Deserialize<string[]>(view["output"]!.GetValue<string>())!
        );
        HttpResponseMessage small = await _client.PostAsJsonAsync(
            $"{at}/frames/1001/elsewhere?width=128",
            new { spot = new[] { 0, 1.6, -2 } }
        );
        Assert.Equal("image/jpeg", small.Content.Headers.ContentType!.MediaType);

        // A camera that hardly moves tells no depth; the reason comes with the job.
        JsonNode depth = await Ended(at, _client.PostAsJsonAsync($"{at}/depth", new { first = 1002, last = 1002 }));
        Assert.Equal("failed", depth["state"]!.GetValue<string>());
        Assert.Matches("parallax|hardly moves", depth["message"]!.GetValue<string>());
        Assert.Contains("no depth yet", await Refused(_client.GetAsync($"{at}/frames/1001/picture?kind=depth")));
    }

    [Fact]
    public async Task What_is_new_stands_in_the_way_of_no_fill_and_a_matte_that_it_is_seen_within_stays()
    {
        var (_, at) = await Shot("F_0340");
        HttpResponseMessage saved = await _client.Save(at, d => d["pieces"]!
                .AsArray()
                .Insert(
                    0,
                    new JsonObject
                    {
                        ["id"] = "card",
                        ["name"] = "card",
                        ["kind"] = "Plane",
                        ["position"] = new JsonArray(0, 1.6, -3),
                        ["rotationYxzDegrees"] = new JsonArray(90, 0, 0),
                        ["size"] = new JsonArray(30, 0, 20),
                        ["duties"] = new JsonObject { ["new"] = true, ["seenWithin"] = "m" },
                    }
                ));
        Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        JsonNode job = await Ended(
            at,
            _client.PostAsJsonAsync(
                $"{at}/fill",
                new
                {
                    frame = 1001,
                    matte = "m",
                    how = "Frames",
                }
            )
        );
        Assert.Equal("done", job["state"]!.GetValue<string>());
        // The camera goes 0.1 m a frame, 5 m away, at a focal length of 160 px: two frames uncover up to 6.4 of the matte's 30 px.
        Match open = Regex.Match(job["message"]!.GetValue<string>(), @"([\d.]+) % that none shows");
        Assert.InRange(double.Parse(open.Groups[1].Value, CultureInfo.InvariantCulture), 100 * (1 - 6.4 / 30) - 1, 85);
        Assert.Contains("Take the matte off", await Refused(_client.Save(at, d => d["mattes"] = new JsonArray())));
    }

    [Fact]
    public async Task A_shot_is_taken_anew_from_elsewhere()
    {
        var (_, at) = await Shot("F_0330");
        object Asked(string? code, object view) =>
            new
            {
                first = 1001,
                last = 1002,
                view,
                code,
            };
        var moved = new
        {
            moved = new[] { 0.4, 0.2, 0 },
            overscan = 1.25,
            filled = true,
        };
        Assert.Contains("made of letters", await Refused(_client.PostAsJsonAsync($"{at}/reshoot", Asked("a b", moved))));
        Assert.Contains("already", await Refused(_client.PostAsJsonAsync($"{at}/reshoot", Asked("F_0330", moved))));
        Assert.Contains(
            "sphere is no shot",
            await Refused(_client.PostAsJsonAsync($"{at}/reshoot", Asked("F_0331", new { spot = new[] { 0, 1.6, -2 } })))
        );
        Assert.Contains(
            "A fisheye is no camera",
            await Refused(_client.PostAsJsonAsync($"{at}/reshoot", Asked("F_0331", new { fisheyeDegrees = 180 })))
        );
        // From inside a wall: a box a metre to the right of the camera, which is moved into it.
        JsonNode own = (await _client.State(at))["document"]!["camera"]!["samples"]![0]!["cameraToWorld"]!;
        double[] eye = [.. new[] { 3, 7, 11 }.Select(i => own[i]!.GetValue<double>())];
        HttpResponseMessage walled = await _client.Save(at, d => ((JsonArray)d["pieces"]!).Add(
                (JsonNode)
                    new JsonObject
                    {
                        ["id"] = "slab",
                        ["name"] = "the wall",
                        ["kind"] = "Box",
                        ["size"] = new JsonArray(0.6, 4, 4),
                        ["position"] = new JsonArray(eye[0] + 1, eye[1] - 2, eye[2]),
                    }
            ));
        Assert.True(walled.IsSuccessStatusCode, await walled.Content.ReadAsStringAsync());
        Assert.Contains(
            "the view stands inside the wall",
            await Refused(_client.PostAsJsonAsync($"{at}/reshoot", Asked("F_0331", new { moved = new[] { 1.0, 0, 0 } })))
        );
        Assert.True(
            (await _client.Save(at, d => ((JsonArray)d["pieces"]!).RemoveAt(d["pieces"]!.AsArray().Count - 1))).IsSuccessStatusCode
        );
        JsonNode done = await Ended(at, _client.PostAsJsonAsync($"{at}/reshoot", Asked("F_0331", moved)));
        Assert.Equal("done", done["state"]!.GetValue<string>());
        Assert.Contains("F_0331, 2 frames", done["message"]!.GetValue<string>());
        JsonNode row = (await _client.GetFromJsonAsync<JsonNode>("/api/shots"))!.AsArray().First(s => s!["code"]!.ToString() == "F_0331")!;
        string made = $"/api/shots/{row["id"]}";
        JsonNode old = (await _client.State(at))["document"]!,
            now = (await _client.State(made))["document"]!;
        Assert.Equal(
            (1001, 1002, (int)Math.Round(1.25 * old["plate"]!["width"]!.GetValue<int>())),
            (now["range"]!["first"]!.GetValue<int>(), now["range"]!["last"]!.GetValue<int>(), now["plate"]!["width"]!.GetValue<int>())
        );
        Assert.Equal(old["pieces"]!.ToJsonString(), now["pieces"]!.ToJsonString());
        Assert.Equal("F_0330_1", now["projections"]![0]!["camera"]!.ToString());
        // What one of them changes of the place the other has too.
        Assert.Equal(("F_0330", "F_0330"), (old["sharesPlace"]!.ToString(), now["sharesPlace"]!.ToString()));
        Assert.True((await _client.Save(made, d => d["pieces"]![0]!["name"] = "the floor of both")).IsSuccessStatusCode);
        Assert.Equal("the floor of both", (await _client.State(at))["document"]!["pieces"]![0]!["name"]!.ToString());
        // What is laid on there from the old camera is what its plate shows, by another way.
        async Task<CodeImage> Picture(string kind) =>
            RasterFile.Read(await _client.GetByteArrayAsync($"{made}/frames/1001/picture?kind={kind}&width=200&quality=middle"), kind);
        CodeImage plate = await Picture("plate"),
            laid = await Picture("projection");
        int alike = 0,
            covered = 0;
        for (int i = 0; i < plate.Width * plate.Height; i++)
        {
            // Seen from above a little: the middle of the floor, away from the hatching about it.
            if (i / plate.Width > 0.6 * plate.Height && i % plate.Width is > 60 and < 140)
            {
                covered++;
                alike += Enumerable
                    .Range(0, 3)
                    .All(c => Math.Abs(plate.Codes[plate.Channels * i + c] - laid.Codes[laid.Channels * i + c]) <= 12)
                    ? 1
                    : 0;
            }
        }
        Assert.InRange(alike / (double)covered, 0.9, 1);
        // Its set has places and depth, and is picked in the same world.
        JsonNode there = (await _client.GetFromJsonAsync<JsonNode>($"{made}/frames/1001/pixel?x=100&y=100"))!;
        Assert.Equal(-5, there["point"]![2]!.GetValue<double>(), 1e-4);
    }

    [Fact]
    public async Task Clouds_and_pins_are_heard_or_refused_in_words()
    {
        var (_, at) = await Shot("F_0410");
        Assert.Contains(
            "is not a PLY",
            await Refused(_client.PostAsync($"{at}/cloud", Form("c.ply", Encoding.ASCII.GetBytes("nonsense"))))
        );
        byte[] ply = Encoding.ASCII.GetBytes(
            "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 1.6 -5\n1 1.6 -5\n0 2.4 -5\n-1 1 -5\n"
        );
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/cloud", Form("c.ply", ply))).StatusCode);
        Assert.Equal(4, (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/places"))!.AsArray().Count);
        Assert.Contains(
            "is a survey point of the shot",
            await Refused(_client.PostAsync($"{at}/clouds/cloud_1/targets", Form("t.csv", "name,x,y,z\nT1,0,0,0\n"u8.ToArray())))
        );
        Assert.Contains(
            "three say how it lies",
            (await _client.GetFromJsonAsync<JsonNode>($"{at}/clouds"))![0]!["reason"]!.GetValue<string>()
        );
        // The wall's upper edge stands 160 px per 5 m higher than the picture; pulled down to 3 m above the axis it is a lower wall.
        JsonNode document = (await _client.State(at))["document"]!;
        document["pieces"]![0]!["pins"] = new JsonArray(
            new JsonObject
            {
                ["frame"] = 1001,
                ["place"] = new JsonArray(0, 0, -0.5),
                ["along"] = new JsonArray(1, 0, 0),
                ["x"] = 80,
                ["y"] = 45 - 160 * 3.0 / 5,
            }
        );
        JsonNode pulled = (
            await (await _client.PostAsJsonAsync($"{at}/pieces/wall/pull", new { document })).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.InRange(pulled["worstPx"]!.GetValue<double>(), 0, 0.5);
        Assert.InRange(pulled["piece"]!["size"]![2]!.GetValue<double>(), 12.5, 13.5);
        document["pieces"]![0]!["locked"] = true;
        Assert.Contains("is locked", await Refused(_client.PostAsJsonAsync($"{at}/pieces/wall/pull", new { document })));
        JsonNode handles = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/handles?piece=wall"))!;
        Assert.Equal(8, handles.AsArray().Count); // four edges, four corners
        Assert.Equal(HttpStatusCode.NotFound, (await _client.GetAsync($"{at}/frames/1001/handles?piece=none")).StatusCode);
    }
}
