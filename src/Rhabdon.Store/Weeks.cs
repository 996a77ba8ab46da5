using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Scheduling;

namespace Rhabdon.Store;

public enum WeekStage
{
    Waiting, Solving,
    /// <summary>Somebody has seen enough: the best so far is kept.</summary>
    Stopping,
    Done, Failed,
}

/// <summary>What is asked of a week beside what is left to do.</summary>
/// <param name="Pins">By task: what was dragged stays.</param>
/// <param name="Closed">Spaces that are closed, and until which minute of the week.</param>
public sealed record WeekWishes(IReadOnlyDictionary<string, WeekPin> Pins, IReadOnlyDictionary<string, int> Closed)
{
    public static readonly WeekWishes None = new(new Dictionary<string, WeekPin>(), new Dictionary<string, int>());
}

/// <param name="Binds">What one more of a tool would win; null while that is still asked, after the plan itself is there.</param>
public sealed record KeptPlan(WeekPlan Plan, IReadOnlyList<DueChance> Chances, IReadOnlyList<WeekBind>? Binds);

/// <param name="What">A kind of tool, or people.</param>
/// <param name="SavesMinutes">Of lateness and, where none is won, of the finish.</param>
public sealed record WeekBind(string What, int SavesMinutes);

public sealed record StoredWeek(LocalDate Monday, WeekStage Stage, WeekWishes Wishes, WeekWork? Work, KeptPlan? Plan, double Seconds, PersonId AskedBy, string AskedByName, Instant AskedAt, string? Fault);

/// <summary>A plan that holds, with what it is of: what people are told.</summary>
public sealed record StandingPlan(WeekWork Work, WeekPlan Plan);

/// <summary>A week whose turn it is.</summary>
/// <param name="AskedAt">Asked anew it is another one: what comes of the first is kept no more.</param>
public sealed record NextWeek(CompanyId CompanyId, LocalDate Monday, double Seconds, Instant AskedAt);

/// <summary>Weeks: what is left to do, who may do it, and the plans that were made of it.</summary>
public sealed class Weeks(NpgsqlDataSource db)
{
    /// <summary>A server that has not told of a plan for so long works on it no more.</summary>
    private static readonly Duration Lost = Duration.FromSeconds(30);

    private const int MostTries = 3;

    /// <summary>Connectors of a method, the last ones, that times are learned from; fewer than so many teach nothing.</summary>
    private const int MostCounted = 500, LeastCounted = 12;

    /// <summary>Of a method's usual minutes: what was tapped through faster was written down afterwards, and teaches nothing (ours).</summary>
    private const double WrittenAfterwards = 0.2;

    /// <summary>Of openings: attempts that are looked through, ends that a panel has at least, and minutes between the last act elsewhere and the first there (ours).</summary>
    private const int MostAttempts = 4000, LeastEnds = 6;

    private const int LeastOpeningMin = 5, MostOpeningMin = 240;

    private sealed record PanelRow(JobId JobId, string Customer, PlaceId PlaceId, string Place, string Space, TerminationMethod Method, int ToMake, int ToTest, bool Opened, LocalDate DueOn, CrewId CrewId, PersonId? PersonId);

    private sealed record Row(LocalDate Monday, WeekStage Stage, string Wishes, string? Work, string? Plan, double Seconds, PersonId AskedBy, string AskedByName, Instant AskedAt, string? Fault)
    {
        public StoredWeek Read() => new(Monday, Stage, As<WeekWishes>(Wishes)!, As<WeekWork>(Work), As<KeptPlan>(Plan), Seconds, AskedBy, AskedByName, AskedAt, Fault);
    }

    private static T? As<T>(string? json) where T : class => json is null ? null : JsonSerializer.Deserialize<T>(json, Wire.Json);

