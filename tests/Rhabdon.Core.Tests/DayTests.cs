using Rhabdon.Core.Connectors;
using Rhabdon.Core.Day;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Folder;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>A site's day, what the customer pays for it, and whose the files of an instrument are. All worked by hand.</summary>
public class DayTests
{
    private static readonly PlaceId Panel = PlaceId.New();
    private static readonly PersonId Joss = PersonId.New(), Edda = PersonId.New();

    private static Instant At(int day, int hour, int minute = 0) => Instant.FromUtc(2026, 7, day, hour, minute);

    private static AttemptState Run(Instant begun, Instant? accepted = null, Instant? closed = null) => new()
    {
        No = 1,
        RunId = RunId.New(),
        ProcedureId = Repo.Wedge.ProcedureId,
        ProcedureVersion = 1,
        StartedBy = Joss,
        DeviceId = default,
        StartedAt = begun,
        Position = Bench.RunPosition.At(Repo.Wedge),
        Phase = default,
        AcceptedAt = accepted,
        Closed = closed is { } at ? new ClosedState(at, default, ReworkReason.EdgeChip, true, null) : null,
    };

    private static SourceEnd End(int port, ConnectorForm form, params AttemptState[] runs) => new(
        new(Guid.Parse($"00000000-0000-7000-8000-{port:000000000000}")), $"MR-P1:{port}", null, "MR", "Main room", Panel, "MR-P1", port, 1, "T-24", Strands.At(port, StrandLay.Usual), "A", null,
        FiberClass.OM3, CableConstruction.Cordage30, 300, form, Polish.UPC, FiberMode.Multimode, TerminationMethod.WedgeLocked, null, null, null, EndState.Empty(new(Guid.Parse($"00000000-0000-7000-8000-{port:000000000000}"))) with { Attempts = runs });

    private static DossierSource Source(params SourceEnd[] ends) => new(
        "Ledge and Lantern", "", "Gullrock", "Tower", "Europe/London", new LocalDate(2026, 8, 1), ends, new Dictionary<PersonId, string> { [Joss] = "Joss", [Edda] = "Edda" },
        new Dictionary<InstrumentId, InstrumentState>(), new Dictionary<ToolId, ToolState>(), [], new Dictionary<EvidenceId, string>(), Repo.Rules);

    [Fact]
    public void A_day_is_the_sites_own_and_what_stood_in_the_way_counts_as_far_as_it_had_come()
    {
        // In July London is an hour ahead: 23:30 of the 13th by the clock of the world is 0:30 of the 14th there.
        var source = Source(
            End(1, ConnectorForm.SC, Run(At(13, 23, 30), At(14, 8))), End(2, ConnectorForm.SC, Run(At(14, 9), closed: At(14, 9, 20)), Run(At(14, 10), At(14, 11))),
            End(3, ConnectorForm.LC, Run(At(13, 9), At(13, 10), closed: At(14, 12))), End(4, ConnectorForm.LC));
        DayEntry[] entries =
        [
            new(source.Ends[0].EndId, Joss, At(13, 23, 30), EventKind.AttemptStarted), new(source.Ends[0].EndId, Joss, At(14, 8), EventKind.Accepted), new(source.Ends[1].EndId, Edda, At(14, 9), EventKind.AttemptStarted),
            new(source.Ends[1].EndId, Edda, At(14, 9, 20), EventKind.AttemptClosed), new(source.Ends[1].EndId, Edda, At(14, 10), EventKind.AttemptStarted), new(source.Ends[1].EndId, Edda, At(14, 11), EventKind.Accepted),
            new(source.Ends[2].EndId, Joss, At(14, 12), EventKind.AttemptClosed), new(source.Ends[3].EndId, Joss, At(14, 23, 5), EventKind.Noted),
        ];
        var job = new JobState
        {
            Id = default,
            Blocks =
            [
                new(default, At(13, 21), Edda, BlockReason.NoAccess, null, "the keeper has the key", At(14, 7)), new(default, At(14, 15), Joss, BlockReason.NoPower, Panel, null), new(default, At(12, 7), Joss, BlockReason.NoPower, Panel, null, At(12, 9)),
            ],
        };
        var day = DayReports.Of(source, entries, job, new(2026, 7, 14), At(14, 18));
        Assert.Equal((2, 2, 2, 2, 4), (day.Begun, day.Accepted, day.GivenUp, day.AcceptedByThen, day.Planned));
        Assert.Equal([("Joss", At(13, 23, 30), At(14, 12), 1), ("Edda", At(14, 9), At(14, 11), 1)], day.People.Select(p => (p.Name, p.FirstAt, p.LastAt, p.Accepted)));
        // From midnight there (23:00) to 7:00: 8 of the 10 hours; the other until now: 15:00 to 18:00.
        Assert.Equal([(BlockReason.NoAccess, (string?)null, 8.0, 10.0), (BlockReason.NoPower, "MR-P1", 3.0, 3.0)], day.Blocks.Select(b => (b.Reason, b.Place, b.Hours, b.HoursInAll)));
        Assert.Equal((1, 2), (DayReports.Of(source, entries, job, new(2026, 7, 13), At(14, 18)).AcceptedByThen, day.Places.Single().AcceptedByThen));
    }

