using System.Globalization;
using System.Text.RegularExpressions;
using Rhabdon.Core;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Documents.Books;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Handover;

/// <summary>A company's own look on paper.</summary>
/// <param name="Mark">Its picture, as PNG.</param>
/// <param name="Foot">What stands below each page.</param>
public sealed record Letterhead(byte[]? Mark, string Foot);

/// <param name="X">Metres from the instrument, rising.</param>
/// <param name="Y">Decibels.</param>
/// <param name="Events">Where it steps, and by how much.</param>
public sealed record TraceLine(IReadOnlyList<double> X, IReadOnlyList<double> Y, IReadOnlyList<(double AtM, double LossDb)> Events)
{
    /// <summary>As close as a step found again comes to what was recorded of it.</summary>
    private const double SameDb = 0.03;

    /// <summary>Where the step of a loss lies; null where none is like it. What was recorded counts from the end of the launch cord, which no trace says.</summary>
    public double? At(double lossDb) => Events.Where(e => Math.Abs(e.LossDb - lossDb) <= SameDb).OrderBy(e => Math.Abs(e.LossDb - lossDb)).Select(e => (double?)e.AtM).FirstOrDefault();
}

/// <summary>What a dossier shows beside its data.</summary>
/// <param name="CheckAddress">What the printed code opens; the check code comes behind it.</param>
/// <param name="Face">A picture by its id: a face, or a photo.</param>
/// <param name="Version">Of the handover, from 1; null for a copy that was not handed over.</param>
public sealed record BookMeans(Letterhead Letterhead, string CheckAddress, int? Version, Func<EvidenceId, byte[]?> Face, Func<EvidenceId, TraceLine?> Trace);

/// <summary>Puts a dossier into words and pictures.</summary>
internal sealed partial class DossierBook
{
    private static readonly PaperWords Words = new("dossier");

    private const int MostNamed = 40;

    private readonly Dossier _d;
    private readonly BookMeans _means;
    private readonly ILookup<PlaceId, DossierEnd> _at;

    private DossierBook(Dossier dossier, BookMeans means)
    {
        (_d, _means) = (dossier, means);
        _at = dossier.Ends.ToLookup(e => e.PlaceId);
    }

    /// <summary>The first characters of the data's hash, in groups that are read out easily.</summary>
    public static string CodeOf(string hash) => string.Join('-', hash[..16].ToUpperInvariant().Chunk(4).Select(c => new string(c)));

    public static Book Of(Dossier dossier, BookMeans means)
    {
        var (hash, job) = (Dossiers.Hash(dossier), dossier.Job);
        var book = new DossierBook(dossier, means);
        return new(
            $"{job.Customer}, {job.Site}", Words.Say("subject", ("customer", job.Customer), ("site", job.Site)), dossier.Company, $"{Dossiers.Format} sha256 {hash}", "en", (dossier.AsOf ?? default).ToDateTimeOffset(),
            book.Cover(hash), book.Pieces(hash), Words.Say("foot", ("company", dossier.Company), ("customer", job.Customer), ("foot", means.Letterhead.Foot)).TrimEnd(' ', '·'), Words["page"]);
    }

    private bool Own => _d.Choice.Edition == DossierEdition.Company;

    private BookCover Cover(string hash)
    {
        var (job, made) = (_d.Job, _d.Job.FirstOn is { } first ? first == _d.Job.LastOn ? Day(first) : Words.Say("fact.made-from-to", ("from", Day(first)), ("to", Day(_d.Job.LastOn!.Value))) : Words["fact.made-not"]);
        return new(
            _means.Letterhead.Mark, _d.Company, Words[$"kind.{Wire.Name(_d.Choice.Edition)}"], job.Customer, job.Site,
            [
                .. job.Number.Length > 0 ? [new Fact(Words["fact.number"], job.Number)] : Array.Empty<Fact>(),
                new(Words["fact.made"], made),
                new(Words["fact.ends"], Words.Say("fact.proven", ("proven", _d.Summary.Proven), ("planned", _d.Summary.Planned))),
                .. _d.AsOf is { } at ? [new Fact(Words["fact.asOf"], Time(at))] : Array.Empty<Fact>(),
                .. _means.Version is { } v ? [new Fact(Words["fact.version"], v.ToString(CultureInfo.InvariantCulture))] : Array.Empty<Fact>(),
                .. string.Join("; ", Parts()) is { Length: > 0 } parts ? [new Fact(Words["fact.parts"], parts)] : Array.Empty<Fact>(),
            ],
            new($"{_means.CheckAddress}{CodeOf(hash)}", Words.Say("code.title", ("code", CodeOf(hash))), Words["code.text"], Words["code.alt"]));
    }

