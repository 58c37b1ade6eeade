using System.Globalization;
using System.Text;

namespace Plenk.Formats.Meshes.Usd;

/// <summary>
/// USD's text form (.usda): things, attributes, samples and connections of one layer, by the public grammar of the format. Other layers, and
/// what variants would choose, are not looked up.
/// </summary>
internal sealed class UsdText
{
    private const int Deepest = 200;
    private readonly string _text;
    private readonly string _name;
    private int _at;
    private int _depth;

    private UsdText(string text, string name) => (_text, _name) = (text, name);

    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith("#usda"u8);

    /// <summary>The root, with the layer's own words (upAxis, metersPerUnit) told at it.</summary>
    /// <exception cref="FormatFault">Says in which line it is broken.</exception>
    public static UsdPrim Read(byte[] bytes, string name)
    {
        if (!Is(bytes))
        {
            throw new FormatFault(
                "file",
                $"{name} is not USD text (it does not begin with #usda)",
                "Export it as .usda; the binary form is not taken."
            );
        }
        var reader = new UsdText(Encoding.UTF8.GetString(bytes), name);
        var root = new UsdPrim("", "", null);
        reader.Line();
        if (reader.Take('('))
        {
            root.Told = reader.Told();
        }
        reader.Things(root, ends: false);
        return root;
    }

    private FormatFault Fault(string what)
    {
        int line = 1 + _text.AsSpan(0, Math.Min(_at, _text.Length)).Count('\n');
        return new FormatFault("file", $"{_name}, line {line}: {what}", "Export the file again; it is cut off or was changed by hand.");
    }

    private void Line() => _at = _text.IndexOf('\n', _at) is var end && end < 0 ? _text.Length : end;

    private void Skip()
    {
        for (; _at < _text.Length; _at++)
        {
            if (_text[_at] == '#')
            {
                Line();
                if (_at == _text.Length)
                {
                    return;
                }
            }
            else if (!char.IsWhiteSpace(_text[_at]) && _text[_at] is not (';' or ','))
            {
                return;
            }
        }
    }

    private bool Take(char c)
    {
        Skip();
        if (_at < _text.Length && _text[_at] == c)
        {
            _at++;
            return true;
        }
        return false;
    }

    private void Need(char c)
    {
        if (!Take(c))
        {
            throw Fault(_at < _text.Length ? $"“{c}” is missing before “{_text[_at]}”" : $"it ends before a “{c}”");
        }
    }

    private static bool IsWord(char c) => char.IsLetterOrDigit(c) || c is '_' or ':' or '.' or '-' or '+' or '!';

    private string Word()
    {
        Skip();
        int from = _at;
        while (_at < _text.Length && IsWord(_text[_at]))
        {
            _at++;
        }
        return _at > from ? _text[from.._at]
            : _at < _text.Length ? throw Fault($"a word is missing before “{_text[_at]}”")
            : throw Fault("it ends in the middle");
    }

    private string Quoted()
    {
        char mark = _text[_at];
        string thrice = new(mark, 3);
        string end = string.CompareOrdinal(_text, _at, thrice, 0, 3) == 0 ? thrice : mark.ToString();
        int from = _at + end.Length,
            to = from;
        while (to < _text.Length && string.CompareOrdinal(_text, to, end, 0, end.Length) != 0)
        {
            to += _text[to] == '\\' && mark != '@' ? 2 : 1;
        }
        if (to >= _text.Length)
        {
            throw Fault("a text does not end");
        }
        _at = to + end.Length;
        return _text[from..to];
    }

    private UsdValue Value()
    {
        var numbers = new List<double>();
        var words = new List<string>();
        Into(numbers, words);
        return new([.. numbers], [.. words]);
    }

    private void Into(List<double> numbers, List<string> words)
    {
        Skip();
        if (_at >= _text.Length)
        {
            throw Fault("it ends before a value");
        }
        char c = _text[_at];
        switch (c)
        {
            case '(' or '[':
                Deeper(() =>
                {
                    _at++;
                    while (!Take(c == '(' ? ')' : ']'))
                    {
                        Into(numbers, words);
                    }
                });
                return;
            case '{':
                Deeper(() =>
                {
                    _at++;
                    while (!Take('}'))
                    {
                        // A dictionary: its names and types are words like others.
                        Into(numbers, words);
                        Take('=');
                        Take(':');
                    }
                });
                return;
            case '"' or '\'' or '@':
                words.Add(Quoted());
                Skip();
                // A thing of another file: its path follows.
                if (c == '@' && _at < _text.Length && _text[_at] == '<')
                {
                    Into(numbers, words);
                }
                return;
            case '<':
                int end = _text.IndexOf('>', _at);
                if (end < 0)
                {
                    throw Fault("a path does not end");
                }
                words.Add(_text[(_at + 1)..end]);
                _at = end + 1;
                return;
        }
        int from = _at;
        while (_at < _text.Length && IsWord(_text[_at]) && _text[_at] != ':')
        {
            _at++;
        }
        ReadOnlySpan<char> word = _text.AsSpan(from, _at - from);
        if (word.Length == 0)
        {
            throw Fault($"“{c}” is no value");
        }
        if (double.TryParse(word, NumberStyles.Float, CultureInfo.InvariantCulture, out double number))
        {
            numbers.Add(number);
        }
        else if (word is "inf" or "-inf" or "nan")
        {
            numbers.Add(double.NaN);
        }
        else if (word is not "None")
        {
            words.Add(word.ToString());
        }
    }

