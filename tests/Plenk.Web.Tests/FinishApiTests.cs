using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Plenk.Formats.Raster;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Step 7 over HTTP: what is measured, what comes in, and what is refused in words.</summary>
[Collection("application")]
public sealed class FinishApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    /// <summary>Dark and light halves with seeded noise.</summary>
    private static byte[] Plate(int frame)
    {
        var random = new Random(frame);
        var codes = new ushort[320 * 180 * 3];
        for (int i = 0; i < codes.Length; i++)
        {
            codes[i] = (ushort)
                Math.Clamp(
                    Math.Round(
                        (i / 3 % 320 < 160 ? 40 : 180) + 2 * (random.NextDouble() + random.NextDouble() + random.NextDouble() - 1.5)
                    ),
                    0,
                    255
                );
        }
        return RasterFile.ToPng(new CodeImage(320, 180, 3, 8, codes));
    }

    private async Task<string> Shot()
    {
        var (_, at) = await _client.NewShot("FIN", $"F{Guid.NewGuid():N}"[..12], 3, Plate);
        await _client.StandOverFloor(at, 3);
        return at;
    }

    private static JsonObject Step(string kind, string part, JsonNode settings) =>
        new()
        {
            ["id"] = $"{kind}_1",
            ["kind"] = kind,
            [part] = settings,
        };

    [Fact]
    public async Task The_plate_is_measured_and_nothing_to_bring_is_said()
    {
        string at = await Shot();
        JsonNode m = (await _client.GetFromJsonAsync<JsonNode>($"{at}/finish/measures"))!;
        // sRGB codes 40 and 180 are 0.0212 and 0.4564 (IEC 61966-2-1).
        Assert.Equal(0.0212, m["black"]![1]!.GetValue<double>(), 1e-3);
        Assert.Equal(0.4564, m["white"]![1]!.GetValue<double>(), 5e-3);
        Assert.True(m["grain"]!.AsArray().Count >= 2);
        Assert.Contains("No element stands", await Refused(_client.PostAsJsonAsync($"{at}/finish/bring", new { })));
        Assert.Contains("No element stands", await Refused(_client.PostAsJsonAsync($"{at}/finish/range", new { })));
        await _client.Save(at, d => d["elements"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "title",
                    ["name"] = "title",
                    ["kind"] = "Lettering",
                    ["text"] = new JsonObject { ["text"] = "SKY" },
                    ["position"] = new JsonArray(0, 0, -9),
                }
            ));
        Assert.Contains(
            "Haze is not set by measuring",
            await Refused(_client.PostAsJsonAsync($"{at}/finish/bring", new { kind = "Haze" }))
        );
        // What measuring would set is said before it is kept.
        string id = at[(at.LastIndexOf('/') + 1)..];
        string look = await _client.GetStringAsync($"/shots/{id}/parts/MendLook?frame=1001&brings=Levels");
        Assert.Contains("Black level", look, StringComparison.Ordinal);
        string grain = await _client.GetStringAsync($"/shots/{id}/parts/MendLook?frame=1001&brings=Grain");
        Assert.Contains("edited:", grain, StringComparison.Ordinal);
        Assert.Contains("Keep it so", grain, StringComparison.Ordinal);
        Assert.Empty((await _client.State(at))["document"]!["finish"]!["steps"]!.AsArray());
        Assert.DoesNotContain("<button", await _client.GetStringAsync($"/shots/{id}/parts/MendLook?frame=1001&brings=Haze"));
        await _client.Save(at, d => d["elements"] = new JsonArray());
        // A camera without a lens needs no more than the plate's width.
        Assert.Equal(1, (await _client.GetFromJsonAsync<JsonNode>($"{at}/camera/overscan"))!["needed"]!.GetValue<double>(), 1e-9);
        Assert.Contains("haze", await Refused(_client.PostAsJsonAsync($"{at}/finish/haze", new { })), StringComparison.OrdinalIgnoreCase);
        JsonNode box = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1002/box?x=20&y=20&width=60&height=60"))!;
        Assert.Equal(0.0212, box["plate"]![0]!.GetValue<double>(), 1e-3);
        Assert.Contains("within the picture", await Refused(_client.GetAsync($"{at}/frames/1002/box?x=300&y=20&width=60&height=60")));
    }

    [Theory]
    [InlineData("Defocus", "defocus", """{"fNumber":0,"focusMetres":3}""", "f-number")]
    [InlineData("Defocus", "defocus", """{"fNumber":4,"focusMetres":-1}""", "behind")]
    [InlineData("Haze", "haze", """{"airlight":[1,1,1],"perMetre":[-1,0,0]}""", "extinction")]
    [InlineData("Flare", "flare", """{"light":"nobody"}""", "no longer in the shot")]
    [InlineData("Grade", "grade", """{"gamma":[0,1,1]}""", "gamma")]
    public async Task A_step_that_cannot_be_done_is_refused(string kind, string part, string settings, string words)
    {
        string at = await Shot();
        Assert.Contains(
            words,
            await Refused(
                _client.Save(at, d =>
                    d["finish"] = new JsonObject { ["steps"] = new JsonArray(Step(kind, part, JsonNode.Parse(settings)!)) }
                )
            )
        );
    }

    [Fact]
    public async Task A_step_that_knows_no_objects_is_not_kept_to_them()
    {
        string at = await Shot();
        Assert.Contains("use a matte", await Refused(_client.Save(at, d => d["finish"] = new JsonObject
                    {
                        ["steps"] = new JsonArray(
                            new JsonObject
                            {
                                ["id"] = "e",
                                ["kind"] = "EdgeWidth",
                                ["pixels"] = 1,
                                ["objects"] = new JsonArray("bell"),
                            }
                        ),
                    })));
    }

    // With no element the framing is all that acts: a step that moves says so, one that has nothing to act on changes nothing.
    [Fact]
    public async Task What_a_step_does_to_a_frame_is_told()
    {
        string at = await Shot();
        await _client.Save(at, d =>
            d["finish"] = new JsonObject
            {
                ["steps"] = new JsonArray(
                    Step("Reframe", "reframe", JsonNode.Parse("""{"keys":[{"frame":1001,"x":12,"y":0}]}""")!),
                    Step("Grade", "grade", JsonNode.Parse("""{"stops":1}""")!)
                ),
            }
        );
        JsonNode moved = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1002/finish/Reframe_1"))!,
            graded = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1002/finish/Grade_1"))!;
        Assert.Contains("moves by 12.0, 0.0 px", moved["says"]!.GetValue<string>());
        Assert.InRange(moved["most"]!.GetValue<double>(), 0.3, 0.5);
        Assert.InRange(moved["x"]!.GetValue<double>(), 145, 162);
        Assert.Equal(0, graded["share"]!.GetValue<double>());
        Assert.Contains("no longer in the shot", await Refused(_client.GetAsync($"{at}/frames/1002/finish/gone")));
        // One step alone is the comp without all others; a grade of nothing leaves the plate.
        Task<byte[]> Seen(string kind) =>
            _client.GetByteArrayAsync($"{at}/frames/1002/picture?kind={Uri.EscapeDataString(kind)}&width=320&quality=middle");
        Assert.Equal(await Seen("bare"), await Seen("alone:Grade_1"));
        Assert.Equal(await Seen("comp"), await Seen("alone:Reframe_1"));
        Assert.Equal(await Seen("bare"), await Seen("without:Reframe_1"));
    }

    // ASC CDL v1.2: what comes in goes out; driving pictures come in as a source, what is none is told.
    [Fact]
    public async Task Grades_and_driving_pictures_come_in()
    {
        string at = await Shot();
        const string cdl =
            """<ColorCorrection id="x"><SOPNode><Slope>1.1 1 0.9</Slope><Offset>0.02 0 -0.01</Offset><Power>1.2 1 0.8</Power></SOPNode><SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection>""";
        HttpResponseMessage answer = await _client.PostAsync($"{at}/finish/cdl", Form(("x.cc", Encoding.UTF8.GetBytes(cdl))));
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        JsonNode grade = (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.Save(at, d =>
                    d["finish"] = new JsonObject { ["steps"] = new JsonArray(Step("Grade", "grade", new JsonObject { ["cdl"] = grade })) }
                )
            ).StatusCode
        );
        Assert.Contains("1.10000002 1 0.899999976", await _client.GetStringAsync($"{at}/finish/Grade_1/grade.cc"));
        Assert.Contains("x.cc", await Refused(_client.PostAsync($"{at}/finish/cdl", Form(("x.cc", "no xml"u8.ToArray())))));
        JsonNode driving = (
            await (
                await _client.PostAsync($"{at}/finish/driving", Form(("heat.1001.png", Plate(1)), ("heat.1003.png", Plate(2))))
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Equal(2, driving["source"]!["frames"]!.AsArray().Count);
        Assert.Contains("1002", driving["notes"]![0]!.GetValue<string>());
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.Save(at, d =>
                    d["finish"] = new JsonObject
                    {
                        ["steps"] = new JsonArray(
                            Step("Ripple", "ripple", new JsonObject { ["pixels"] = 3, ["frames"] = driving["source"]!.DeepClone() })
                        ),
                    }
                )
            ).StatusCode
        );
        byte[] still = await _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=bare&width=320&quality=middle"),
            rippled = await _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=comp&width=320&quality=middle");
        Assert.NotEqual(still, rippled);
    }

    [Fact]
    public async Task A_note_and_a_frame_by_frame_job_go_over_the_wire()
    {
        string at = await Shot();
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["notes"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "note_1",
                            ["frame"] = 1002,
                            ["x"] = 10,
                            ["y"] = 20,
                            ["text"] = "here",
                        }
                    ))).StatusCode);
        Assert.Equal("here", (await _client.State(at))["document"]!["notes"]![0]!["text"]!.GetValue<string>());
        Assert.Contains(
            "“tga”",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/render",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        formats = new[] { "tga" },
                    }
                )
            )
        );
        Assert.Contains(
            "{version}",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/render",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        names = "{layer}.{frame}",
                    }
                )
            )
        );
        Assert.Contains(
            "names no primaries",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/render",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        primaries = "p3",
                    }
                )
            )
        );
        Assert.Contains(
            "50 %",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/render",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        overscan = 0.7,
                    }
                )
            )
        );
        JsonNode job = (
            await (
                await _client.PostAsJsonAsync(
                    $"{at}/render",
                    new
                    {
                        first = 1001,
                        last = 1002,
                        width = 160,
                        formats = new[] { "png16" },
                    }
                )
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Equal(
            2,
            (await _client.GetFromJsonAsync<JsonNode>($"/api/jobs/{job["id"]}/frames"))!
                .AsArray()
                .Count(f => f!["frame"]!.GetValue<int>() < 2000)
        );
        await _client.PostAsync($"/api/jobs/{job["id"]}/stop", null);
    }
}