    private IEnumerable<string> Parts()
    {
        var c = _d.Choice;
        if (c.SpaceIds is not null || c.PlaceIds is not null)
        {
            yield return Words.Say("parts.spaces", ("spaces", string.Join(", ", c.PlaceIds is not null ? _d.Places.Select(p => p.Code) : _d.Summary.Spaces.Select(s => s.Code))));
        }

        if (c.ExceptionsOnly)
        {
            yield return Words["parts.exceptions"];
        }

        if (!c.Pictures)
        {
            yield return Words["parts.no-pictures"];
        }

        yield return Words[c.Names ? "parts.names" : "parts.no-names"];
    }

    private IEnumerable<Piece> Pieces(string hash) => new Func<IEnumerable<Piece>>[]
    {
        Summary, () => _d.Places.SelectMany(Panel), () => _d.Choice.Pictures ? [.. Faces(), .. Traces()] : [], Photos, Splices, () => Own ? Attempts() : [], Instruments, () => Own ? ToolsAndLots() : [], Standing, () => Closing(hash),
    }.SelectMany(part => part());

    private static IEnumerable<Piece> Closing(string hash) =>
    [
        new Heading(Words["cautions"]), new BulletList([Words["caution.light"], Words["caution.caps"], Words["caution.bend"], Words["caution.glass"], Words["law"]]),
        new Heading(Words["seal"]), new Prose(Words.Say("seal.text", ("hash", hash))),
    ];

    private IEnumerable<Piece> Summary()
    {
        var s = _d.Summary;
        var open = s.Planned - s.Proven;
        yield return new Heading(Words["summary"]);
        yield return new Prose(Words.Say(s.Planned == 0 ? "summary.nothing" : open == 0 ? "summary.all" : s.Proven == 0 ? "summary.none" : "summary.some", ("planned", s.Planned), ("proven", s.Proven), ("open", open)), open == 0 ? Tone.Good : Tone.Plain, Large: true);
        yield return new Heading(Words["exceptions"], 2);
        var said = _d.Ends.SelectMany(e => e.Remarks.Select(r => (Remark: r, e.Address))).GroupBy(x => x.Remark).OrderBy(g => g.Key).Select(g => Words.Say($"remarks.{Wire.Name(g.Key)}", ("count", g.Count()), ("ends", Named([.. g.Select(x => x.Address)])))).ToList();
        yield return said.Count == 0 ? new Prose(Words["exceptions.none"]) : new BulletList(said);
        if (s.Spaces.Count > 0)
        {
            yield return new Heading(Words["spaces"], 2);
            yield return new Bars([.. s.Spaces.Select(x => new Bar(x.Code.Length == 0 ? Words["space.none"] : $"{x.Code} · {x.Name}", x.Proven, x.Planned, Words.Say("space.said", ("proven", x.Proven), ("planned", x.Planned))))], Words["spaces"]);
        }

        if (s.Losses.Count > 0)
        {
            yield return new Heading(Words["losses"], 2);
            yield return new Prose(Words["losses.intro"], Tone.Faint);
            yield return new Strips([.. s.Losses.Select(l => new Strip(
                Words.Say("loss.title", ("nm", l.WavelengthNm), ("count", l.Shares.Count)), Words.Say("loss.worst", ("end", l.Worst), ("loss", Db(l.WorstLossDb)), ("limit", Db(l.WorstLimitDb))), l.Shares, Words["loss.limit"], Words["loss.zero"],
                Words.Say("loss.alt", ("count", l.Shares.Count), ("nm", l.WavelengthNm), ("least", Math.Round(l.Shares[0] * 100)), ("most", Math.Round(l.Shares[^1] * 100)))))]);
        }

        var lines = Proof().ToList();
        if (lines.Count > 0)
        {
            yield return new Heading(Words["proof"], 2);
            yield return new BulletList(lines);
        }
    }

