using System.Text.Json;
using Microsoft.AspNetCore.Identity;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;
using Rhabdon.Store;

namespace Rhabdon.Server.Demo;

/// <summary>Loads the invented demo once, through the same doors that people use.</summary>
public sealed class DemoLoader(People people, Store.Jobs jobs, Store.Plan plan, Assignments assignments, Intake intake, EvidenceStore evidence, FactBook facts, Documents documents, IPasswordHasher<string> hasher, TimeProvider clock)
{
    private const int BatchSize = 1500;

    /// <summary>Attenuation that a good cable shows, in dB/km; common practice, well under the limits.</summary>
    private static readonly Dictionary<int, double> TypicalDbPerKm = new() { [850] = 2.4, [1300] = 0.7, [1310] = 0.34, [1550] = 0.2 };

    /// <param name="year">With the year before it.</param>
    /// <returns>False when there is a company already; nothing is touched then.</returns>
    public async Task<bool> LoadOnce(bool year = false)
    {
        if (await people.AnyCompany())
        {
            return false;
        }

        // Of an empty ledger all is counted: from here on facts only follow.
        while ((await facts.Follow()).More)
        {
        }

        var scenario = YamlText.Read<DemoScenario>(await File.ReadAllTextAsync(Path.Combine(AppContext.BaseDirectory, "demo", "gullrock.yaml"))).Near(clock.GetCurrentInstant());
        await Load(year ? scenario : scenario with { Year = null });
        return true;
    }

    private async Task Load(DemoScenario d)
    {
        var random = new Random(d.Seed);
        Guid NewId() => DemoIds.At(d.StartsAt, random);

        var company = new CompanyId(NewId());
        var hash = hasher.HashPassword("", d.Password);
        var personIds = d.People.ToDictionary(p => p.Login, _ => new PersonId(NewId()));
        var office = d.People.First(p => p.Role == Role.Office);
        await people.SetUp(company, d.Company, personIds[office.Login], office.Name, office.Login, hash);
        var crews = d.Crews.ToDictionary(c => c, _ => new CrewId(NewId()));
        foreach (var (name, id) in crews)
        {
            await people.AddCrew(company, id, name);
        }

        foreach (var p in d.People.Where(p => p != office))
        {
            await people.AddPerson(company, personIds[p.Login], p.Crew is null ? null : crews[p.Crew], p.Name, p.Login, p.Role, hash);
        }

        // Its id is known before it is in anybody's case: what was read with it names it.
        var meter = new InstrumentId(DemoIds.At(d.StartsAt, new Random(d.Seed + 3)));
        var owner = d.Kit.First(k => k.Instrument == InstrumentKind.PowerMeter).By;
        var tellers = d.People.Where(p => p.Crew is not null)
            .ToDictionary(p => p.Login, p => new DemoTeller(new Random(random.Next()), d.StartsAt, new DeviceId(NewId()), personIds[p.Login], documents.Rules) { Meter = p.Crew == d.People.First(x => x.Login == owner).Crew ? meter : null });
        foreach (var k in d.Kit.Where(k => k.Instrument == InstrumentKind.PowerMeter))
        {
            Instrument(k, tellers[k.By], crews[d.People.First(p => p.Login == k.By).Crew!], meter.As<Ids.Stream>());
        }

        foreach (var job in d.Jobs)
        {
            var jobId = await LoadJob(job, company, crews[job.Crew], NewId, tellers, random.Next());
            await Assign(job, company, jobId, office.Login, personIds, d, crews, NewId);
            await jobs.SetViewers(company, jobId, [.. (job.Viewers ?? []).Select(v => personIds[v])]);
        }

        Equip(d, crews, tellers, NewId);
        foreach (var p in d.People.Where(p => p.Crew is not null))
        {
            var scope = new Scope(company, personIds[p.Login], p.Role, crews[p.Crew!]);
            await Keep(scope, tellers[p.Login]);
            await Send(scope, tellers[p.Login]);
        }

        if (d.Year is { } year)
        {
            await LoadYear(d, year, company, crews, personIds, hash);
        }
    }

    /// <summary>What was photographed and traced comes before what cites it.</summary>
    private async Task Keep(Scope scope, DemoTeller teller)
    {
        foreach (var kept in teller.Evidence)
        {
            await evidence.Keep(scope.CompanyId, scope.PersonId, kept.Id, Holder.OfEnd(kept.EndId), kept.Kind, kept.ContentType, kept.Bytes, kept.At, kept.Read);
        }
    }

