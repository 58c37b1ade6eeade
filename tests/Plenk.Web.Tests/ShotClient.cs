using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>Shots over HTTP as the tests ask for them.</summary>
internal static class ShotClient
{
    /// <summary>A new shot with these frames for its plate, from 1001 on; where it is.</summary>
    public static async Task<(long Id, string At)> NewShot(
        this HttpClient client,
        string sequence,
        string code,
        int count,
        Func<int, byte[]> png
    )
    {
        HttpResponseMessage made = await client.PostAsJsonAsync(
            "/api/shots",
            new
            {
                production = "Test",
                sequence,
                code,
            }
        );
        long id = (await made.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
        await client.BringPlate($"/api/shots/{id}", Form([.. Enumerable.Range(1001, count).Select(f => ($"p.{f}.png", png(f)))]));
        return (id, $"/api/shots/{id}");
    }

    /// <summary>
    /// Sends a plate and waits until the tray has brought it in: the shot's state and what was found on arrival, or the job's refusal as
    /// any other.
    /// </summary>
    public static async Task<HttpResponseMessage> BringPlate(this HttpClient client, string at, MultipartFormDataContent form)
    {
        HttpResponseMessage asked = await client.PostAsync($"{at}/plate", form);
        if (asked.StatusCode != HttpStatusCode.OK)
        {
            return asked;
        }
        JsonNode job = await client.Ended(at, (await asked.Content.ReadFromJsonAsync<JsonNode>())!);
        return job["state"]!.GetValue<string>() == "done"
            ? new(HttpStatusCode.OK)
            {
                Content = JsonContent.Create(
                    new { state = await client.State(at), notes = JsonNode.Parse(job["output"]!.GetValue<string>()) }
                ),
            }
            : new(HttpStatusCode.UnprocessableEntity) { Content = JsonContent.Create(new { title = job["message"]!.GetValue<string>() }) };
    }

    /// <summary>A job of the tray as it is when it has ended.</summary>
    public static async Task<JsonNode> Ended(this HttpClient client, string at, JsonNode job)
    {
        for (int i = 0; i < 600; i++)
        {
            JsonNode now = (await client.GetFromJsonAsync<JsonArray>($"{at}/jobs"))!.First(j =>
                j!["id"]!.GetValue<long>() == job["id"]!.GetValue<long>()
            )!;
            if (now["state"]!.GetValue<string>() is not ("waiting" or "running"))
            {
                return now;
            }
            await Task.Delay(100);
        }
        throw new TimeoutException($"job {job["id"]} did not end");
    }

    /// <summary>Files to be brought in.</summary>
    public static MultipartFormDataContent Form(params (string Name, byte[] Bytes)[] files)
    {
        var form = new MultipartFormDataContent();
        foreach (var (name, bytes) in files)
        {
            form.Add(new ByteArrayContent(bytes), "files", name);
        }
        return form;
    }

    /// <summary>A camera that stands still at 1.6 m, looks down −Z and 20° down, over a floor of 20 × 20 m.</summary>
    public static async Task StandOverFloor(this HttpClient client, string at, int count)
    {
        string camera =
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n"
            + string.Concat(Enumerable.Range(1001, count).Select(f => $"{f},0,1.6,0,-0.1736482,0,0,0.9848078,36\n"));
        Assert.Equal(
            HttpStatusCode.OK,
            (await client.PostAsync($"{at}/camera", Form(("c.csv", Encoding.UTF8.GetBytes(camera))))).StatusCode
        );
        Assert.Equal(HttpStatusCode.OK, (await client.Save(at, d => d["pieces"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "floor",
                            ["name"] = "floor",
                            ["kind"] = "Plane",
                            ["size"] = new JsonArray(20, 0, 20),
                        }
                    ))).StatusCode);
    }

    public static async Task<JsonNode> State(this HttpClient client, string at) => (await client.GetFromJsonAsync<JsonNode>(at))!;

    public static async Task<HttpResponseMessage> Save(this HttpClient client, string at, Action<JsonNode> change)
    {
        JsonNode state = await client.State(at);
        change(state["document"]!);
        return await client.PutAsJsonAsync(
            at,
            new
            {
                baseRevision = state["revision"]!.GetValue<int>(),
                what = "Changed",
                document = state["document"],
            }
        );
    }

    /// <summary>What a refusal says; a refusal has words and no stack trace.</summary>
    public static async Task<string> Refused(Task<HttpResponseMessage> asked)
    {
        HttpResponseMessage answer = await asked;
        Assert.Equal(HttpStatusCode.UnprocessableEntity, answer.StatusCode);
        string title = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()!;
        Assert.DoesNotContain("   at ", title);
        return title;
    }
}
