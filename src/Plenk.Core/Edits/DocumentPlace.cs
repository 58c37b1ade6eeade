using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization.Metadata;
using Plenk.Core.Shots;

namespace Plenk.Core.Edits;

/// <summary>A place in a document's JSON, and what type of value the document has there.</summary>
internal sealed class DocumentPlace
{
    private static readonly string[] Fixed = ["schemaVersion", "production", "sequence", "code", "units", "colorSpace"];
    private readonly string _at;
    private readonly JsonNode _parent;
    private readonly string _last;
    private readonly Type _type;
    private readonly bool _mayBeNull,
        _isEntry;
    private readonly string _words;
    private readonly KindField? _field;

    private DocumentPlace(
        string at,
        JsonNode parent,
        string last,
        Type type,
        bool mayBeNull,
        bool isEntry,
        List<string> words,
        KindField? field
    ) =>
        (_at, _parent, _last, _type, _mayBeNull, _isEntry, _field, _words) = (
            at,
            parent,
            last,
            type,
            mayBeNull,
            isEntry,
            field,
            EditWords.Join(field is null ? words : [words[0], field.Label])
        );

    public JsonNode? Value => _parent is JsonObject o ? o[_last] : ItemIn((JsonArray)_parent, _last);

    public string Name => _words;

    public string Unit => EditWords.UnitOf(_last, _field);

    /// <param name="makeParents">What is left open on the way there begins.</param>
    public static DocumentPlace Find(JsonObject document, string at, bool makeParents)
    {
        string[] path = Segments(at);
        JsonNode node = document;
        Type type = typeof(ShotDocument);
        if (Fixed.Contains(path[0], StringComparer.Ordinal))
        {
            throw new EditFault(at, $"The {EditWords.Plain(path[0])} of a shot stays as it is.");
        }
        var words = new List<string>();
        for (int i = 0; ; i++)
        {
            string segment = path[i];
            bool mayBeNull = false;
            Type next;
            if (ListOf(type) is { } item)
            {
                next = item;
                JsonNode there = ItemIn((JsonArray)node, segment)
                    ?? throw new EditFault(at, $"There is no “{segment}” among the shot's {EditWords.Plain(path[i - 1])}.");
                words.Add(EditWords.Called(string.Join('/', path.Take(i)), there, segment));
                if (i == path.Length - 1)
                {
                    return new(at, node, segment, next, mayBeNull: false, isEntry: false, words, null);
                }
            }
            else if (node is JsonArray numbers)
            {
                // One of three numbers, or of a list of them.
                next = typeof(double);
                if (i < path.Length - 1 || ItemIn(numbers, segment) is null)
                {
                    throw new EditFault(at, $"{EditWords.Join(words)} has no “{segment}”.");
                }
                words.Add($"number {segment}");
            }
            else if (EntryOf(type) is { } entry)
            {
                next = entry;
                words.Add(segment);
            }
            else
            {
                if (i == 1 && path[0] == "finish")
                {
                    words.Clear(); // a step's own name says where it stands
                }
                JsonPropertyInfo own = ShotJson
                    .Options.GetTypeInfo(type)
                    .Properties.FirstOrDefault(p => p.Name == segment && !p.IsExtensionData)
                    ?? throw new EditFault(at, $"{(i == 0 ? "A shot" : EditWords.Plain(path[i - 1]))} has no “{segment}”.");
                (next, mayBeNull) = (own.PropertyType, own.IsSetNullable || Nullable.GetUnderlyingType(own.PropertyType) is not null);
                if (i == path.Length - 1 || ListOf(next) is null)
                {
                    words.Add(EditWords.Plain(segment));
                }
            }
            if (i == path.Length - 1)
            {
                return new(at, node, segment, next, mayBeNull, EntryOf(type) is not null, words, EditWords.FieldAt(document, path));
            }
            next = Nullable.GetUnderlyingType(next) ?? next;
            JsonNode? inner = node is JsonObject o ? o[segment] : ItemIn((JsonArray)node, segment);
            if (inner is null)
            {
                if (!makeParents)
                {
                    throw new EditFault(at, $"{EditWords.Join(words)} is not there.");
                }
                inner = ListOf(next) is not null ? new JsonArray() : new JsonObject();
                ((JsonObject)node)[segment] = inner;
            }
            if (inner is not (JsonObject or JsonArray))
            {
                throw new EditFault(at, $"{EditWords.Join(words)} has no parts.");
            }
            (node, type) = (inner, next);
        }
    }

    public void MustBe(JsonNode? expected)
    {
        if (!Same(Value, expected))
        {
            throw new EditFault(
                _at,
                $"Somebody else changed {Name} meanwhile: it is {EditWords.Say(Value, Unit)} now, and was {EditWords.Say(expected, Unit)} when you changed it."
            )
            {
                IsConflict = true,
            };
        }
    }

    public void Put(JsonNode? to)
    {
        if (to is null && !_mayBeNull)
        {
            throw new EditFault(_at, $"{EditWords.Begin(Name)} cannot be left open.");
        }
        Check(to, _type);
        if (_parent is JsonObject o)
        {
            if (to is null)
            {
                o.Remove(_last);
            }
            else
            {
                o[_last] = to.DeepClone();
            }
            return;
        }
        var list = (JsonArray)_parent;
        list[list.IndexOf(Value)] = to!.DeepClone();
    }

