using System.Text;
using CsCheck;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>What a dossier says, in either edition, and what it leaves unsaid.</summary>
public class HandoverTests
{
    private static readonly DossierChoice Customer = new(DossierEdition.Customer), Company = new(DossierEdition.Company, Names: true);

    private static readonly SpaceId Room = SpaceId.New();
    private static readonly PlaceId Panel = PlaceId.New(), Other = PlaceId.New();
    private static readonly InstrumentId Meter = InstrumentId.New();

    private static EndStory Measured(double first = 0.9, double second = 0.7, Action<EndStory>? before = null)
    {
        var story = new EndStory(Repo.Wedge) { Plan = new(FiberClass.OM3, 300, Polish.UPC, TerminationMethod.WedgeLocked, Repo.Tia.Id, 2, 0) { Instruments = new Dictionary<InstrumentId, KnownInstrument> { [Meter] = new(0.05, null) } } };
        story.Start().WalkTo();
        before?.Invoke(story);
        story.Look(new Finding(Zone.B, FindingKind.Pit, 1));
        foreach (var (nm, loss) in new[] { (850, first), (1300, second) })
        {
            story.Tell(EventKind.Measured, new Measured(story.RunId, ReferenceMethod.OneCord, nm, -20, -20 - loss, Into: MeasuredInto.FinishedConnector, InstrumentId: Meter));
        }

        return story;
    }

    private static EndState Accepted(EndStory story, string? note = null)
    {
        story.Tell(EventKind.Accepted, new Accepted(story.RunId, note));
        return story.State;
    }

    private static SourceEnd End(int port, EndState state, PlaceId? place = null) => new(
        new(Guid.Parse($"00000000-0000-7000-8000-{port:000000000000}")), $"MR-P1:{port}", place == Other ? null : Room, "MR", "Main room", place ?? Panel, "MR-P1", port, 1, "T-24", Strands.At(port, StrandLay.Usual), "A", $"TR-P1:{port}",
        FiberClass.OM3, CableConstruction.Cordage30, 300, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode, TerminationMethod.WedgeLocked, FiberClass.OM3, Repo.Wedge.ProcedureId, Repo.Wedge.Version, state);

    private static DossierSource Source(params SourceEnd[] ends) => new(
        "Ledge and Lantern", "LL-1", "Gullrock", "Tower", "Europe/London", new LocalDate(2027, 1, 1), ends, new Dictionary<PersonId, string> { [default] = "Joss Arkwright" },
        new Dictionary<InstrumentId, InstrumentState>
        {
            [Meter] = new()
            {
                Id = Meter.As<Ids.Stream>(),
                CrewId = default,
                Kind = InstrumentKind.PowerMeter,
                Name = "Meter",
                Number = "M-1",
                // What held when it was read with, and what was done to it since.
                Calibrations = [new(default, default, default, new(1969, 3, 1), new LocalDate(1970, 3, 1), "first"), new(default, default, default, new(1971, 3, 1), new LocalDate(1972, 3, 1), "later")],
            },
        }, new Dictionary<ToolId, ToolState>(), [], new Dictionary<EvidenceId, string>(), Repo.Rules);

    [Fact]
    public void The_customer_is_told_what_was_accepted_and_of_the_rest_only_that_it_is_open()
    {
        var source = Source(End(1, Accepted(Measured())), End(2, Measured().State), End(3, new EndStory(Repo.Wedge).Start().State), End(4, EndState.Empty(default)));
        var (theirs, ours) = (Dossiers.Of(source, Customer), Dossiers.Of(source, Company));
        Assert.Equal((4, 1, 3), (theirs.Summary.Planned, theirs.Summary.Proven, theirs.Summary.Exceptions));
        Assert.Equal([2, 0, 0, 0], theirs.Ends.Select(e => e.Losses.Count));
        Assert.All(theirs.Ends, e => Assert.Equal((null, null), (e.MadeBy, e.Attempts)));
        Assert.All(theirs.Ends.Skip(1), e => Assert.Equal((EndVerdict.None, null, [EndRemark.Open]), (e.Verdict, e.Face, e.Remarks.ToArray()), Deep.Instance));
        Assert.DoesNotContain("Joss", Encoding.UTF8.GetString(Dossiers.Bytes(theirs)));
        Assert.Equal([2, 2, 0, 0], ours.Ends.Select(e => e.Losses.Count));
        Assert.Equal("Joss Arkwright", ours.Ends[0].MadeBy);
        Assert.Equal((1, 3), (ours.Summary.FirstTime, ours.Summary.Attempts));
        Assert.Equal((null, null), (theirs.Summary.FirstTime, theirs.Summary.Attempts));

        // 0.9 of 2.40 dB and 0.7 of 1.95 (2 × 0.75 and 300 m at 3.0 and 1.5 dB/km, ANSI/TIA-568.3-D from memory): worked by hand.
        Assert.Equal([(850, 0.375), (1300, 0.3590)], theirs.Summary.Losses.Select(l => (l.WavelengthNm, Math.Round(l.Shares[0], 4))));
        Assert.Equal((new LocalDate(1969, 3, 1), "first", 2), (theirs.Instruments[0].CalibratedOn!.Value, theirs.Instruments[0].Certificate, theirs.Instruments[0].Readings));
        Assert.Equal(new[] { Repo.EndFace.Edition, Repo.Tia.Edition }.Order(StringComparer.Ordinal), theirs.Limits);
    }