    private IEnumerable<string> Proof()
    {
        var s = _d.Summary;
        if (s.Proven > 0)
        {
            yield return Words.Say("proof.seen", ("count", s.Seen), ("proven", s.Proven), ("eye", s.SeenByEye));
        }

        if (s.Losses.Count > 0)
        {
            yield return Words.Say("proof.measured", ("count", s.Losses.Sum(l => l.Shares.Count)), ("wavelengths", string.Join(", ", s.Losses.Select(l => l.WavelengthNm))));
        }

        if (_d.Ends.Sum(e => e.Traces.Count) is > 0 and var traces)
        {
            yield return Words.Say(traces == 1 ? "proof.traced-one" : "proof.traced", ("count", traces));
        }

        if (s.SaidTogether > 0)
        {
            yield return Words.Say("proof.together", ("count", s.SaidTogether));
        }

        if (s.FirstTime is { } first && s.Proven > 0)
        {
            yield return Words.Say("proof.first", ("first", first), ("proven", s.Proven), ("attempts", s.Attempts), ("minutes", s.ReworkMinutes));
        }

        if (s.ShardsMissing > 0)
        {
            yield return Words.Say("proof.shards", ("count", s.ShardsMissing));
        }
    }

    private IEnumerable<Piece> Panel(DossierPlace place)
    {
        var ends = _at[place.PlaceId].ToList();
        var alike = ends.Select(Connector).Distinct().Count() == 1 && ends.Select(e => e.Method).Distinct().Count() == 1;
        yield return new Heading(place.Code, 1, OnNewPage: true);
        yield return new Prose(string.Join(" · ", new[] { Words.Say("panel.said", ("space", place.SpaceCode.Length == 0 ? Words["space.none"] : place.SpaceName), ("proven", place.Proven), ("planned", place.Planned)) }
            .Concat(alike ? [Connector(ends[0]), Words.Term("method", ends[0].Method)] : [])
            .Concat(ends.GroupBy(e => e.Cable).Select(g => $"{g.Key}: {g.First().FiberClass}, {Words.Term("construction", g.First().Construction)}, {g.First().LengthM.ToString("0.#", CultureInfo.InvariantCulture)} m").Take(6))));
        yield return new LoomPicture([.. ends.Select(Hanging)], Words.Say("loom.alt", ("code", place.Code), ("count", ends.Count), ("proven", place.Proven)));
        yield return Table(ends, alike);
    }

    private LoomThread Hanging(DossierEnd e) => new(
        e.Port.ToString(CultureInfo.InvariantCulture), Paint(e.Strand.Colour), e.Strand.Tracer,
        e.Status switch { EndStatus.Accepted => 1, _ when !Own => 0, EndStatus.Planned => 0, EndStatus.AtBench => 0.35, EndStatus.ToLook => 0.75, EndStatus.ToRemake => 0.2, _ => 0.9 }, e.Attempts?.Sum(a => a.Loops.Count) ?? 0, Shape(e));

    private Grid Table(IReadOnlyList<DossierEnd> ends, bool alike)
    {
        var names = _d.Choice.Names && ends.Any(e => e.MadeBy is not null);
        var oneCable = ends.Select(e => (e.Cable, e.Side)).Distinct().Count() == 1;
        var columns = new List<(GridColumn Column, Func<DossierEnd, object?> Cell)>
        {
            (new GridColumn(Words["table.end"]), e => e.Address),
            (new GridColumn(Words["table.strand"]), e => new StrandMark(Paint(e.Strand.Colour), e.Strand.Tracer, StrandName(e, oneCable))),
        };
        if (ends.Any(e => e.FarAddress is not null))
        {
            columns.Add((new(Words["table.far"]), e => e.FarAddress));
        }

        if (!alike)
        {
            columns.Add((new(Words["table.connector"]), Connector));
            columns.Add((new(Words["table.method"]), e => Words.Term("method", e.Method)));
        }

        columns.Add((new(Words["table.face"]), FaceSaid));
        foreach (var nm in ends.SelectMany(e => e.Losses.Select(l => l.WavelengthNm)).Distinct().Order())
        {
            columns.Add((new(Words.Say("table.loss-at", ("nm", nm))), e => LossSaid(e, nm)));
        }

        columns.Add((new(Words["table.state"]), e => new Mark(Shape(e), StateSaid(e))));
        if (ends.Any(e => e.AcceptedAt is not null))
        {
            columns.Add((new(Words["table.when"]), e => e.AcceptedAt is { } at ? Day(at) : null));
        }

        if (names)
        {
            columns.Add((new(Words["table.who"]), e => e.MadeBy));
        }

        if (Own)
        {
            columns.Add((new(Words["table.attempts"], true), e => (double)(e.Attempts?.Count ?? 0)));
        }

        return new([.. columns.Select(c => c.Column)], [.. ends.Select(e => (IReadOnlyList<object?>)[.. columns.Select(c => c.Cell(e))])]);
    }

    private IEnumerable<Piece> Faces()
    {
        var seen = _d.Ends.Where(e => e.Face?.PictureId is not null).ToList();
        if (seen.Count == 0)
        {
            yield break;
        }

        yield return new Heading(Words["faces"], 1, OnNewPage: true);
        yield return new Prose(Words["faces.intro"], Tone.Faint);
        yield return new PictureRows([.. seen.SelectMany(e => new[]
        {
            e.Face!.BeforeId is { } before ? new PictureCell(() => _means.Face(before), e.Address, Words.Say("face.before", ("day", Day(e.Face.At))), Words["face.missing"]) : null,
            new PictureCell(() => _means.Face(e.Face.PictureId!.Value), e.Address, Words.Say("face.after", ("verdict", Words[e.Face.Pass ? "face.pass" : "face.fail"]), ("day", Day(e.Face.At))), Words["face.missing"],
                new(e.Face.Pass ? MarkShape.Pass : MarkShape.Fail, "")),
        }).OfType<PictureCell>()]);
    }

    private IEnumerable<Piece> Photos() => _d.Photos.Count == 0 ? [] :
    [
        new Heading(Words["photos"], 1, OnNewPage: true),
        new PictureRows([.. _d.Photos.Select(p => new PictureCell(() => _means.Face(p.EvidenceId), p.Of ?? Words["photo.site"], string.Join(", ", new[] { Day(p.At), p.By }.OfType<string>()), Words["face.missing"]))], Across: 2),
    ];

    private IEnumerable<Piece> Traces()
    {
        var first = true;
        foreach (var (e, t, line) in _d.Ends.SelectMany(e => e.Traces.Select(t => (End: e, Trace: t, Line: _means.Trace(t.TraceId)))).Where(x => x.Line is { X.Count: > 1 }))
        {
            if (first)
            {
                yield return new Heading(Words["traces"], 1, OnNewPage: true);
                first = false;
            }

            var reflected = t.ReflectanceDb is { } r ? Words.Say("trace.reflectance", ("db", Db(r)), ("limit", Db(t.ReflectanceLimitDb))) : Words["trace.no-reflectance"];
            yield return new LineChart(
                Words.Say("trace.title", ("end", e.Address), ("nm", t.WavelengthNm), ("loss", Db(t.LossDb)), ("limit", Db(t.LossLimitDb)), ("reflectance", reflected), ("verdict", Words[t.Pass ? "trace.pass" : "trace.fail"])),
                line!.X, line.Y, "m", "dB", line.At(t.LossDb), Words.Say("trace.at", ("end", e.Address)),
                Words.Say("trace.alt", ("end", e.Address), ("nm", t.WavelengthNm), ("length", Math.Round(line.X[^1])), ("at", Math.Round(t.DistanceM, 1))));
        }
    }

    private IEnumerable<Piece> Splices()
    {
        var spliced = _d.Ends.Where(e => e.Splices.Count > 0).ToList();
        return spliced.Count == 0 ? [] :
        [
            new Heading(Words["splices"]),
            new Grid([new(Words["table.end"]), new(Words["table.splice"])], [.. spliced.Select(e => (IReadOnlyList<object?>)
                [e.Address, string.Join("; ", e.Splices.Select(s => Words.Say(s.Estimated ? "splice.estimated" : "splice.measured", ("loss", Db(s.LossDb)), ("nm", s.WavelengthNm))))])]),
        ];
    }

    private IEnumerable<Piece> Attempts()
    {
        var again = _d.Ends.Where(e => e.Attempts is { Count: > 1 } or [{ Loops.Count: > 0 }] || e.Attempts?.Any(a => a.Damages.Count > 0) == true).ToList();
        yield return new Heading(Words["attempts"]);
        if (again.Count == 0)
        {
            yield return new Prose(Words["attempts.none"]);
            yield break;
        }

        yield return new Prose(Words["attempts.intro"], Tone.Faint);
        var named = _d.Choice.Names;
        yield return new Grid(
            [new(Words["table.end"]), new(Words["table.no"], true), new(Words["table.tried"]), new(Words["table.minutes"], true), new(Words["table.slack"], true), .. named ? [new GridColumn(Words["table.made-by"])] : Array.Empty<GridColumn>()],
            [.. again.SelectMany(e => e.Attempts!.Select(a => (IReadOnlyList<object?>)
                [e.Address, (double)a.No, Tried(a), a.ReworkMinutes, a.SlackMm, .. named ? [a.By] : Array.Empty<object?>()]))]);
    }

    private static string Tried(DossierAttempt a) => string.Join("; ",
    [
        .. a.Loops.Select(l => l.Reason is { } r ? Words.Say("attempt.loop", ("reason", Words.Term("reason", r)), ("act", Millimetres(l.Act))) : Millimetres(l.Act)),
        .. a.Reason is { } reason ? [Words.Say("attempt.given-up", ("reason", Words.Term("reason", reason)))] : Array.Empty<string>(),
        .. a.Cause is { } cause ? [Words.Say("attempt.cause", ("reason", Words.Term("reason", cause)))] : Array.Empty<string>(),
        .. a.Damages.Select(x => Words.Say("attempt.damaged", ("what", Words.Term("damage", x)))),
    ]);

    private IEnumerable<Piece> Instruments()
    {
        yield return new Heading(Words["instruments"]);
        if (_d.Instruments.Count == 0)
        {
            yield return new Prose(Words["instruments.none"]);
            yield break;
        }

        yield return new Grid(
            [new(Words["table.instrument"]), new(Words["table.serial"]), new(Words["table.calibrated"]), new(Words["table.calibration-due"]), new(Words["table.certificate"]), new(Words["table.readings"], true)],
            [.. _d.Instruments.Select(i => (IReadOnlyList<object?>)[Called(i.Name, Words.Term("instrument", i.Kind)), i.Number, i.CalibratedOn is { } on ? Day(on) : null, i.DueOn is { } due ? Day(due) : null, i.Certificate, (double)i.Readings])]);
    }

    private static string Called(string name, string kind) => name.Equals(kind, StringComparison.OrdinalIgnoreCase) ? name : $"{name} ({kind})";

    private IEnumerable<Piece> ToolsAndLots() =>
    [
        .. _d.Tools.Count == 0 ? Array.Empty<Piece>() :
        [
            new Heading(Words["tools"]),
            new Grid([new(Words["table.tool"]), new(Words["table.serial"]), new(Words["table.calibration-due"]), new(Words["table.connectors"], true)],
                [.. _d.Tools.Select(t => (IReadOnlyList<object?>)[Called(t.Name, Words.Term("tool", t.Kind)), t.Number, t.DueOn is { } due ? Day(due) : null, (double)t.Connectors])]),
        ],
        .. _d.Lots.Count == 0 ? Array.Empty<Piece>() :
        [
            new Heading(Words["lots"]),
            new Grid([new(Words["table.item"]), new(Words["table.lot"]), new(Words["table.use-by"]), new(Words["table.connectors"], true), new(Words["table.in-spite-of"])],
                [.. _d.Lots.Select(l => (IReadOnlyList<object?>)[Millimetres(l.Item), l.Number, l.UseBy is { } day ? Day(day) : null, (double)l.Connectors, l.InSpiteOf])]),
        ],
    ];

    private IEnumerable<Piece> Standing() =>
    [
        new Heading(Words["standing"]),
        .. _d.Limits.Count == 0 ? Array.Empty<Piece>() : [new BulletList([.. _d.Limits.Select(l => Words.Say("standing.limits", ("limits", l)))])],
        .. _d.Procedures.Count == 0 ? Array.Empty<Piece>() :
        [
            new Grid([new(Words["table.procedure"]), new(Words["table.version"], true), new(Words["table.hash"])], [.. _d.Procedures.Select(p => (IReadOnlyList<object?>)[p.Name, (double)p.Version, p.Hash])]),
        ],
    ];

    /// <summary>Ports of one panel that follow each other are named as a row: MR-P1:7–12.</summary>
    private static string Named(IReadOnlyList<string> addresses)
    {
        var rows = new List<(string Place, int From, int To, string First, string Last)>();
        foreach (var address in addresses)
        {
            var at = address.LastIndexOf(':');
            var number = at > 0 && int.TryParse(address.AsSpan(at + 1), CultureInfo.InvariantCulture, out var n) ? n : -1;
            if (number > 0 && rows.Count > 0 && rows[^1] is var last && last.Place == address[..at] && last.To + 1 == number)
            {
                rows[^1] = last with { To = number };
            }
            else
            {
                rows.Add((at > 0 ? address[..at] : address, number, number, address, address));
            }
        }

        var said = rows.Select(r => r.From == r.To ? r.First : $"{r.First}\u2013{r.To}").ToList();
        return said.Count <= MostNamed ? string.Join(", ", said) : $"{string.Join(", ", said.Take(MostNamed))} {Words["exceptions.more"]}";
    }

    private static string Connector(DossierEnd e) => $"{Words.Term("form", e.Form)}/{e.Polish} {Words.Term("mode", e.Mode).ToLowerInvariant()}";

    private static string StrandName(DossierEnd e, bool oneCable)
    {
        var name = Words.Say(e.Strand.Tracer ? "strand.tracer" : "strand.one", ("number", e.Strand.Number), ("colour", Words.Term("colour", e.Strand.Colour)));
        return oneCable ? name : $"{e.Cable} {e.Side} {name}";
    }

    private static string FaceSaid(DossierEnd e) => Words[e.Face switch { null => "face.none", { Pass: false } => "face.bad", { PictureId: null } => "face.eye", _ => "face.picture" }];

    private static string LossSaid(DossierEnd e, int nm) => string.Join("; ", e.Losses.Where(l => l.WavelengthNm == nm).Select(l => Words.Say(
        l.Direction is null ? "loss.one" : "loss.way", ("loss", Db(l.LossDb)), ("limit", Db(l.LimitDb)), ("way", l.Direction is { } d ? Words[$"way.{Wire.Name(d)}"] : ""))));

    private string StateSaid(DossierEnd e) =>
        e.Status != EndStatus.Accepted ? Own ? Words.Term("status", e.Status) : Words["state.open"] : e.Verdict == EndVerdict.Pass ? Words.Term("status", e.Status) : Words.Term("verdict", e.Verdict);

    private MarkShape Shape(DossierEnd e) => (e.Status, e.Verdict) switch
    {
        (EndStatus.Accepted, EndVerdict.Marginal or EndVerdict.MarginalOver) => MarkShape.Marginal,
        (EndStatus.Accepted, _) => MarkShape.Accepted,
        // To a customer what is not accepted is open, however far it is.
        _ when !Own => MarkShape.Open,
        (EndStatus.NeedsDecision, _) => MarkShape.Decide,
        (EndStatus.ToRemake, _) => MarkShape.Fail,
        (_, EndVerdict.Pass) => MarkShape.Pass,
        _ => MarkShape.Open,
    };

    /// <summary>The strand colours of the standard, as the interface paints them.</summary>
    internal static string Paint(StrandColour colour) => colour switch
    {
        StrandColour.Blue => "#1f5fd0",
        StrandColour.Orange => "#f07d1a",
        StrandColour.Green => "#1f9a48",
        StrandColour.Brown => "#7b4a26",
        StrandColour.Slate => "#7d8790",
        StrandColour.White => "#ffffff",
        StrandColour.Red => "#d62a2a",
        StrandColour.Black => "#15181a",
        StrandColour.Yellow => "#f2cf1d",
        StrandColour.Violet => "#7d3fb5",
        StrandColour.Rose => "#f28fae",
        _ => "#33c5c9",
    };

    /// <summary>Words of a procedure carry their lengths apart, as in <c>{12 mm}</c>.</summary>
    private static string Millimetres(string words) => Lengths().Replace(words, m => m.Groups[2].Value == "in" ? string.Create(CultureInfo.InvariantCulture, $"{double.Parse(m.Groups[1].Value, CultureInfo.InvariantCulture) * 25.4:0.#} mm") : $"{m.Groups[1].Value} mm");

    [GeneratedRegex(@"\{([\d.]+) (mm|in)\}")]
    private static partial Regex Lengths();

    /// <summary>With the minus that print has.</summary>
    private static string Db(double db) => db.ToString("0.00", CultureInfo.InvariantCulture).Replace('-', '\u2212');

    private static string Day(LocalDate day) => day.ToString("d MMM uuuu", CultureInfo.InvariantCulture);

    private string Day(Instant at) => Day(SiteDates.On(at, _d.Job.TimeZone));

    private string Time(Instant at) => SiteDates.Local(at, _d.Job.TimeZone).ToString("d MMM uuuu HH:mm", CultureInfo.InvariantCulture);
}
