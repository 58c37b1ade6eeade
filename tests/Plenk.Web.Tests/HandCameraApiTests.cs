using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>A camera is set by hand through the API: begun, dragged, keyed, and laid through a rectangle's corners frame by frame.</summary>
[Collection("application")]
public sealed class HandCameraApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private async Task<string> Shot(string code)
    {
        byte[] png = RasterFile.ToPng(new CodeImage(320, 180, 3, 8, new ushort[320 * 180 * 3]));
        return (await _client.NewShot("H", code, 3, _ => png)).At;
    }

    private async Task<JsonNode> Sent(string at, string path, object body, HttpStatusCode expected = HttpStatusCode.OK)
    {
        HttpResponseMessage answer = await _client.PostAsJsonAsync($"{at}/camera/hand{path}", body);
        JsonNode read = JsonNode.Parse(await answer.Content.ReadAsStringAsync())!;
        Assert.True(expected == answer.StatusCode, read.ToJsonString());
        return read;
    }

    private async Task<int> Revision(string at) => (int)(await _client.State(at))["revision"]!;

    private static double[] Samples(JsonNode document, int index) =>
        [.. document["camera"]!["samples"]![index]!["cameraToWorld"]!.AsArray().Select(v => (double)v!)];

    [Fact]
    public async Task It_begins_is_dragged_against_the_grid_and_is_a_camera_in_every_frame()
    {
        string at = await Shot("HAND_A");
        JsonNode begun = (await Sent(at, "", new { baseRevision = await Revision(at), frame = 1001 }))["document"]!;
        Assert.Equal(3, begun["camera"]!["samples"]!.AsArray().Count);
        Assert.Equal(1.6, (double)begun["camera"]!["hand"]!["position"]![1]!);

        JsonNode look = await Sent(at, "/look", new { frame = 1002, grid = "Floor" });
        Assert.True(look["grid"]!.AsArray().Count > 10);
        // Level, it has its horizon in the middle.
        Assert.Equal(90, (double)look["horizon"]![1]!, 1e-6);
        JsonNode dragged = await Sent(
            at,
            "/look",
            new
            {
                frame = 1002,
                how = "Turn",
                drag = new[] { 160, 90, 160, 60 },
            }
        );
        Assert.Equal(60, (double)dragged["horizon"]!.AsArray()[dragged["horizon"]!.AsArray().Count / 2 | 1]!, 0.5);
        // Nothing of that is kept.
        Assert.Equal(0, (double)(await _client.State(at))["document"]!["camera"]!["hand"]!["rotationYxzDegrees"]![0]!);

        JsonNode sky = await Sent(
            at,
            "/look",
            new
            {
                frame = 1002,
                how = "Move",
                drag = new[] { 160, 20, 160, 30 },
            },
            HttpStatusCode.UnprocessableEntity
        );
        Assert.Contains("horizon", sky["title"]!.ToString(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_rectangle_gives_camera_and_piece_at_once_and_keys_in_further_frames()
    {
        string at = await Shot("HAND_B");
        // A door leaf of 0.9 × 2 m, seen by f = 320 px from two places.
        double[] Seen(Vec3 eye)
        {
            var pinhole = new Pinhole(320, 180, 320, 320, 160, 90, Lens.None);
            Pose pose = Pose.LookAt(eye, new(0.45, 1, 0), Vec3.UnitY);
            return
            [
                .. new Vec3[] { new(0, 0, 0), new(0.9, 0, 0), new(0.9, 2, 0), new(0, 2, 0) }.SelectMany(c =>
                    pinhole.TryProject(pose, c, out double x, out double y) ? new[] { x, y } : throw new InvalidOperationException()
                ),
            ];
        }
        Vec3 first = new(3, 1.7, 3.5),
            last = new(2.2, 1.9, 4.1);
        JsonNode none = await Sent(
            at,
            "/rectangle",
            new
            {
                baseRevision = await Revision(at),
                frame = 1001,
                corners = new double[] { 10, 10, 100, 10, 100, 60, 10, 60 },
            },
            HttpStatusCode.UnprocessableEntity
        );
        Assert.Contains("do not tell the focal length", none["title"]!.ToString(), StringComparison.Ordinal);

        JsonNode laid = await Sent(
            at,
            "/rectangle",
            new
            {
                baseRevision = await Revision(at),
                frame = 1001,
                corners = Seen(first),
                acrossMetres = 0.9,
                wall = true,
                piece = true,
            }
        );
        JsonNode document = laid["state"]!["document"]!;
        Assert.Contains("0.9 × 2 m", laid["notes"]![0]!.ToString(), StringComparison.Ordinal);
        Assert.Equal(320, (double)document["camera"]!["samples"]![2]!["focalPx"]!, 0.05);
        JsonNode piece = document["pieces"]![0]!;
        Assert.Equal(0.9, (double)piece["size"]![0]!, 1e-4);
        Assert.Equal(2, (double)piece["size"]![2]!, 1e-3);
        Assert.Equal(1, (double)piece["position"]![1]!, 1e-3);

        JsonNode further = (
            await Sent(
                at,
                "/rectangle",
                new
                {
                    baseRevision = await Revision(at),
                    frame = 1003,
                    corners = Seen(last),
                }
            )
        )["state"]!["document"]!;
        Assert.Equal(
            ["camera/hand/position", "camera/hand/rotationYxzDegrees"],
            further["curves"]!.AsArray().Select(c => c!["id"]!.ToString()).Order()
        );
        double[] begin = Samples(further, 0),
            end = Samples(further, 2);
        Assert.InRange((new Vec3(begin[3], begin[7], begin[11]) - first).Length, 0, 2e-3);
        Assert.InRange((new Vec3(end[3], end[7], end[11]) - last).Length, 0, 2e-3);
        // The rectangle that is there already is not laid twice.
        Assert.Single(further["pieces"]!.AsArray());
        JsonNode look = await Sent(at, "/look", new { frame = 1003 });
        Assert.Equal(Seen(last)[4], (double)look["corners"]![4]!, 0.01);
    }
}