    private sealed class Deep : IEqualityComparer<(EndVerdict, DossierFace?, EndRemark[])>
    {
        public static readonly Deep Instance = new();

        public bool Equals((EndVerdict, DossierFace?, EndRemark[]) a, (EndVerdict, DossierFace?, EndRemark[]) b) => (a.Item1, a.Item2) == (b.Item1, b.Item2) && a.Item3.SequenceEqual(b.Item3);

        public int GetHashCode((EndVerdict, DossierFace?, EndRemark[]) of) => 0;
    }

    [Fact]
    public void What_is_to_be_said_of_a_connector_is_said()
    {
        EndRemark[] Of(EndState state) => [.. Dossiers.Of(Source(End(1, state)), Customer).Ends[0].Remarks];
        Assert.Empty(Of(Accepted(Measured())));
        Assert.Equal([EndRemark.Marginal], Of(Accepted(Measured(first: 2.38))));
        Assert.Equal([EndRemark.MarginalOver], Of(Accepted(Measured(first: 2.43), "the link has a decibel to spare")));
        var damaged = Measured();
        Accepted(damaged);
        damaged.Tell(EventKind.Damaged, new Damaged(damaged.RunId, DamageKind.JacketCut, Usable: true));
        Assert.Equal([EndRemark.Damaged], Of(damaged.State));
        damaged.Tell(EventKind.Damaged, new Damaged(damaged.RunId, DamageKind.FaceStruck, Usable: false));
        Assert.Equal([EndRemark.Open], Of(damaged.State));

        // What is chosen is in it, and the summary counts all of that choice.
        var source = Source(End(1, Accepted(Measured())), End(2, Accepted(Measured(first: 2.38))), End(3, EndState.Empty(default), Other));
        var exceptions = Dossiers.Of(source, Customer with { ExceptionsOnly = true });
        Assert.Equal((["MR-P1:2", "MR-P1:3"], 3), (exceptions.Ends.Select(e => e.Address).ToArray(), exceptions.Summary.Planned), Same.Instance);
        Assert.Equal((["MR-P1:3"], 1), (Dossiers.Of(source, Customer with { PlaceIds = [Other] }).Ends.Select(e => e.Address).ToArray(), Dossiers.Of(source, Customer with { PlaceIds = [Other] }).Summary.Planned), Same.Instance);
        Assert.Equal((["MR-P1:1", "MR-P1:2"], 2), (Dossiers.Of(source, Customer with { SpaceIds = [Room] }).Ends.Select(e => e.Address).ToArray(), Dossiers.Of(source, Customer with { SpaceIds = [Room] }).Summary.Planned), Same.Instance);
    }

    private sealed class Same : IEqualityComparer<(string[], int)>
    {
        public static readonly Same Instance = new();

        public bool Equals((string[], int) a, (string[], int) b) => a.Item2 == b.Item2 && a.Item1.SequenceEqual(b.Item1);

        public int GetHashCode((string[], int) of) => 0;
    }

    [Fact]
    public void A_later_dossier_says_what_is_otherwise()
    {
        var accepted = Accepted(Measured());
        var open = Measured();
        DossierChoice choice = Company;
        var before = Dossiers.Of(Source(End(1, accepted), End(2, open.State), End(3, EndState.Empty(default))), choice);
        Assert.Empty(DossierChanges.Between(before, Dossiers.Of(Source(End(1, accepted), End(2, open.State), End(3, EndState.Empty(default))), choice)));

        var remade = new EndStory(Repo.Wedge);
        var after = Dossiers.Of(Source(End(1, Accepted(Measured(0.8))), End(2, Accepted(open)), End(4, EndState.Empty(default))), choice);
        Assert.Equal(["MR-P1:1 proven-again", "MR-P1:2 proven", "MR-P1:4 added", "MR-P1:3 dropped"], DossierChanges.Between(before, after).Select(c => $"{c.Address} {string.Join(' ', c.Changes.Select(Wire.Name))}"));
        Assert.Equal(["MR-P1:1 reopened"], DossierChanges.Between(before, Dossiers.Of(Source(End(1, remade.Start().State), End(2, Measured().State), End(3, EndState.Empty(default))), choice)).Select(c => $"{c.Address} {Wire.Name(c.Changes[0])}").Take(1));
        var moved = Source(End(1, accepted) with { Address = "MR-P1:9", Port = 9 }, End(2, open.State), End(3, EndState.Empty(default)));
        Assert.Contains(DossierChanges.Between(before, Dossiers.Of(moved, choice)), c => c.Changes.Contains(EndChange.Replanned));
    }

