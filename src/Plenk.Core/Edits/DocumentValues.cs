using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>A document's values by their places, as edits name them.</summary>
public sealed class DocumentValues(ShotDocument shot)
{
    private readonly JsonObject _document = JsonSerializer.SerializeToNode(shot, ShotJson.Options)!.AsObject();

    /// <summary>What stands at a place; null where it is left open or there is no such place.</summary>
    public JsonNode? At(string at)
    {
        JsonNode? node = _document;
        foreach (string segment in DocumentPlace.Segments(at))
        {
            node = node switch
            {
                JsonObject o => o[segment],
                JsonArray list => DocumentPlace.ItemIn(list, segment),
                _ => null,
            };
        }
        return node;
    }
}