    /// <summary>Adds to the list that stands here; returns what the item is known by.</summary>
    public string Add(JsonObject item, string? before)
    {
        Type of = ListOf(_type) ?? throw new EditFault(_at, $"{EditWords.Begin(Name)} is no list; nothing can be added to it.");
        if (KeyOf(item) is not { } key)
        {
            throw new EditFault(_at, $"What is added to the {Name} needs an id, a name or a frame that it is known by.");
        }
        Check(item, of);
        if (Value is not JsonArray list)
        {
            list = [];
            ((JsonObject)_parent)[_last] = list;
        }
        if (ItemIn(list, key) is not null)
        {
            throw new EditFault($"{_at}/{key}", $"There is a “{key}” among the {Name} already.");
        }
        int at = before is null ? list.Count : list.IndexOf(ItemIn(list, before));
        list.Insert(at < 0 ? list.Count : at, item.DeepClone());
        return key;
    }

    public void Remove()
    {
        if (_parent is JsonArray list)
        {
            list.Remove(Value);
        }
        else if (_isEntry && Value is not null)
        {
            ((JsonObject)_parent).Remove(_last);
        }
        else
        {
            throw new EditFault(
                _at,
                Value is null
                    ? $"{EditWords.Begin(Name)} is not there."
                    : $"{EditWords.Begin(Name)} is a value; set it instead of taking it away."
            );
        }
    }

    public void Move(string? before)
    {
        if (_parent is not JsonArray list)
        {
            throw new EditFault(_at, $"{EditWords.Begin(Name)} stands in no list.");
        }
        JsonNode own = Value!;
        JsonNode? next = before is null
            ? null
            : ItemIn(list, before) ?? throw new EditFault(_at, $"There is no “{before}” to stand before.");
        if (next == own)
        {
            return;
        }
        list.Remove(own);
        list.Insert(next is null ? list.Count : list.IndexOf(next), own);
    }

    private void Check(JsonNode? value, Type type)
    {
        try
        {
            object? made = value.Deserialize(type, ShotJson.Options);
            if (made is Extensible { Unknown: { Count: > 0 } unknown })
            {
                throw new EditFault(_at, $"{EditWords.Begin(Name)} has no “{unknown.Keys.First()}”.");
            }
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException or NotSupportedException)
        {
            string said = e.Message.Split('\n')[0],
                lacks = "including: ";
            throw new EditFault(
                _at,
                said.Contains(lacks, StringComparison.Ordinal)
                    ? $"{EditWords.Begin(Name)} lacks {said[(said.IndexOf(lacks, StringComparison.Ordinal) + lacks.Length)..].TrimEnd('.')}."
                    : $"{EditWords.Begin(Name)} is {Meant(type)}; {EditWords.Say(value, "")} is none."
            );
        }
    }

    private static string Meant(Type type)
    {
        Type t = Nullable.GetUnderlyingType(type) ?? type;
        return t.IsEnum ? $"one of {string.Join(", ", Enum.GetNames(t))}"
            : t == typeof(double) || t == typeof(float) ? "a number"
            : t == typeof(int) || t == typeof(uint) || t == typeof(long) ? "a whole number"
            : t == typeof(bool) ? "true or false"
            : t == typeof(string) ? "a text"
            : t == typeof(Geometry.Vec3) ? "three numbers"
            : ListOf(t) is { } item ? $"a list, each {Meant(item)}"
            : "an object of named values";
    }

    /// <summary>By value: a number is the same however it is written, and what is left out is null.</summary>
    internal static bool Same(JsonNode? a, JsonNode? b) =>
        (a, b) switch
        {
            (null, null) => true,
            (null, _) or (_, null) => false,
            (JsonArray x, JsonArray y) => x.Count == y.Count && x.Zip(y).All(p => Same(p.First, p.Second)),
            (JsonObject x, JsonObject y) => x.Select(p => p.Key).Union(y.Select(p => p.Key)).All(k => Same(x[k], y[k])),
            (JsonValue x, JsonValue y) => x.GetValueKind() == y.GetValueKind()
                && (x.GetValueKind() == JsonValueKind.Number ? Number(x).Equals(Number(y)) : x.ToJsonString() == y.ToJsonString()),
            _ => false,
        };

    private static double Number(JsonValue v) => double.Parse(v.ToJsonString(), System.Globalization.CultureInfo.InvariantCulture) + 0.0;

    /// <summary>What a member of a list is known by: its id, name or frame; null where it has none.</summary>
    internal static string? KeyOf(JsonNode? item) =>
        item is JsonObject o
            ? (o["id"] ?? o["name"] ?? o["frame"]) is JsonValue v
                ? v.ToString()
                : null
            : null;

    // Escaped as in JSON Pointer (RFC 6901, section 3).
    internal static string[] Segments(string at) =>
        [.. at.Split('/').Select(s => s.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal))];

    /// <summary>A member by what it is known by; of a list whose members are known by nothing, by its place from 0.</summary>
    internal static JsonNode? ItemIn(JsonArray list, string key) =>
        list.FirstOrDefault(i => KeyOf(i) == key)
        ?? (int.TryParse(key, out int n) && n >= 0 && n < list.Count && list.All(i => KeyOf(i) is null) ? list[n] : null);

    private static Type? ListOf(Type type) =>
        type.IsGenericType && type.GetGenericTypeDefinition() == typeof(IReadOnlyList<>) && !type.GetGenericArguments()[0].IsPrimitive
            ? type.GetGenericArguments()[0]
            : null;

    private static Type? EntryOf(Type type) =>
        type.IsGenericType && type.GetGenericTypeDefinition() == typeof(IReadOnlyDictionary<,>) ? type.GetGenericArguments()[1] : null;
}