    [Fact]
    public void The_checklist_counts_what_is_open_and_names_it()
    {
        var checks = HandoverChecklist.Of(Source(End(1, Accepted(Measured())), End(2, Measured().State), End(3, new EndStory(Repo.Wedge).Start().State), End(4, EndState.Empty(default))), refused: 2).ToDictionary(c => c.Kind);
        Assert.Equal(Enum.GetValues<CheckKind>().Order(), checks.Keys.Order());
        Assert.Equal((2, 1, 2, 0, 1), (checks[CheckKind.Open].Count, checks[CheckKind.AtBench].Count, checks[CheckKind.Refused].Count, checks[CheckKind.Marginal].Count, checks[CheckKind.NoPicture].Count));
        Assert.Equal(["MR-P1:2", "MR-P1:4"], checks[CheckKind.Open].Ends.Select(e => e.Address));
    }

    /// <summary>Whatever sheet can be printed: no two labels lie on one another, none beyond the page, and what was taken off before stays empty.</summary>
    [Fact]
    public void No_label_lies_on_another_or_beyond_its_page()
    {
        var sheets = Gen.Select(Gen.Int[1, 8], Gen.Int[0, 15], Gen.Double[5, 60], Gen.Double[5, 40], Gen.Double[0, 6], Gen.Double[0, 6]).Select((columns, rows, width, height, gapX, gapY) =>
            new LabelSheet("S", Math.Min(420, 4 + (columns * width) + ((columns - 1) * gapX)), Math.Min(420, 4 + (Math.Max(1, rows) * height) + ((Math.Max(1, rows) - 1) * gapY)), columns, rows, width, height, 4, 4, gapX, gapY)).Where(s => !s.Faults("s").Any());
        Gen.Select(sheets, Gen.Int[1, 40], Gen.Double[0, 0.999]).Sample((sheet, count, from) =>
        {
            var start = 1 + (int)(from * sheet.PerPage);
            var places = Enumerable.Range(0, count).Select(i => sheet.Place(i, start)).ToList();
            Assert.Equal(0, places[0].Page);
            Assert.All(places, p => Assert.True(p.XMm + sheet.LabelWidthMm <= sheet.PageWidthMm + 0.1 && p.YMm + sheet.LabelHeightMm <= sheet.PageHeightMm + 0.1));
            foreach (var (a, b) in places.Zip(places.Skip(1)))
            {
                Assert.True(a.Page < b.Page || b.YMm >= a.YMm + sheet.LabelHeightMm - 1e-9 || b.XMm >= a.XMm + sheet.LabelWidthMm - 1e-9);
            }

            Assert.Equal((sheet.IsTape ? count - 1 : (count + start - 2) / sheet.PerPage), places[^1].Page);
        }, iter: 400);
    }

    [Fact]
    public void A_label_says_what_its_scheme_names_and_a_scheme_that_names_two_alike_is_refused()
    {
        var source = Source(End(1, EndState.Empty(default)), End(13, EndState.Empty(default)));
        string[] First(LabelKind kind, string? template = null) => [.. Labels.Of(source, kind, template, c => c.ToString().ToLowerInvariant())[^1].Lines];
        Assert.Equal(["MR-P1:13", "T-24 13A blue"], First(LabelKind.Port));
        Assert.Equal(["T-24:13A", "MR-P1:13", "> TR-P1:13"], First(LabelKind.Connector));
        Assert.Equal(["LL-1/Gullrock/SC/UPC/13"], First(LabelKind.Port, "{job}/{customer}/{form}/{polish}/{port}"));
        Assert.Single(Labels.Of(source, LabelKind.Cable, null, c => c.ToString()));
        Assert.Equal("labels-alike", Assert.Throws<RefusedException>(() => Labels.Of(source, LabelKind.Port, "{space}", c => "")).Refusals[0].Code);
        Assert.Equal("template-field", Assert.Throws<RefusedException>(() => Labels.Of(source, LabelKind.Port, "{port} {shelf}", c => "")).Refusals[0].Code);
    }
}