    /// <summary>What is left to do in all open jobs, by panel, method and whose it is; with what stands in its way. Crews share people's days and tools: a week is the whole company's.</summary>
    public async Task<IReadOnlyList<PanelWork>> Left(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = (await c.Query<PanelRow>(cancel, """
            select e.job_id, j.customer || ', ' || j.site as customer, e.place_id, coalesce(sp.code || '-' || p.code, k.code) as place, coalesce(sp.code, k.code) as space, e.method,
                   (count(*) filter (where coalesce(s.status, 'Planned') in ('Planned', 'AtBench', 'ToRemake')))::int as to_make,
                   (count(*) filter (where s.status in ('ToLook', 'ToMeasure', 'ToAccept', 'NeedsDecision')))::int as to_test,
                   bool_or(s.end_id is not null) as opened, j.due_on::date as due_on, e.crew_id, e.person_id
            from cable_end e
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @companyId and j.is_open
            group by e.job_id, j.customer, j.site, 3, 4, 5, 6, j.due_on, e.crew_id, e.person_id
            having count(*) filter (where coalesce(s.status, 'Planned') <> 'Accepted') > 0
            """, new { companyId })).ToList();
        var states = (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = 'Job' and job_id = any(@jobs)", new { companyId, jobs = rows.Select(r => r.JobId.Value).Distinct().ToArray() })).Select(s => (JobState)Streams.Read(s)).ToDictionary(s => s.Id.As<Ids.Job>());
        bool Blocked(PanelRow r) => states.GetValueOrDefault(r.JobId)?.Blocks.Any(b => b.LiftedAt is null && (b.PlaceId is null || b.PlaceId == r.PlaceId)) == true;
        return [.. rows.Select(r => new PanelWork(r.JobId, r.Customer, r.PlaceId, r.Place, r.Space, r.Method, r.ToMake, r.ToTest, r.Opened, Blocked(r), r.DueOn, r.CrewId, r.PersonId))];
    }

    /// <summary>Whose hands there are.</summary>
    public async Task<IReadOnlyList<WeekHand>> Hands(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<WeekHand>(cancel, """
            select person_id, name, crew_id from person where company_id = @companyId and role in ('Installer', 'Lead') and crew_id is not null and disabled_at is null order by name
            """, new { companyId })];
    }

    private sealed record TimeRow(string Method, PersonId? PersonId, double Minutes, double SdMinutes, int Count);

    /// <summary>What hands took, from the ledger's own times: by method, by person where the company names people, and to open a cable end. What there is too little of is not among them.</summary>
    /// <param name="me">Sees what is their own whether people are named or not.</param>
    public async Task<LearnedTimes> Times(CompanyId companyId, PersonId? me = null, CancellationToken cancel = default)
    {
        var methods = Enum.GetValues<TerminationMethod>();
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = (await c.Query<TimeRow>(cancel, """
            select m.method, f.person_id, avg(f.minutes) as minutes, coalesce(stddev_samp(f.minutes), 0) as sd_minutes, count(*)::int as count
            from projection v, unnest(@methods, @leasts) as m (method, least)
            cross join lateral (
                select a.person_id, (select sum(t.attended_s) / 60 from fact_act t where t.company_id = a.company_id and t.version = a.version and t.end_id = a.end_id and t.run_id = a.run_id) as minutes
                from fact_attempt a where a.company_id = @companyId and a.version = v.version and a.method = m.method and a.outcome = 'accepted' order by a.started_at desc limit @MostCounted) f
            where v.name = 'facts' and f.minutes >= m.least
            group by grouping sets ((m.method), (m.method, f.person_id)) having count(*) >= @LeastCounted
            """, new { companyId, methods = methods.Select(Wire.Name).ToArray(), leasts = methods.Select(m => CompanyFigures.Usual.Of(m).Minutes * WrittenAfterwards).ToArray(), MostCounted, LeastCounted })).ToList();
        var named = await c.Scalar<bool>(cancel, "select names_people from company where company_id = @companyId", new { companyId });
        var opening = (await c.Query<OpeningTime>(cancel, """
            with last as (
                select a.place_id, a.person_id, a.started_at, a.attempt, coalesce(a.finished_at, a.given_up_at, a.started_at) as ended_at
                from projection v join fact_attempt a on a.company_id = @companyId and a.version = v.version where v.name = 'facts' order by a.started_at desc limit @MostAttempts),
            told as (
                select attempt, started_at, lag(ended_at) over (partition by person_id, (started_at at time zone @zone)::date order by started_at) as before,
                       row_number() over (partition by place_id order by started_at) as no, count(*) over (partition by place_id) as ends from last)
            select percentile_cont(0.5) within group (order by extract(epoch from started_at - before) / 60 / least(1, ends / 24.0)) as minutes, count(*)::int as count
            from told where no = 1 and attempt = 1 and ends >= @LeastEnds and extract(epoch from started_at - before) / 60 between @LeastOpeningMin and @MostOpeningMin having count(*) >= @LeastCounted
            """, new { companyId, MostAttempts, LeastEnds, LeastCounted, zone = await Zone(companyId, cancel), LeastOpeningMin, MostOpeningMin })).SingleOrDefault();
        return new(
            [.. rows.Where(r => r.PersonId is null).Select(r => new MethodTime(Wire.Parse<TerminationMethod>(r.Method), r.Minutes, r.SdMinutes, r.Count))],
            [.. rows.Where(r => r.PersonId is not null && (named || r.PersonId == me)).Select(r => new PersonTime(r.PersonId!.Value, Wire.Parse<TerminationMethod>(r.Method), r.Minutes, r.Count))],
            opening is null ? null : opening with { Minutes = Math.Round(Math.Clamp(opening.Minutes, 5, 480), 1) });
    }

