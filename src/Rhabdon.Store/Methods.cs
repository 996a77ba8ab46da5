using System.Collections.Concurrent;
using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>A version of a company's own procedure.</summary>
/// <param name="PublishedAt">Null while it is a draft.</param>
/// <param name="Stored">The document byte for byte as the database gave it.</param>
/// <param name="CopiedFromId">The procedure that it was copied from; null where it came in otherwise.</param>
public sealed record OwnProcedure(ProcedureDocument Document, Instant ChangedAt, string ChangedBy, Instant? PublishedAt, string Stored, string? CopiedFromId, int? CopiedFromVersion);

/// <summary>A company's own procedures and schools, and the rules that follow from them.</summary>
public sealed class Methods(NpgsqlDataSource db, Rules shipped)
{
    /// <summary>Parsed once for each edition of a company's rulebook. What is published never changes, so how much there is of it says which edition it is; that is read each time.</summary>
    private readonly ConcurrentDictionary<CompanyId, (long Edition, Rules Rules)> _rules = new();

    /// <summary>True for a limit set that came with the program.</summary>
    public bool IsShipped(string limitSetId) => shipped.EndFace.ContainsKey(limitSetId) || shipped.Loss.ContainsKey(limitSetId) || shipped.Light.Any(s => s.Id == limitSetId);

    private sealed record Row(string Document, Instant ChangedAt, string ChangedBy, Instant? PublishedAt, string? CopiedFromId, int? CopiedFromVersion)
    {
        public OwnProcedure Read() => new(JsonSerializer.Deserialize<ProcedureDocument>(Document, Wire.Json)!, ChangedAt, ChangedBy, PublishedAt, Document, CopiedFromId, CopiedFromVersion);
    }

    private const string Select = """
        select o.document::text as document, o.changed_at, p.name as changed_by, o.published_at, o.copied_from_id, o.copied_from_version
        from own_procedure o join person p on p.company_id = o.company_id and p.person_id = o.changed_by
        where o.company_id = @companyId
        """;

    /// <summary>What was read within a transaction that came to nothing is no edition of the company's.</summary>
    internal void Forget(CompanyId companyId) => _rules.TryRemove(companyId, out _);

    /// <summary>The shipped procedures and this company's published ones.</summary>
    public async ValueTask<Rules> Rules(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await Rules(c, null, companyId, cancel);
    }

    /// <summary>What a person may calculate by: house limits are the company's own business, which no viewer works out value by value.</summary>
    public async ValueTask<Rules> Rules(Scope scope, CancellationToken cancel = default) => scope.Viewer ? shipped : await Rules(scope.CompanyId, cancel);

    internal async ValueTask<Rules> Rules(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, CancellationToken cancel)
    {
        var edition = await c.Scalar<long>(cancel, """
            select (select count(*) from own_procedure where company_id = @companyId and published_at is not null) + (select count(*) from own_limit_set where company_id = @companyId)
            """, new { companyId }, t);
        if (edition == 0)
        {
            return shipped;
        }

        if (_rules.TryGetValue(companyId, out var known) && known.Edition == edition)
        {
            return known.Rules;
        }

        var own = (await c.Query<Row>(cancel, $"{Select} and o.published_at is not null order by o.procedure_id, o.version", new { companyId }, t)).Select(r => r.Read().Document).ToList();
        var limits = (await c.Query<(string Kind, string Document)>(cancel, "select kind, document::text from own_limit_set where company_id = @companyId order by made_at, limit_set_id", new { companyId }, t)).ToList();
        var rules = shipped.With(own,
            [.. limits.Where(l => l.Kind == "end-face").Select(l => JsonSerializer.Deserialize<EndFaceLimitSet>(l.Document, Wire.Json)!)],
            limits.Where(l => l.Kind == "loss").Select(l => JsonSerializer.Deserialize<LossLimitSet>(l.Document, Wire.Json)!),
            [.. limits.Where(l => l.Kind == "light").Select(l => JsonSerializer.Deserialize<LightLimitSet>(l.Document, Wire.Json)!)]);
        _rules[companyId] = (own.Count + limits.Count, rules);
        return rules;
    }

