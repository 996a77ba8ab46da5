namespace Rhabdon.Core.Folder;

/// <summary>What a file is, by its suffix.</summary>
public enum FolderFileKind
{
    Trace, Picture,
    /// <summary>A meter's table.</summary>
    Results,
    Other,
}

public enum MatchedBy
{
    Name, Time,
}

/// <summary>A file of an instrument.</summary>
/// <param name="TakenAt">As the instrument or the file has it; null where nothing tells.</param>
/// <param name="Rows">Of a table: the cells of each row; null for other files.</param>
public sealed record FolderFile(string Name, Instant? TakenAt, IReadOnlyList<IReadOnlyList<string>>? Rows = null);

/// <param name="PortName">As it was put into the instrument.</param>
/// <param name="Entries">When something was said of it.</param>
public sealed record FolderEnd(EndId EndId, PlaceId PlaceId, string Address, string PortName, IReadOnlyList<Instant> Entries);

/// <summary>Whose a file is.</summary>
/// <param name="EndId">Null where it cannot be told.</param>
/// <param name="MinutesApart">From its nearest entry, where time told it.</param>
/// <param name="Candidates">Addresses of those that it could be of as well, at most ten; somebody has to say.</param>
/// <param name="Places">Of a table: how many of its rows name an end of which panel.</param>
public sealed record FolderMatch(string Name, FolderFileKind Kind, EndId? EndId, string? Address, MatchedBy? By, double? MinutesApart, IReadOnlyList<string> Candidates, IReadOnlyList<FolderPlace> Places);

public sealed record FolderPlace(PlaceId PlaceId, int Rows);

/// <summary>Finds whose the files are that come back from meters, scopes and trace instruments: by the name that was put into the instrument, else by the time.</summary>
public static class FolderMatches
{
    /// <summary>An entry as near to a file's time may tell it (ours).</summary>
    public static readonly Duration UsualWithin = Duration.FromMinutes(5);

    /// <summary>The next one has to be so many times as far away (ours).</summary>
    private const double Apart = 2;

    private const int MostCandidates = 10;

    private static readonly HashSet<string> Traces = ["sor"], Pictures = ["png", "jpg", "jpeg", "bmp", "tif", "tiff"], Tables = ["csv", "txt", "tsv"];

    public static FolderFileKind KindOf(string name) => name.LastIndexOf('.') is var dot && dot >= 0 && name[(dot + 1)..].ToLowerInvariant() is var suffix
        ? Traces.Contains(suffix) ? FolderFileKind.Trace : Pictures.Contains(suffix) ? FolderFileKind.Picture : Tables.Contains(suffix) ? FolderFileKind.Results : FolderFileKind.Other
        : FolderFileKind.Other;

    public static IReadOnlyList<FolderMatch> Of(IReadOnlyList<FolderFile> files, IReadOnlyList<FolderEnd> ends, Duration within)
    {
        var names = ends.Select(e => (End: e, Words: Words(e.PortName))).Where(n => n.Words.Count > 0).OrderByDescending(n => n.Words.Count).ToList();
        var entries = ends.SelectMany(e => e.Entries.Select(at => (At: at, End: e))).OrderBy(x => x.At).ToList();
        return [.. files.Select(f => Of(f, names, entries, within))];
    }

    private static FolderMatch Of(FolderFile file, List<(FolderEnd End, IReadOnlyList<string> Words)> names, List<(Instant At, FolderEnd End)> entries, Duration within)
    {
        var kind = KindOf(file.Name);
        if (kind == FolderFileKind.Results)
        {
            var known = names.GroupBy(n => string.Join(' ', n.Words)).ToDictionary(g => g.Key, g => g.First().End.PlaceId);
            foreach (var (end, _) in names)
            {
                known.TryAdd(string.Join(' ', Words(end.Address)), end.PlaceId);
            }

            // A row is of the first end that one of its cells names.
            var places = (file.Rows ?? []).Select(r => r.Select(c => known.TryGetValue(string.Join(' ', Words(c)), out var p) ? p : (PlaceId?)null).FirstOrDefault(p => p is not null)).OfType<PlaceId>()
                .CountBy(p => p).Select(p => new FolderPlace(p.Key, p.Value)).OrderByDescending(p => p.Rows).ToList();
            return new(file.Name, kind, null, null, null, null, [], places);
        }

        // The longest name that stands whole in the file's: P1:31 is not P1:3.
        var bare = Words(file.Name[..Math.Max(0, file.Name.LastIndexOf('.') is var dot && dot > 0 ? dot : file.Name.Length)]);
        var found = names.Where(n => Contains(bare, n.Words)).ToList();
        var longest = found.Where(n => n.Words.Count == found[0].Words.Count).Select(n => n.End).ToList();
        if (longest.Count == 1)
        {
            return new(file.Name, kind, longest[0].EndId, longest[0].Address, MatchedBy.Name, null, [], []);
        }

        if (longest.Count > 1 || file.TakenAt is not { } taken)
        {
            return new(file.Name, kind, null, null, null, null, [.. longest.Take(MostCandidates).Select(e => e.Address)], []);
        }

        var near = entries.Where(x => Away(x.At, taken) <= within).GroupBy(x => x.End.EndId).Select(g => (g.First().End, Away: g.Min(x => Away(x.At, taken)))).OrderBy(x => x.Away).ToList();
        // Where several were said of at once, the time does not tell which of them it is.
        return near.Count > 0 && (near.Count == 1 || near[1].Away.TotalSeconds > Math.Max(1, near[0].Away.TotalSeconds) * Apart)
            ? new(file.Name, kind, near[0].End.EndId, near[0].End.Address, MatchedBy.Time, Math.Round(near[0].Away.TotalMinutes, 1), [], [])
            : new(file.Name, kind, null, null, null, null, [.. near.Take(MostCandidates).Select(x => x.End.Address)], []);
    }

    private static Duration Away(Instant a, Instant b) => a > b ? a - b : b - a;

    private static bool Contains(IReadOnlyList<string> all, IReadOnlyList<string> part) =>
        Enumerable.Range(0, Math.Max(0, all.Count - part.Count + 1)).Any(from => part.Index().All(p => all[from + p.Index] == p.Item));

    /// <summary>Letters and numbers apart, in capitals and without leading zeros: what stands between them, an instrument writes as it likes.</summary>
    private static IReadOnlyList<string> Words(string text)
    {
        var words = new List<string>();
        for (var i = 0; i < text.Length;)
        {
            var (digit, from) = (char.IsAsciiDigit(text[i]), i);
            while (i < text.Length && (digit ? char.IsAsciiDigit(text[i]) : char.IsLetter(text[i])))
            {
                i++;
            }

            if (i == from)
            {
                i++;
            }
            else
            {
                words.Add(digit ? text[from..i].TrimStart('0') is { Length: > 0 } n ? n : "0" : text[from..i].ToUpperInvariant());
            }
        }

        return words;
    }

    /// <summary>A name as any instrument and any file system takes it.</summary>
    public static string Safe(string name) => string.Join('-', new string([.. name.Select(c => char.IsLetterOrDigit(c) ? c : ' ')]).Split(' ', StringSplitOptions.RemoveEmptyEntries));
}