    private void Deeper(Action within)
    {
        if (++_depth > Deepest)
        {
            throw Fault($"more than {Deepest} things lie in each other");
        }
        within();
        _depth--;
    }

    /// <summary>What stands in parentheses: documentation by itself, or name = value.</summary>
    private Dictionary<string, UsdValue> Told()
    {
        var told = new Dictionary<string, UsdValue>();
        while (!Take(')'))
        {
            if (_at < _text.Length && _text[_at] is '"' or '\'')
            {
                Quoted();
                continue;
            }
            string name = Word();
            if (name is "prepend" or "append" or "add" or "delete" or "reorder")
            {
                name = Word();
            }
            if (Take('='))
            {
                told[name] = Value();
                // A reference may have its own shift in parentheses.
                if (Take('('))
                {
                    Told();
                }
            }
        }
        return told;
    }

    private void Things(UsdPrim above, bool ends)
    {
        while (true)
        {
            Skip();
            if (_at >= _text.Length)
            {
                if (ends)
                {
                    throw Fault($"it ends within “{above.Name}”");
                }
                return;
            }
            if (ends && Take('}'))
            {
                return;
            }
            string word = Word();
            switch (word)
            {
                case "def" or "over" or "class":
                    Deeper(() => Thing(above));
                    break;
                case "variantSet":
                    Variants(above);
                    break;
                default:
                    Attribute(above, word);
                    break;
            }
        }
    }

    private void Thing(UsdPrim above)
    {
        Skip();
        string type = _at < _text.Length && _text[_at] == '"' ? "" : Word();
        Skip();
        if (_at >= _text.Length || _text[_at] != '"')
        {
            throw Fault($"a {(type.Length > 0 ? type : "thing")} has no name");
        }
        var own = new UsdPrim(type, Quoted(), above);
        if (Take('('))
        {
            own.Told = Told();
        }
        Need('{');
        Things(own, ends: true);
        above.Below.Add(own);
    }

    /// <summary>Nothing of it is taken; that it is there is told.</summary>
    private void Variants(UsdPrim above)
    {
        UsdValue name = Value();
        Need('=');
        Need('{');
        for (int open = 1; open > 0; )
        {
            Skip();
            if (_at >= _text.Length)
            {
                throw Fault("a set of variants does not end");
            }
            if (_text[_at] is '"' or '\'' or '@')
            {
                Quoted();
                continue;
            }
            open +=
                _text[_at] == '{' ? 1
                : _text[_at] == '}' ? -1
                : 0;
            _at++;
        }
        above.Attributes["variantSet"] = new() { Own = name };
    }

    private void Attribute(UsdPrim of, string word)
    {
        while (word is "custom" or "uniform" or "varying" or "prepend" or "append" or "add" or "delete" or "config")
        {
            word = Word();
        }
        // word is the type by now, perhaps of an array.
        if (Take('['))
        {
            Need(']');
        }
        string name = Word();
        bool timed = name.EndsWith(".timeSamples", StringComparison.Ordinal),
            connected = name.EndsWith(".connect", StringComparison.Ordinal);
        name =
            timed ? name[..^".timeSamples".Length]
            : connected ? name[..^".connect".Length]
            : name;
        if (!of.Attributes.TryGetValue(name, out UsdAttribute? attribute))
        {
            of.Attributes[name] = attribute = new();
        }
        if (Take('='))
        {
            if (timed)
            {
                Need('{');
                while (!Take('}'))
                {
                    if (!double.TryParse(TimeCode(), NumberStyles.Float, CultureInfo.InvariantCulture, out double time))
                    {
                        throw Fault($"a sample of “{name}” stands at no time");
                    }
                    Need(':');
                    attribute.Samples[time] = Value();
                }
            }
            else if (connected)
            {
                attribute.Connected = Value().Words.FirstOrDefault();
            }
            else
            {
                attribute.Own = Value();
            }
        }
        if (Take('('))
        {
            attribute.Told = Told();
        }
    }

    private string TimeCode()
    {
        Skip();
        int from = _at;
        while (_at < _text.Length && (char.IsDigit(_text[_at]) || _text[_at] is '.' or '-' or '+' or 'e' or 'E'))
        {
            _at++;
        }
        return _text[from.._at];
    }
}