    /// <summary>Adds a limit set of the company. What was judged by an earlier version stays judged by it.</summary>
    /// <returns>False when there is one of this id.</returns>
    public async Task<bool> AddLimits(CompanyId companyId, PersonId personId, string limitSetId, string kind, string document, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, """
            insert into own_limit_set (company_id, limit_set_id, kind, document, made_at, made_by) values (@companyId, @limitSetId, @kind, @document::jsonb, @now, @personId)
            on conflict (company_id, limit_set_id) do nothing
            """, new { companyId, personId, limitSetId, kind, document, now }) == 1;
    }

    public async Task<IReadOnlyList<OwnProcedure>> Own(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Row>(cancel, $"{Select} order by o.procedure_id, o.version", new { companyId })).Select(r => r.Read())];
    }

    public async Task<OwnProcedure?> Find(CompanyId companyId, string procedureId, int version, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.One<Row>(cancel, $"{Select} and o.procedure_id = @procedureId and o.version = @version", new { companyId, procedureId, version }))?.Read();
    }

    /// <summary>Adds a draft under the next version of its id. Two at once get two versions.</summary>
    public async Task<int> Add(CompanyId companyId, PersonId personId, ProcedureDocument d, (string Id, int Version)? from, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, "select pg_advisory_xact_lock(hashtextextended(@name, 0))", new { name = $"{companyId}/{d.Id}" }, t);
        var version = 1 + await c.Scalar<int>(cancel, "select coalesce(max(version), 0) from own_procedure where company_id = @companyId and procedure_id = @Id", new { companyId, d.Id }, t);
        await c.Run(cancel, """
            insert into own_procedure (company_id, procedure_id, version, document, changed_at, changed_by, copied_from_id, copied_from_version)
            values (@companyId, @Id, @version, @document::jsonb, @now, @personId, @fromId, @fromVersion)
            """, new { companyId, personId, d.Id, version, fromId = from?.Id, fromVersion = from?.Version, document = JsonSerializer.Serialize(d with { Version = version }, Wire.Json), now }, t);
        await t.CommitAsync(cancel);
        return version;
    }

    /// <summary>Keeps a draft; a version that is published already stays as it is.</summary>
    /// <returns>False when there is no draft of that version.</returns>
    public async Task<bool> Keep(CompanyId companyId, PersonId personId, ProcedureDocument d, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, """
            update own_procedure set document = @document::jsonb, changed_at = @now, changed_by = @personId
            where company_id = @companyId and procedure_id = @Id and version = @Version and published_at is null
            """, new { companyId, personId, d.Id, d.Version, document = JsonSerializer.Serialize(d, Wire.Json), now }) == 1;
    }

    /// <summary>Publishes a draft, and only as it was when it was checked. Ends that nobody has begun follow the new version; runs keep theirs.</summary>
    /// <param name="read">The draft that was checked.</param>
    /// <returns>False when somebody has saved it since.</returns>
    public async Task<bool> Publish(CompanyId companyId, OwnProcedure read, Instant now, CancellationToken cancel = default)
    {
        var (procedureId, version) = (read.Document.Id, read.Document.Version);
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var published = await c.Run(cancel, """
            update own_procedure set published_at = @now
            where company_id = @companyId and procedure_id = @procedureId and version = @version and published_at is null and document = @document::jsonb
            """, new { companyId, procedureId, version, now, document = read.Stored }, t);
        if (published == 0)
        {
            return false;
        }

        await c.Run(cancel, """
            update cable_end e set procedure_version = @version
            where e.company_id = @companyId and e.procedure_id = @procedureId and e.procedure_version < @version
              and not exists (select 1 from end_state s where s.company_id = e.company_id and s.end_id = e.end_id and s.attempts > 0)
            """, new { companyId, procedureId, version }, t);
        await t.CommitAsync(cancel);
        return true;
    }

    /// <summary>Ends of every company that nobody has begun follow what ships now, once for each version; runs keep theirs.</summary>
    public async Task FollowShipped(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, "select pg_advisory_xact_lock(hashtextextended('shipped', 0))", new { }, t);
        var newest = shipped.Newest.ToDictionary(p => p.Id, p => p.Version);
        var before = (await c.Query<(string Id, int Version)>(cancel, "select procedure_id, version from shipped_version", new { }, t)).ToDictionary(r => r.Id, r => r.Version);
        if (newest.Any(n => before.GetValueOrDefault(n.Key) < n.Value))
        {
            await Provide(c, t, cancel);
        }

        foreach (var (procedureId, version) in newest.Where(n => before.GetValueOrDefault(n.Key) < n.Value))
        {
            await c.Run(cancel, """
                update cable_end e set procedure_version = @version
                where e.procedure_id = @procedureId and e.procedure_version < @version
                  and not exists (select 1 from end_state s where s.company_id = e.company_id and s.end_id = e.end_id and s.attempts > 0)
                """, new { procedureId, version }, t);
            await c.Run(cancel, "insert into shipped_version (procedure_id, version) values (@procedureId, @version) on conflict (procedure_id) do update set version = @version", new { procedureId, version }, t);
        }

        await t.CommitAsync(cancel);
    }

    private sealed record Unprovided(ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass FiberClass, CableConstruction Construction);

    /// <summary>Ends for which there was no procedure get one that ships now.</summary>
    private async Task Provide(NpgsqlConnection c, NpgsqlTransaction t, CancellationToken cancel)
    {
        foreach (var u in await c.Query<Unprovided>(cancel, """
            select distinct e.form, e.polish, e.mode, e.method, k.fiber_class, k.construction
            from cable_end e join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id where e.procedure_id is null
            """, new { }, t))
        {
            if (Fitting.Of(shipped.Newest, new(u.Form, u.Polish, u.Mode, u.Method, null), new(u.FiberClass, u.Construction)).FirstOrDefault() is { } p)
            {
                await c.Run(cancel, """
                    update cable_end e set procedure_id = @Id, procedure_version = @Version
                    from cable k
                    where k.company_id = e.company_id and k.cable_id = e.cable_id and e.procedure_id is null
                      and e.form = @form and e.polish = @polish and e.mode = @mode and e.method = @method and k.fiber_class = @fiberClass and k.construction = @construction
                    """, new
                {
                    p.Id,
                    p.Version,
                    form = u.Form.ToString(),
                    polish = u.Polish.ToString(),
                    mode = u.Mode.ToString(),
                    method = u.Method.ToString(),
                    fiberClass = u.FiberClass.ToString(),
                    construction = u.Construction.ToString(),
                }, t);
            }
        }
    }

    /// <returns>False when there is no such draft.</returns>
    public async Task<bool> Drop(CompanyId companyId, string procedureId, int version, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "delete from own_procedure where company_id = @companyId and procedure_id = @procedureId and version = @version and published_at is null",
            new { companyId, procedureId, version }) == 1;
    }

    /// <summary>The school that the company follows, by option.</summary>
    public async Task<IReadOnlyDictionary<string, string>> Schools(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(string Option, string Choice)>(cancel, "select option_id, choice_id from school where company_id = @companyId", new { companyId })).ToDictionary(x => x.Option, x => x.Choice);
    }

    public async Task Follow(CompanyId companyId, string optionId, string choiceId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into school (company_id, option_id, choice_id) values (@companyId, @optionId, @choiceId)
            on conflict (company_id, option_id) do update set choice_id = excluded.choice_id
            """, new { companyId, optionId, choiceId });
    }

    /// <summary>What the crew said last in its pre-flights.</summary>
    public async Task<IReadOnlyList<PreflightAnswer>> Kit(CompanyId companyId, CrewId crewId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<string>(cancel, "select answer::text from kit where company_id = @companyId and crew_id = @crewId order by item_id", new { companyId, crewId }))
            .Select(a => JsonSerializer.Deserialize<PreflightAnswer>(a, Wire.Json)!)];
    }
}
