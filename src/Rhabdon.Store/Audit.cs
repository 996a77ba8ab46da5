using Npgsql;

namespace Rhabdon.Store;

/// <param name="What">The operation, as the API's document names it: <c>PUT /api/people/{personId}</c>.</param>
/// <param name="Status">What was answered: below 400 it was done, else refused.</param>
/// <param name="PersonName">Who; null where nobody was signed in.</param>
/// <param name="AboutPerson">Whose account it was about.</param>
/// <param name="AboutJob">Which job it was about.</param>
/// <param name="About">The names in the operation's address, with what stood there.</param>
public sealed record AuditEntry(long AuditId, Instant At, PersonId? PersonId, string? PersonName, string What, int Status, string? AboutPerson, string? AboutJob, IReadOnlyDictionary<string, string> About, string Address, string Device);

/// <summary>Who did what beside the ledger. Rows are added, never changed.</summary>
public sealed class Audit(NpgsqlDataSource db)
{
    private sealed record Row(long AuditId, Instant At, PersonId? PersonId, string? PersonName, string What, int Status, string? AboutPerson, string? AboutJob, string About, string Address, string Device);

    public async Task Add(CompanyId companyId, PersonId? personId, string what, int status, IReadOnlyDictionary<string, string> about, string address, string device, Instant at, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into audit (company_id, at, person_id, what, status, about, address, device)
            values (@companyId, @at, @personId, @what, @status, @about::jsonb, @address, @device)
            """, new { companyId, at, personId, what, status, about = System.Text.Json.JsonSerializer.Serialize(about), address, device });
    }

    /// <summary>Newest first. Keyset paging: <paramref name="after"/> is the last entry of the page before.</summary>
    /// <param name="refused">Only what was refused, only what was done; null takes both.</param>
    public async Task<IReadOnlyList<AuditEntry>> List(CompanyId companyId, PersonId? personId, string? what, bool? refused, Instant? from, Instant? until, long? after, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = await c.Query<Row>(cancel, """
            select a.audit_id, a.at, a.person_id, p.name as person_name, a.what, a.status, s.name as about_person, j.customer || ' · ' || j.site as about_job, a.about::text as about, a.address, a.device
            from audit a
            left join person p on p.company_id = a.company_id and p.person_id = a.person_id
            left join person s on s.company_id = a.company_id and s.person_id::text = a.about ->> 'personId'
            left join job j on j.company_id = a.company_id and j.job_id::text = a.about ->> 'jobId'
            where a.company_id = @companyId and (@personId::uuid is null or a.person_id = @personId) and (@what::text is null or a.what = @what)
              and (@refused::boolean is null or (a.status >= 400) = @refused) and (@from::timestamptz is null or a.at >= @from) and (@until::timestamptz is null or a.at < @until)
              and (@after::bigint is null or a.audit_id < @after)
            order by a.audit_id desc limit @limit
            """, new { companyId, personId, what, refused, from, until, after, limit });
        return [.. rows.Select(r => new AuditEntry(r.AuditId, r.At, r.PersonId, r.PersonName, r.What, r.Status, r.AboutPerson, r.AboutJob,
            System.Text.Json.JsonSerializer.Deserialize<Dictionary<string, string>>(r.About)!, r.Address, r.Device))];
    }
}