    [Fact]
    public void An_invoice_asks_for_what_was_accepted_in_its_time_and_takes_back_what_was_given_up()
    {
        var source = Source(
            End(1, ConnectorForm.SC, Run(At(1, 9), At(1, 10))), End(2, ConnectorForm.SC, Run(At(14, 9), At(14, 10))), End(3, ConnectorForm.SC, Run(At(14, 9), At(14, 22, 59))), End(4, ConnectorForm.SC, Run(At(14, 9), At(14, 23))),
            End(5, ConnectorForm.LC, Run(At(1, 9), At(1, 10), closed: At(14, 9))), End(6, ConnectorForm.ST, Run(At(14, 9), At(14, 10))));
        JobPrices prices = new("EUR", [new(TerminationMethod.WedgeLocked, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode, 21.50m), new(TerminationMethod.WedgeLocked, ConnectorForm.LC, Polish.UPC, FiberMode.Multimode, 30m)]);
        var invoice = ProgressInvoices.Of(source, prices, new(2026, 7, 10), new(2026, 7, 14));
        // SC: one before, two in the time (the fourth is of the next day at the site): 43.00. LC: one taken back: −30. ST has no price.
        Assert.Equal([(ConnectorForm.SC, 4, 1, 2, (decimal?)43m), (ConnectorForm.LC, 1, 1, -1, -30m), (ConnectorForm.ST, 1, 0, 1, null)], invoice.Lines.Select(l => (l.Form, l.Planned, l.AcceptedBefore, l.Accepted, l.Amount)).OrderBy(l => -l.Planned).ThenByDescending(l => l.AcceptedBefore));
        Assert.Equal((51.50m, 13m, 1), (invoice.Before, invoice.Amount, invoice.Unpriced));
    }

    [Fact]
    public void A_file_is_whose_name_it_bears_else_whom_the_time_tells_and_no_guess_is_made()
    {
        FolderEnd Of(int port, params Instant[] entries) => new(EndId.New(), Panel, $"MR-P1:{port}", $"MR-P1-{port}", entries);
        FolderEnd[] ends = [Of(1, At(14, 9)), Of(3, At(14, 10)), Of(31, At(14, 10, 30)), Of(4, At(14, 11)), Of(5, At(14, 11, 0))];
        FolderFile[] files =
        [
            new("MR-P1-03_1310.sor", null), new("mr p1 31.SOR", null), new("MR-P1-3 and MR-P1-31.png", null), new("IMG_20.jpg", At(14, 9, 2)), new("IMG_21.jpg", At(14, 11, 1)), new("IMG_22.jpg", At(14, 14)), new("notes.docx", null), new("IMG_23.jpg", null),
            new("meter.csv", null, [["port", "loss"], ["MR-P1-3", "0.3"], ["MR-P1:31", "0.2"], ["MR-P1-99", "0.2"]]),
        ];
        var matched = FolderMatches.Of(files, ends, FolderMatches.UsualWithin);
        Assert.Equal(
            [(FolderFileKind.Trace, "MR-P1:3", MatchedBy.Name), (FolderFileKind.Trace, "MR-P1:31", MatchedBy.Name), (FolderFileKind.Picture, null, null), (FolderFileKind.Picture, "MR-P1:1", MatchedBy.Time), (FolderFileKind.Picture, null, null),
             (FolderFileKind.Picture, null, null), (FolderFileKind.Other, null, null), (FolderFileKind.Picture, null, null), (FolderFileKind.Results, (string?)null, (MatchedBy?)null)],
            matched.Select(m => (m.Kind, m.Address, m.By)));
        Assert.Equal(["MR-P1:3", "MR-P1:31"], matched[2].Candidates.Order());
        Assert.Equal(["MR-P1:4", "MR-P1:5"], matched[4].Candidates.Order()); // both were said of at eleven
        Assert.Equal(2, matched[3].MinutesApart);
        Assert.Equal(new FolderPlace(Panel, 2), Assert.Single(matched[8].Places));
        Assert.Equal("MR-P1-3-A", FolderMatches.Safe("MR/P1:3 A?"));
    }
}