    private async Task Send(Scope scope, DemoTeller teller)
    {
        foreach (var batch in teller.Said.Chunk(BatchSize))
        {
            var result = await intake.Append(scope, [.. batch.Select(b => b.In)], batch[^1].At);
            if (result.Events.FirstOrDefault(e => e.Outcome != IntakeOutcome.Stored) is { } bad)
            {
                throw new InvalidOperationException($"The demo's own event was refused: {bad.Refusal?.Plain}");
            }
        }
    }

    /// <summary>Each week a job of each crew, worked on its Monday and done.</summary>
    private async Task LoadYear(DemoScenario d, DemoYear year, CompanyId company, Dictionary<string, CrewId> crews, Dictionary<string, PersonId> personIds, string hash)
    {
        var seeds = new Random(d.Seed + 1);
        var begins = d.StartsAt - Duration.FromDays(7 * (year.Weeks + 1));
        crews[year.Crew] = new(DemoIds.At(begins, seeds));
        await people.AddCrew(company, crews[year.Crew], year.Crew);
        foreach (var p in year.People)
        {
            personIds[p.Login] = new(DemoIds.At(begins, seeds));
            await people.AddPerson(company, personIds[p.Login], crews[p.Crew!], p.Name, p.Login, p.Role, hash);
        }

        var all = d.People.Concat(year.People).ToDictionary(p => p.Login);
        // Each crew has its own chance, so that the year is the same whoever is first.
        await Task.WhenAll(year.By.Select(by => (By: by, Chance: new Random(seeds.Next()))).ToList().Select(x => Task.Run(() =>
            LoadYearOf(x.By, x.Chance, begins, d, year, company, crews[all[x.By].Crew!], new(company, personIds[x.By], all[x.By].Role, crews[all[x.By].Crew!]), all[x.By].Crew!))));

        // Its own chance, so that the year is the same with it and without.
        var own = new Random(d.Seed + 2);
        var teller = new DemoTeller(new(own.Next()), d.StartsAt, new(DemoIds.At(begins, own)), personIds[year.Job.Rows[0].By], documents.Rules);
        await LoadJob(year.Job, company, crews[year.Job.Crew], () => DemoIds.At(d.StartsAt, own), new() { [year.Job.Rows[0].By] = teller }, own.Next());
        var scope = new Scope(company, personIds[year.Job.Rows[0].By], Role.Installer, crews[year.Job.Crew]);
        await Keep(scope, teller);
        await Send(scope, teller);
    }

    private async Task LoadYearOf(string by, Random random, Instant begins, DemoScenario d, DemoYear year, CompanyId company, CrewId crew, Scope scope, string crewName)
    {
        Guid NewId() => DemoIds.At(begins, random);
        var cleaver = new ToolId(NewId());
        var (tool, order) = (year.Tools.First(t => t.By == by), year.By.ToList().IndexOf(by));
        var first = new DemoTeller(new(random.Next()), begins, new(NewId()), scope.PersonId, documents.Rules);
        first.Tell(StreamKind.Tool, cleaver.As<Ids.Stream>(), StreamEventKind.ToolAdded, new ToolAdded(crew, tool.Tool!.Value, tool.Name, tool.Number));
        await Send(scope, first);
        for (var week = 0; week < year.Weeks; week++)
        {
            var (at, lot, cable) = (begins + Duration.FromDays(7 * week), year.LotOf(week), $"Y{week + 1:00}");
            var site = year.Sites[((week * year.By.Count) + order) % year.Sites.Count];
            var teller = new DemoTeller(new(random.Next()), at, new(NewId()), scope.PersonId, documents.Rules) { Lot = lot, Cleaver = cleaver, Photographed = false };
            DemoRow Row(CableSide side, string panel, TerminationMethod method, FiberClass? stub)
            {
                var bad = year.BadOf(crewName, week, method, lot, tool.Number!);
                return new(cable, side, panel, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode, method, by,
                    [.. Enumerable.Range(0, year.Strands).Select(_ => random.NextDouble() >= bad ? "accepted 1" : random.Next(3) == 0 ? "remade 1" : "looped 1")], stub);
            }

            await LoadJob(
                new DemoJob(
                    d.Jobs[0].Customer, site, d.Jobs[0].TimeZone, at.InUtc().Date.PlusDays(4).ToString("uuuu-MM-dd", null), d.Jobs[0].LimitSetId, crewName, [new("A", site)],
                    [new("P1", "A", 12, ConnectorForm.SC, false), new("P2", "A", 12, ConnectorForm.SC, false)], [new(cable, FiberClass.OM3, CableConstruction.Cordage30, year.Strands, 40 + random.Next(80), 1200, 1200)],
                    [Row(CableSide.A, "A-P1", TerminationMethod.WedgeLocked, FiberClass.OM3), Row(CableSide.B, "A-P2", TerminationMethod.ColdCure, null)]),
                company, crew, NewId, new() { [by] = teller }, random.Next());
            await Send(scope, teller);
        }
    }

