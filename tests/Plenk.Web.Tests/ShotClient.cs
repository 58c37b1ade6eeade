using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>Shots over HTTP as the tests ask for them.</summary>
internal static class ShotClient
{
    /// <summary>A new shot with these frames for its plate, from 1001 on; where it is.</summary>
    public static async Task<(long Id, string At)> NewShot(this HttpClient client, string sequence, string code, int count, Func<int, byte[]> png)
    {
        HttpResponseMessage made = await client.PostAsJsonAsync("/api/shots", new { production = "Test", sequence, code });
        long id = (await made.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
        var frames = new MultipartFormDataContent();
        for (int f = 1001; f < 1001 + count; f++) { frames.Add(new ByteArrayContent(png(f)), "files", $"p.{f}.png"); }
        await client.PostAsync($"/api/shots/{id}/plate", frames);
        return (id, $"/api/shots/{id}");
    }

    public static async Task<JsonNode> State(this HttpClient client, string at) => (await client.GetFromJsonAsync<JsonNode>(at))!;

    public static async Task<HttpResponseMessage> Save(this HttpClient client, string at, Action<JsonNode> change)
    {
        JsonNode state = await client.State(at);
        change(state["document"]!);
        return await client.PutAsJsonAsync(at, new { baseRevision = state["revision"]!.GetValue<int>(), what = "Changed", document = state["document"] });
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