    public async Task<(WeekFigures Figures, int Version)> Figures(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var row = (await c.Query<(int Version, string Document)>(cancel, "select version, document::text from week_figures where company_id = @companyId", new { companyId })).ToList();
        return row.Count == 0 ? (WeekFigures.Usual, 0) : (As<WeekFigures>(row[0].Document)!.Whole(), row[0].Version);
    }

    /// <returns>False when they have changed since the version that the change was made on.</returns>
    public async Task<bool> Save(CompanyId companyId, PersonId personId, WeekFigures figures, int onVersion, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, """
            insert into week_figures (company_id, version, document, changed_by, changed_at) select @companyId, 1, @document::jsonb, @personId, @now where @onVersion = 0 on conflict (company_id) do nothing
            """, Args()) == 1
            || (onVersion > 0 && await c.Run(cancel, "update week_figures set version = version + 1, document = @document::jsonb, changed_by = @personId, changed_at = @now where company_id = @companyId and version = @onVersion", Args()) == 1);

        object Args() => new { companyId, personId, document = JsonSerializer.Serialize(figures, Wire.Json), onVersion, now };
    }

    public async Task<StoredWeek?> Find(CompanyId companyId, LocalDate monday, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.One<Row>(cancel, """
            select w.monday, w.stage, w.wishes::text as wishes, w.work::text as work, w.plan::text as plan, w.seconds, w.asked_by, p.name as asked_by_name, w.asked_at, w.fault
            from week_plan w join person p on p.company_id = w.company_id and p.person_id = w.asked_by where w.company_id = @companyId and w.monday = @monday
            """, new { companyId, monday }))?.Read();
    }

    /// <summary>The last plan of that week that holds; null where there never was one.</summary>
    public async Task<StandingPlan?> Standing(CompanyId companyId, LocalDate monday, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return As<StandingPlan>(await c.Scalar<string>(cancel, "select standing::text from week_plan where company_id = @companyId and monday = @monday", new { companyId, monday }));
    }

    /// <summary>Asks for a plan. What was planned of that week before stays until there is another.</summary>
    public async Task Ask(CompanyId companyId, LocalDate monday, WeekWishes wishes, double seconds, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into week_plan (company_id, monday, stage, wishes, seconds, asked_by, asked_at) values (@companyId, @monday, 'Waiting', @wishes::jsonb, @seconds, @by, @now)
            on conflict (company_id, monday) do update set stage = 'Waiting', wishes = @wishes::jsonb, seconds = @seconds, asked_by = @by, asked_at = @now, told_at = null, tries = 0, fault = null
            """, new { companyId, monday, wishes = JsonSerializer.Serialize(wishes, Wire.Json), seconds, by, now });
    }

    public async Task Stop(CompanyId companyId, LocalDate monday, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update week_plan set stage = 'Stopping' where company_id = @companyId and monday = @monday and stage = 'Solving'", new { companyId, monday });
    }

    /// <summary>The plan that waits longest, of a company of which none is worked out; one that its server has forgotten is begun again.</summary>
    public async Task<NextWeek?> Next(Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // Two who look at once would find two weeks of the same company.
        await c.Run(cancel, "select pg_advisory_xact_lock(hashtext('week_plan'))");
        await c.Run(cancel, "update week_plan set stage = 'Failed', fault = 'week-tried' where stage in ('Solving', 'Stopping') and told_at < @lost and tries >= @MostTries", new { lost = now - Lost, MostTries });
        var next = (await c.Query<NextWeek>(cancel, """
            update week_plan w set stage = 'Solving', told_at = @now, tries = w.tries + 1
            from (select n.company_id, n.monday from week_plan n
                  where n.company_id is not null and (n.stage = 'Waiting' or (n.stage in ('Solving', 'Stopping') and n.told_at < @lost))
                    and not exists (select 1 from week_plan o where o.company_id = n.company_id and o.monday <> n.monday and o.stage in ('Solving', 'Stopping') and o.told_at >= @lost)
                  order by n.asked_at limit 1 for update skip locked) x
            where w.company_id = x.company_id and w.monday = x.monday
            returning w.company_id, w.monday, w.seconds, w.asked_at
            """, new { now, lost = now - Lost })).SingleOrDefault();
        await t.CommitAsync(cancel);
        return next;
    }

    /// <summary>Tells how far a plan is.</summary>
    /// <returns>False where somebody has seen enough, or asked anew.</returns>
    public async Task<bool> Tell(NextWeek week, WeekWork? work, KeptPlan? plan, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, """
            update week_plan set told_at = @now, work = coalesce(@work::jsonb, work), plan = coalesce(@plan::jsonb, plan) where company_id = @CompanyId and monday = @Monday and asked_at = @AskedAt and stage = 'Solving'
            """, new { week.CompanyId, week.Monday, week.AskedAt, now, work = work is null ? null : JsonSerializer.Serialize(work, Wire.Json), plan = plan is null ? null : JsonSerializer.Serialize(plan, Wire.Json) }) == 1;
    }

    public async Task Keep(NextWeek week, WeekWork work, KeptPlan? plan, string? fault, CancellationToken cancel = default)
    {
        var standing = plan is { Plan.Outcome: not WeekOutcome.Impossible } ? JsonSerializer.Serialize(new StandingPlan(work, plan.Plan), Wire.Json) : null;
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            update week_plan set stage = @stage, work = @work::jsonb, plan = coalesce(@plan::jsonb, plan), standing = case when @empty then null else coalesce(@standing::jsonb, standing) end, fault = @fault where company_id = @CompanyId and monday = @Monday and asked_at = @AskedAt and stage in ('Solving', 'Stopping')
            """, new { week.CompanyId, week.Monday, week.AskedAt, stage = plan is null ? "Failed" : "Done", work = JsonSerializer.Serialize(work, Wire.Json), plan = plan is null ? null : JsonSerializer.Serialize(plan, Wire.Json), standing, empty = fault == "week-empty", fault });
    }

    /// <summary>What binds, of a plan that is kept; nothing where it was asked anew meanwhile.</summary>
    public async Task Bind(NextWeek week, IReadOnlyList<WeekBind> binds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update week_plan set plan = jsonb_set(plan, '{binds}', @binds::jsonb) where company_id = @CompanyId and monday = @Monday and asked_at = @AskedAt and stage = 'Done' and plan is not null", new { week.CompanyId, week.Monday, week.AskedAt, binds = JsonSerializer.Serialize(binds, Wire.Json) });
    }

    /// <summary>The site's clock that a week goes by: of the open job that is due first.</summary>
    public async Task<string> Zone(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select time_zone from job where company_id = @companyId order by is_open desc, due_on limit 1", new { companyId }) ?? "UTC";
    }
}
