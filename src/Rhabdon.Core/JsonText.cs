using System.Globalization;
using System.Text.Json;

namespace Rhabdon.Core;

/// <summary>What JSON may say and no database can keep, or two readers would read in two ways: found on its tokens, before anything is made of them.</summary>
public static class JsonText
{
    /// <summary>As deep as a body or an event may nest.</summary>
    public const int MaxDepth = 64;

    private const int LongestNumber = 40;
    private const int MostExponent = 300;

    /// <summary>The first thing that is wrong, with the path of its field; null when all of it can be kept.</summary>
    /// <param name="utf8">One JSON value.</param>
    /// <exception cref="JsonException">It is no JSON, or nests deeper than <see cref="MaxDepth"/>.</exception>
    public static Refusal? Fault(ReadOnlySpan<byte> utf8)
    {
        var reader = new Utf8JsonReader(utf8, new JsonReaderOptions { MaxDepth = MaxDepth });
        var path = new Stack<Level>();
        while (reader.Read())
        {
            switch (reader.TokenType)
            {
                case JsonTokenType.StartObject or JsonTokenType.StartArray:
                    Next(path);
                    path.Push(new Level(reader.TokenType == JsonTokenType.StartArray));
                    break;
                case JsonTokenType.EndObject or JsonTokenType.EndArray:
                    path.Pop();
                    break;
                case JsonTokenType.PropertyName:
                    if (Text(ref reader) is not { } name)
                    {
                        return new("body-text", At(path), "A name holds a character that cannot be kept.");
                    }

                    if (!path.Peek().Name(name))
                    {
                        return new("name-twice", At(path), $"'{name}' stands here twice.");
                    }

                    break;
                default:
                    Next(path);
                    if (Value(ref reader, path) is { } fault)
                    {
                        return fault;
                    }

                    break;
            }
        }

        return null;
    }

    private static Refusal? Value(ref Utf8JsonReader reader, Stack<Level> path) => reader.TokenType switch
    {
        JsonTokenType.String when Text(ref reader) is null => new("body-text", At(path), "The text holds a character that cannot be kept."),
        JsonTokenType.Number when !Kept(ref reader) => new("number-range", At(path), "This number is too large, too small or too long to be kept."),
        JsonTokenType.Null when path.TryPeek(out var level) && level.IsList => new("gap", At(path), "A list has a gap here."),
        _ => null,
    };

    /// <summary>Null for half a surrogate pair, broken UTF-8 and U+0000.</summary>
    private static string? Text(ref Utf8JsonReader reader)
    {
        try
        {
            return reader.GetString() is { } text && !text.Contains('\0') ? text : null;
        }
        catch (InvalidOperationException)
        {
            return null;
        }
    }

    /// <summary>True for numbers that both a double and a database's decimal hold.</summary>
    private static bool Kept(ref Utf8JsonReader reader)
    {
        if (reader.ValueSpan.Length > LongestNumber || !reader.TryGetDouble(out var number) || !double.IsFinite(number))
        {
            return false;
        }

        var e = reader.ValueSpan.IndexOfAny((byte)'e', (byte)'E');
        return e < 0 || (int.TryParse(reader.ValueSpan[(e + 1)..], NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var exponent) && Math.Abs(exponent) <= MostExponent);
    }

    private static void Next(Stack<Level> path)
    {
        if (path.TryPeek(out var level))
        {
            level.Step();
        }
    }

    private static string At(Stack<Level> path) => string.Concat(path.Reverse().Select(l => l.Said)).TrimStart('.') is { Length: > 0 } at ? at : "body";

    /// <summary>An object or list that is open: where in it the reader stands.</summary>
    private sealed class Level(bool isList)
    {
        private readonly HashSet<string>? _names = isList ? null : new(StringComparer.Ordinal);
        private string _name = "";
        private int _index = -1;

        public bool IsList => isList;

        public string Said => isList ? $"[{_index}]" : _name.Length > 0 ? $".{_name}" : "";

        /// <returns>False when the name stood here before.</returns>
        public bool Name(string name)
        {
            _name = name;
            return _names!.Add(name);
        }

        public void Step() => _index++;
    }
}