    /// <summary>What the crews have in their cases, and a container in which a shard is missing.</summary>
    private static void Equip(DemoScenario d, Dictionary<string, CrewId> crews, Dictionary<string, DemoTeller> tellers, Func<Guid> newId)
    {
        foreach (var k in d.Kit)
        {
            var (teller, crew, id) = (tellers[k.By], crews[d.People.First(p => p.Login == k.By).Crew!], new StreamId(newId()));
            if (k.Tool is { } tool)
            {
                teller.Tell(StreamKind.Tool, id, StreamEventKind.ToolAdded, new ToolAdded(crew, tool, k.Name, k.Number));
                teller.Tell(StreamKind.Tool, id, StreamEventKind.ToolUsed, new ToolUsed(Arcs: k.Arcs, Cleaves: k.Cleaves));
                if (k.ArcsSinceCharge > 0)
                {
                    teller.Tell(StreamKind.Tool, id, StreamEventKind.ToolReset, new ToolReset(ToolResetKind.Charged));
                    teller.Tell(StreamKind.Tool, id, StreamEventKind.ToolUsed, new ToolUsed(Arcs: k.ArcsSinceCharge));
                }

            }
            else if (k.Instrument is { } instrument)
            {
                if (instrument != InstrumentKind.PowerMeter)
                {
                    Instrument(k, teller, crew, id);
                }
            }
            else
            {
                teller.Tell(StreamKind.Lot, id, StreamEventKind.LotOpened, new LotOpened(crew, k.Name, k.Number ?? "", k.UseBy));
            }
        }

        var last = tellers[d.MissesAShard];
        last.Close();
        last.MissOne(last.LastBatch);
    }

    private static void Instrument(DemoKit k, DemoTeller teller, CrewId crew, StreamId id)
    {
        teller.Tell(StreamKind.Instrument, id, StreamEventKind.InstrumentAdded, new InstrumentAdded(crew, k.Instrument!.Value, k.Name, k.Number, k.RepeatabilityDb));
        teller.Tell(StreamKind.Instrument, id, StreamEventKind.Calibrated, new Calibrated(k.CalibratedOn!.Value, k.CalibratedOn!.Value.PlusYears(1), Certificate: k.Certificate));
    }

    private async Task<JobId> LoadJob(DemoJob j, CompanyId company, CrewId crew, Func<Guid> newId, Dictionary<string, DemoTeller> tellers, int seed)
    {
        var jobId = new JobId(newId());
        await jobs.Add(company, jobId, new(j.Number ?? "", j.Customer, j.Site, j.TimeZone, j.DueOn, j.LimitSetId, null, crew));
        var spaces = j.Spaces.ToDictionary(s => s.Code, s => new Space(new(newId()), s.Code, s.Name, 1));
        foreach (var s in spaces.Values)
        {
            await plan.Add(company, jobId, s);
        }

        var panels = j.Panels.ToDictionary(p => $"{p.Space}-{p.Code}", p => new Panel(new(newId()), spaces[p.Space].SpaceId, p.Code, p.Ports, p.Form, p.Angled, p.ReachMm, p.LoopTurns, 1));
        foreach (var p in panels.Values)
        {
            await plan.Add(company, jobId, p);
        }

        var cables = j.Cables.ToDictionary(c => c.Code, c => new Cable(new(newId()), c.Code, c.FiberClass, c.Construction, c.StrandCount, c.LengthM, c.SlackAMm, c.SlackBMm, c.UnitSize, StrandLay.Usual.Order, 2, 0, c.DiameterMm, c.OrderedLengthMm, c.OrderedToleranceMm, 1));
        foreach (var c in cables.Values)
        {
            await plan.Add(company, jobId, c);
        }

        foreach (var m in j.Modules ?? [])
        {
            await plan.Add(company, jobId, new Module(new(newId()), panels[m.Panel].PanelId, m.Code, m.FiberClass, m.Fibers, m.RearForm, m.FrontForm, m.LossDb, 1));
        }

        foreach (var row in j.Rows)
        {
            await LoadRow(row, j.Rows.FirstOrDefault(r => r.Cable == row.Cable && r.Side != row.Side), company, jobId, j.LimitSetId, cables[row.Cable], row.Panel is null ? null : panels[row.Panel], newId, tellers[row.By], seed);
        }

        return jobId;
    }

