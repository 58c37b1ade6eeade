using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>
/// A change of a shot's document that is named: where it lies, what stood there and what stands there then. It knows nothing of pages or
/// ledgers; <see cref="Edits"/> lays it on a document.
/// </summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "edit")]
[JsonDerivedType(typeof(SetValue), "set")]
[JsonDerivedType(typeof(AddItem), "add")]
[JsonDerivedType(typeof(TakeAway), "remove")]
[JsonDerivedType(typeof(MoveItem), "move")]
public abstract record Edit
{
    /// <summary>
    /// The place in the document, like “elements/bell/position” or “surveyPoints/A/clicks”: properties by their names, members of lists by
    /// id, name or frame.
    /// </summary>
    [JsonRequired]
    public required string At { get; init; }

    internal abstract Change Lay(JsonObject document);

    /// <summary>A value as the document writes it.</summary>
    public static Edit Set(string at, object? to) => new SetValue(Written(to)) { At = at };

    public static Edit Add(string to, object item) => new AddItem(Written(item)!.AsObject()) { At = to };

    public static Edit Remove(string at) => new TakeAway { At = at };

    public static Edit Move(string at, string? before) => new MoveItem(before) { At = at };

    private static JsonNode? Written(object? value) =>
        value is null ? null : JsonSerializer.SerializeToNode(value, value.GetType(), ShotJson.Options);
}

/// <summary>A value is set; null leaves it open.</summary>
/// <param name="To">As it is written in the document.</param>
public sealed record SetValue(JsonNode? To) : Edit
{
    /// <summary>
    /// What stood there when the change was made (null: nothing did); where something else stands by now it is refused. Left out: whatever
    /// stands there.
    /// </summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingDefault)]
    public JsonElement From { get; init; }

    internal override Change Lay(JsonObject document)
    {
        DocumentPlace place = DocumentPlace.Find(document, At, makeParents: true);
        JsonNode? before = place.Value;
        if (From.ValueKind != JsonValueKind.Undefined)
        {
            place.MustBe(JsonSerializer.SerializeToNode(From));
        }
        place.Put(To);
        return new(At, place.Name, EditWords.Say(before, place.Unit), EditWords.Say(To, place.Unit));
    }
}

/// <summary>Something is added to a list.</summary>
/// <param name="Item">As it is written in the document, with the id, name or frame that it is known by.</param>
/// <param name="Before">Id of the one that it stands before; null: it is the last.</param>
public sealed record AddItem(JsonObject Item, string? Before = null) : Edit
{
    internal override Change Lay(JsonObject document)
    {
        DocumentPlace place = DocumentPlace.Find(document, At, makeParents: true);
        string name = place.Add(Item, Before);
        return new($"{At}/{name}", EditWords.Called(At, Item), null, "added");
    }
}

/// <summary>A member of a list, or an entry, is taken away.</summary>
/// <param name="From">What it was when that was decided; null: whatever it is.</param>
public sealed record TakeAway(JsonNode? From = null) : Edit
{
    internal override Change Lay(JsonObject document)
    {
        DocumentPlace place = DocumentPlace.Find(document, At, makeParents: false);
        if (From is not null)
        {
            place.MustBe(From);
        }
        string name = place.Name;
        place.Remove();
        return new(At, name, "there", null);
    }
}

/// <summary>A member of a list takes another place in its order.</summary>
/// <param name="Before">Id of the one that it stands before then; null: it is the last.</param>
public sealed record MoveItem(string? Before) : Edit
{
    internal override Change Lay(JsonObject document)
    {
        DocumentPlace place = DocumentPlace.Find(document, At, makeParents: false);
        place.Move(Before);
        return new(At, place.Name, null, Before is null ? "last in order" : $"before {Before} in order");
    }
}
