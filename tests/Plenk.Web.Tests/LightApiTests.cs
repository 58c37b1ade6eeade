using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Images;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>
/// Lights over HTTP: lamps and their faults, the sun found, panoramas in and made, pictures lit again; what is refused says why.
/// </summary>
[Collection("application")]
public sealed class LightApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    /// <summary>Two frames of even grey, a camera at 1.6 m that looks down −Z and a little down, a floor.</summary>
    private async Task<string> Shot(string code)
    {
        var (_, at) = await _client.NewShot("L", code, 2, _ =>
            RasterFile.ToPng(new CodeImage(160, 90, 3, 8, [.. Enumerable.Range(0, 160 * 90 * 3).Select(i => (ushort)(120 + i % 7))]))
        );
        await _client.StandOverFloor(at, 2);
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["lights"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "sun",
                            ["name"] = "sun",
                            ["kind"] = "Sun",
                            ["direction"] = new JsonArray(0.3, 0.8, 0.2),
                            ["strength"] = 3,
                        }
                    ))).StatusCode);
        return at;
    }

    private static byte[] Exr(FloatImage image, string names, string? layer = null) =>
        ExrFile.ToBytes(image.Width, image.Height, [.. ExrChannel.Of(image, names, layer)]);

    private static FloatImage Even(int width, int height, float level) =>
        new(width, height, 3, [.. Enumerable.Repeat(level, width * height * 3)]);

    [Theory]
    [InlineData("Spot", "outerDegrees", 10.0, "whole within an angle")]
    [InlineData("Rectangle", "width", 0.0, "width and height must be positive")]
    [InlineData("Sky", "turbidity", 50.0, "turbidity lies between")]
    [InlineData("Point", "kelvin", 100.0, "between 1,667 and 25,000 K")]
    [InlineData("Panorama", "headingDegrees", 0.0, "its picture is missing")]
    [InlineData("Sun", "strength", -1.0, "must be 0 or more")]
    public async Task Lights_that_are_none_are_refused(string kind, string field, double value, string words)
    {
        string at = await Shot($"L_{kind}");
        Assert.Contains(words, await Refused(_client.Save(at, d => d["lights"]!
                        .AsArray()
                        .Add(
                            new JsonObject
                            {
                                ["id"] = "x",
                                ["name"] = "x",
                                ["kind"] = kind,
                                [field] = value,
                            }
                        ))));
        Assert.Single((await _client.State(at))["document"]!["lights"]!.AsArray());
    }

    [Fact]
    public async Task Two_keys_at_one_frame_are_refused_and_keyed_lights_shown()
    {
        string at = await Shot("L_0010");
        JsonObject Key(int frame, double strength) => new() { ["frame"] = frame, ["value"] = strength };
        JsonArray Curve(string of, params JsonNode[] keys) => new(new JsonObject { ["id"] = of, ["keys"] = new JsonArray(keys) });
        string sun = $"lights/{(await _client.State(at))["document"]!["lights"]![0]!["id"]}/strength";
        Assert.Contains(
            "two keys stand at 1001",
            await Refused(_client.Save(at, d => d["curves"] = Curve(sun, Key(1001, 1), Key(1001, 2))))
        );
        Assert.Contains("At 1001, as it is keyed", await Refused(_client.Save(at, d => d["curves"] = Curve(sun, Key(1001, -1)))));
        // A lamp's mark goes where its keys take it.
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                {
                    d["curves"] = Curve(
                        "lights/lamp/position",
                        new JsonObject { ["frame"] = 1001, ["triple"] = new JsonArray(-0.5, 1, -4) },
                        new JsonObject { ["frame"] = 1002, ["triple"] = new JsonArray(0.5, 1, -4) }
                    );
                    d["lights"]!
                        .AsArray()
                        .Add(
                            new JsonObject
                            {
                                ["id"] = "lamp",
                                ["name"] = "lamp",
                                ["kind"] = "Point",
                                ["strength"] = 2,
                            }
                        );
                })).StatusCode);
        async Task<double> X(int frame) =>
            (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/{frame}/overlay"))!["lamps"]![0]!["at"]![0]!.GetValue<double>();
        Assert.Equal(80, (await X(1001) + await X(1002)) / 2, 0.01);
        Assert.True(await X(1002) > await X(1001) + 20);
    }

    [Fact]
    public async Task The_sun_is_asked_for_in_three_ways()
    {
        string at = await Shot("L_0110");
        JsonNode date = (
            await (
                await _client.PostAsJsonAsync(
                    $"{at}/sun-from-date",
                    new
                    {
                        moment = "2003-10-17T12:30:30-07:00",
                        latitudeDegrees = 39.742476,
                        longitudeDegrees = -105.1786,
                    }
                )
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Equal(194.34, date["azimuthDegrees"]!.GetValue<double>(), 0.02);
        Assert.Contains("not a date", await Refused(_client.PostAsJsonAsync($"{at}/sun-from-date", new { moment = "noon" })));
        Assert.Contains(
            "below the horizon",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/sun-from-date",
                    new
                    {
                        moment = "2003-10-17T00:30:00-07:00",
                        latitudeDegrees = 39.7,
                        longitudeDegrees = -105.2,
                    }
                )
            )
        );
        // Beyond the floor there is no set to read a shadow off.
        Assert.Contains(
            "Nothing of the set",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/frames/1001/sun-from-shadow",
                    new
                    {
                        foot = new { x = 80, y = 2 },
                        top = new { x = 80, y = 1 },
                        tip = new { x = 90, y = 80 },
                    }
                )
            )
        );
        // One even floor: no direction explains anything.
        Assert.Contains("No direction of a sun", await Refused(_client.PostAsJsonAsync($"{at}/frames/1001/sun-by-fit", new { })));
        JsonNode document = (await _client.State(at))["document"]!;
        Assert.Contains(
            "Nothing casts",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/frames/1001/pull-shadow",
                    new
                    {
                        document,
                        from = new { x = 80, y = 80 },
                        to = new { x = 90, y = 80 },
                    }
                )
            )
        );
        document["lights"] = new JsonArray();
        Assert.Contains(
            "no sun to turn",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/frames/1001/pull-shadow",
                    new
                    {
                        document,
                        from = new { x = 80, y = 80 },
                        to = new { x = 90, y = 80 },
                    }
                )
            )
        );
    }

    [Fact]
    public async Task Panoramas_come_in_are_merged_and_give_up_their_lamps()
    {
        string at = await Shot("L_0210");
        Assert.Contains(
            "Choose a panorama",
            await Refused(_client.PostAsync($"{at}/panorama", new MultipartFormDataContent { { new StringContent(""), "seconds" } }))
        );
        Assert.Contains(
            "twice as wide as high",
            await Refused(_client.PostAsync($"{at}/panorama", Form(("a.exr", Exr(Even(60, 60, 1), "RGB")))))
        );
        FloatImage sunny = Even(128, 64, 0.2f);
        for (int c = 0; c < 3; c++)
        {
            sunny[96, 16, c] = 900;
            sunny[3, 3, c] = -1;
        }
        HttpResponseMessage came = await _client.PostAsync($"{at}/panorama", Form(("sunny.exr", Exr(sunny, "RGB"))));
        Assert.Contains("3 samples were below 0", (await came.Content.ReadFromJsonAsync<JsonNode>())!["notes"]![0]!.GetValue<string>());
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        Assert.Contains(
            "no brighter than its surroundings",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/lights/panorama_1/lift",
                    new
                    {
                        baseRevision = revision,
                        u = 0.2,
                        v = 0.7,
                    }
                )
            )
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.PostAsJsonAsync(
                    $"{at}/lights/panorama_1/lift",
                    new
                    {
                        baseRevision = revision,
                        u = 96.5 / 128,
                        v = 16.5 / 64,
                    }
                )
            ).StatusCode
        );
        JsonNode lamp = (await _client.State(at))["document"]!["lights"]!.AsArray().Single(l => l!["id"]!.GetValue<string>() == "lamp_1")!;
        Assert.True(lamp["direction"]![0]!.GetValue<double>() > 0.6); // u = 0.75 is +X
        Assert.Equal("image/jpeg", (await _client.GetAsync($"{at}/lights/panorama_1/picture")).Content.Headers.ContentType!.MediaType);
        // Exposures of different sizes, and times that do not count up.
        // A Radiance picture of one even level; one that is cut off says so.
        byte[] radiance =
        [
            .. Encoding.ASCII.GetBytes("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 8\n"),
            .. Enumerable.Repeat((byte[])[2, 2, 0, 8, 0x88, 0x80, 0x88, 0x80, 0x88, 0x80, 0x88, 0x82], 4).SelectMany(x => x),
        ];
        JsonNode even = (
            await (await _client.PostAsync($"{at}/panorama", Form(("even.hdr", radiance)))).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Contains(even["state"]!["document"]!["lights"]!.AsArray(), l =>
            l!["name"]!.GetValue<string>().Contains("even", StringComparison.Ordinal)
        );
        Assert.Contains("cut off", await Refused(_client.PostAsync($"{at}/panorama", Form(("even.hdr", radiance[..60])))));
        Assert.Contains(
            "different sizes",
            await Refused(
                _client.PostAsync($"{at}/panorama", Form(("a.exr", Exr(Even(64, 32, 1), "RGB")), ("b.exr", Exr(Even(128, 64, 1), "RGB"))))
            )
        );
        MultipartFormDataContent two = Form(("a.exr", Exr(Even(64, 32, 0.1f), "RGB")), ("b.exr", Exr(Even(64, 32, 0.4f), "RGB")));
        two.Add(new StringContent("1/1000"), "seconds");
        Assert.Contains("2 exposure times", await Refused(_client.PostAsync($"{at}/panorama", two)));
        HttpResponseMessage merged = await _client.PostAsync(
            $"{at}/panorama",
            Form(("a.exr", Exr(Even(64, 32, 0.1f), "RGB")), ("b.exr", Exr(Even(64, 32, 0.4f), "RGB")))
        );
        Assert.Contains("2.0 stops apart", (await merged.Content.ReadFromJsonAsync<JsonNode>())!["notes"]![0]!.GetValue<string>());
        Assert.Contains(
            "px radius shows too little",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/mirror-ball",
                    new
                    {
                        baseRevision = 1,
                        frame = 1001,
                        middle = new { x = 50, y = 50 },
                        rim = new { x = 53, y = 50 },
                    }
                )
            )
        );
    }

    [Fact]
    public async Task A_panorama_of_the_place_is_scaled_by_a_spot_that_it_saw()
    {
        string at = await Shot("L_0250");
        Assert.Contains("only a panorama can show the place", await Refused(_client.Save(at, d => d["lights"]![0]!["showsPlace"] = true)));
        Assert.Equal(
            HttpStatusCode.OK,
            (await _client.PostAsync($"{at}/panorama", Form(("hall.exr", Exr(Even(128, 64, 0.1f), "RGB"))))).StatusCode
        );
        async Task<HttpResponseMessage> Scale(double height)
        {
            Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                    {
                        JsonNode own = d["lights"]!.AsArray().Single(l => l!["id"]!.GetValue<string>() == "panorama_1")!;
                        (own["showsPlace"], own["position"]) = (true, new JsonArray(0, height, -3));
                    })).StatusCode);
            return await _client.PostAsJsonAsync(
                $"{at}/frames/1001/panorama-scale",
                new
                {
                    document = (await _client.State(at))["document"],
                    light = "panorama_1",
                    x = 80,
                    y = 80,
                    albedo = 0.5,
                }
            );
        }
        // The plate's codes lie between 120 and 126 of sRGB, 0.188 and 0.209 of light (IEC 61966-2-1): twice what the panorama has, whatever the albedo.
        Assert.InRange((await (await Scale(1.5)).Content.ReadFromJsonAsync<JsonNode>())!["factor"]!.GetValue<double>(), 1.87, 2.10);
        Assert.Contains("was not seen from where", await Refused(Scale(-1)));
    }

    // In a program with Z up that counts in centimetres: our floor seen from 1.6 m, tilted down.
    [Fact]
    public async Task A_camera_is_typed_and_its_axes_are_found_by_rendered_frames()
    {
        string at = await Shot("L_0320");
        var pinhole = Core.Cameras.Pinhole.FromFilm(160, 90, 36, 36, Core.Cameras.Lens.None);
        var pose = new Core.Geometry.Pose(
            Core.Geometry.Rotations.AboutY(0.4) * Core.Geometry.Rotations.FromQuaternion(-0.1736482, 0, 0, 0.9848078),
            new(0, 1.6, 0)
        );
        FloatImage picture = Even(160, 90, 0.1f),
            positions = new(160, 90, 3);
        for (int i = 0; i < 160 * 90; i++)
        {
            bool hit = pinhole.TryFloor(pose, i % 160 + 0.5, i / 160 + 0.5, out Core.Geometry.Vec3 place, out _) && place.Length < 12;
            (positions.Data[3 * i], positions.Data[3 * i + 1], positions.Data[3 * i + 2]) = hit
                ? (100 * (float)place.X, -100 * (float)place.Z, 100 * (float)place.Y)
                : (float.PositiveInfinity, 0, 0);
        }
        Core.Geometry.Vec3 aim = pose.Position + pose.Rotation * new Core.Geometry.Vec3(0, 0, -3);
        object Typed(double focal, string axes = "") =>
            new
            {
                place = new[] { 0, 0, 160 },
                aim = new[] { 100 * aim.X, -100 * aim.Z, 100 * aim.Y },
                focalMm = focal,
                metres = 0.01,
                axes,
                frame = 1001,
            };
        Assert.Contains("which of its axes is up", await Refused(_client.PostAsJsonAsync($"{at}/camera/typed", Typed(36))));
        HttpResponseMessage came = await _client.PostAsync(
            $"{at}/rendered-element",
            Form(("floor.1001.exr", Exr(picture, "RGB")), ("floor_P.1001.exr", Exr(positions, "XYZ")))
        );
        Assert.True(came.StatusCode == HttpStatusCode.OK, await came.Content.ReadAsStringAsync());
        Assert.Contains("px off the rays", await Refused(_client.PostAsJsonAsync($"{at}/camera/typed", Typed(50))));
        Assert.Contains("px off the rays", await Refused(_client.PostAsJsonAsync($"{at}/camera/typed", Typed(36, "+Y up"))));
        HttpResponseMessage taken = await _client.PostAsJsonAsync($"{at}/camera/typed", Typed(36));
        JsonNode said = (await taken.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.True(taken.StatusCode == HttpStatusCode.OK, said.ToJsonString());
        Assert.Contains("Its axes are +Z up", said["notes"]![0]!.GetValue<string>());
        JsonNode under = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=80.5&y=80.5"))!;
        Assert.True(pinhole.TryFloor(pose, 80.5, 80.5, out Core.Geometry.Vec3 truth, out _));
        Assert.Equal(truth.Z, under["point"]![2]!.GetValue<double>(), 2e-3);
    }

    [Fact]
    public async Task A_lamp_is_hung_off_rendered_frames_by_their_own_positions()
    {
        string at = await Shot("L_0310");
        // A platform 0.2 m over the floor as the camera, 1.6 m high, sees it, by its own rays.
        var p = new FloatImage(160, 90, 3);
        var n = new FloatImage(160, 90, 3);
        var pinhole = Core.Cameras.Pinhole.FromFilm(160, 90, 36, 36, Core.Cameras.Lens.None);
        var pose = new Core.Geometry.Pose(Core.Geometry.Rotations.FromQuaternion(-0.1736482, 0, 0, 0.9848078), new(0, 1.4, 0));
        var picture = new FloatImage(160, 90, 4);
        for (int i = 0; i < 160 * 90; i++)
        {
            bool hit = pinhole.TryFloor(pose, i % 160 + 0.5, i / 160 + 0.5, out Core.Geometry.Vec3 place, out _) && place.Length < 12;
            (p.Data[3 * i], p.Data[3 * i + 1], p.Data[3 * i + 2]) = hit
                ? ((float)place.X, (float)place.Y + 0.2f, (float)place.Z)
                : (float.PositiveInfinity, 0, 0);
            n.Data[3 * i + 1] = hit ? 1 : 0;
            picture.Data.AsSpan(4 * i, 4).Fill(hit ? 0.1f : 0);
            picture.Data[4 * i + 3] = hit ? 1 : 0;
        }
        HttpResponseMessage came = await _client.PostAsync(
            $"{at}/rendered-element",
            Form(("floor.1001.exr", Exr(picture, "RGBA")), ("floor_P.1001.exr", Exr(p, "XYZ")), ("floor_N.1001.exr", Exr(n, "XYZ")))
        );
        Assert.True(came.StatusCode == HttpStatusCode.OK, await came.Content.ReadAsStringAsync());
        JsonNode under = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=80.5&y=80.5"))!;
        Assert.NotNull(under["elementId"]);
        Assert.True(pinhole.TryFloor(pose, 80.5, 80.5, out Core.Geometry.Vec3 truth, out _));
        for (int i = 0; i < 3; i++)
        {
            double[] own = [truth.X, truth.Y + 0.2, truth.Z];
            Assert.Equal(own[i], under["point"]![i]!.GetValue<double>(), 1e-3);
        }
        Assert.Equal(1, under["normal"]![1]!.GetValue<double>(), 1e-3);
        // Depth in place of positions, as a buffer of 0.1 to 100 m: f ÷ (f − n) − f n ÷ ((f − n) z), 1 where nothing is.
        var depth = new FloatImage(160, 90, 1);
        for (int i = 0; i < 160 * 90; i++)
        {
            bool hit = pinhole.TryFloor(pose, i % 160 + 0.5, i / 160 + 0.5, out _, out double metres) && picture.Data[4 * i + 3] > 0;
            depth.Data[i] = hit ? (float)(100 / 99.9 - 10 / (99.9 * metres)) : 1;
        }
        came = await _client.PostAsync(
            $"{at}/rendered-element",
            Form(("slab.1001.exr", Exr(picture, "RGBA")), ("slab_depth.1001.exr", Exr(depth, "Z")))
        );
        Assert.True(came.StatusCode == HttpStatusCode.OK, await came.Content.ReadAsStringAsync());
        async Task<HttpResponseMessage> Meant(double near) => await _client.Save(at, d =>
            {
                JsonArray all = d["elements"]!.AsArray();
                all[^2]!["off"] = true;
                all[^1]!["depthAs"] = new JsonObject
                {
                    ["kind"] = "Buffer",
                    ["near"] = near,
                    ["far"] = 100,
                };
            });
        Assert.Contains("near plane", await Refused(Meant(200)));
        Assert.Equal(HttpStatusCode.OK, (await Meant(0.1)).StatusCode);
        under = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=80.5&y=80.5"))!;
        Assert.Equal(truth.Z, under["point"]![2]!.GetValue<double>(), 0.01);
        Assert.Equal(0.2, under["point"]![1]!.GetValue<double>(), 0.01);
        // Above the horizon there is nothing of it.
        Assert.Null((await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=80.5&y=1"))!["elementId"]);
    }

    [Fact]
    public async Task Shadows_are_held_against_a_real_one_in_words()
    {
        string at = await Shot("L_0410");
        JsonNode document = (await _client.State(at))["document"]!;
        Assert.Contains("Name a lit and a shadowed spot", await Refused(_client.PostAsJsonAsync($"{at}/to-real-shadow", new { document })));
        document["realShadow"] = new JsonObject
        {
            ["frame"] = 1001,
            ["litX"] = 40,
            ["litY"] = 80,
            ["darkX"] = 41,
            ["darkY"] = 80,
        };
        Assert.Contains("no darker", await Refused(_client.PostAsJsonAsync($"{at}/to-real-shadow", new { document })));
        Assert.Contains(
            "Choose the lights",
            await Refused(_client.PostAsJsonAsync($"{at}/frames/1001/fit-lights", new { document, lights = Array.Empty<string>() }))
        );
        Assert.Contains(
            "no longer in the shot",
            await Refused(_client.PostAsJsonAsync($"{at}/elements/none/extend-receiver", new { document }))
        );
        Assert.Contains(
            "between 0 and 1",
            await Refused(_client.Save(at, d => d["contact"] = new JsonObject { ["strength"] = 3, ["reachMetres"] = 0.06 }))
        );
    }
}