    private async Task Assign(DemoJob job, CompanyId company, JobId jobId, string office, Dictionary<string, PersonId> personIds, DemoScenario d, Dictionary<string, CrewId> crews, Func<Guid> newId)
    {
        var layout = await plan.Layout(company, jobId);
        foreach (var a in job.Assignments ?? [])
        {
            var panel = layout.Panels.First(p => $"{layout.Spaces.First(s => s.SpaceId == p.SpaceId).Code}-{p.Code}" == a.Panel);
            var ends = await assignments.Chosen(company, jobId, panel.PanelId.As<Ids.Place>(), null, null, null, null);
            var crew = crews[d.People.First(p => p.Login == a.To).Crew!];
            await intake.Append(new(company, personIds[office], Role.Office, null), [Incoming.Of(new StreamEvent(new(newId()), StreamKind.Job, jobId.As<Ids.Stream>(), StreamEventKind.Assigned, d.StartsAt, default, 0, personIds[office],
                JsonSerializer.SerializeToElement(new Assigned(ends, crew, personIds[a.To]), Wire.Json)))], d.StartsAt);
        }
    }

    private async Task LoadRow(DemoRow row, DemoRow? farRow, CompanyId company, JobId jobId, string limitSetId, Cable cable, Panel? panel, Func<Guid> newId, DemoTeller teller, int seed)
    {
        var connector = new ConnectorSpec(row.Form, row.Polish, row.Mode, row.Method, row.StubClass);
        var spec = new CableSpec(cable.FiberClass, cable.Construction);
        var against = Compatibility.Judge(connector, spec, panel is null ? null : new(panel.AdapterForm, panel.Angled));
        if (against.Count > 0)
        {
            throw new RefusedException(against);
        }

        var fits = documents.Rules.Newest.First(p => p.Method == row.Method && p.Fits.Covers(connector, spec));
        var table = documents.Rules.Table(fits.Id, fits.Version, EndOptions.With(null, row.Form, row.Polish, row.Mode, EndOptions.CordOf(panel is not null, cable.StrandCount)));
        var (stories, far) = (Stories(row), farRow is null ? [] : Stories(farRow));
        var ends = stories.Select((_, i) =>
        {
            var (port, position) = panel is null ? (i + 1, row.Side == CableSide.A ? 1 : 2) : Plans.PortFor(row.Form, 1, i);
            return new PlannedEnd(new(newId()), cable.CableId, i + 1, row.Side, panel?.PanelId, port, position, row.Form, row.Polish, row.Mode, row.Method, row.StubClass, table.ProcedureId, table.Version, 1);
        }).ToList();
        await plan.Add(company, jobId, ends);
        var batches = ends.Chunk(Strands.PerUnit).Select(_ => new BatchId(newId())).ToList();
        foreach (var (end, story) in ends.Zip(stories))
        {
            teller.Tell(story, end.EndId, batches[(end.Strand - 1) / Strands.PerUnit], table,
                new(cable.FiberClass, cable.LengthM, row.Polish, row.Method, limitSetId, cable.Connections, Links.Splices(cable.Splices, row.Method, farRow?.Method)) { Form = row.Form, Cord = EndOptions.CordOf(panel is not null, cable.StrandCount) },
                nm => LinkLossDb(seed + (end.Strand * 31) + row.Cable.Length, nm, cable.LengthM), DemoTeller.Finishes(far.ElementAtOrDefault(end.Strand - 1)));
        }
    }

    private static List<string> Stories(DemoRow row) =>
        [.. row.Stories.Select(s => s.Split(' ')).SelectMany(s => Enumerable.Repeat(s[0], int.Parse(s[1], System.Globalization.CultureInfo.InvariantCulture)))];

    /// <summary>Two mated pairs, each log-normal about 0.2 dB, and the cable between them.</summary>
    private static double LinkLossDb(int seed, int wavelengthNm, double lengthM)
    {
        var random = new Random(seed);
        double Pair() => 0.2 * Math.Exp(0.4 * Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble()));
        return Pair() + Pair() + (lengthM / 1000 * TypicalDbPerKm[wavelengthNm]);
    }
}
