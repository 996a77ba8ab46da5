using Npgsql;

namespace Rhabdon.Store;

/// <summary>
/// What is worked out for each row of a table and kept beside it. It has a name, a version and a position: where another version of the
/// program worked it out, it is made anew in batches while the server runs, and a restart goes on where it stood.
/// </summary>
public abstract class BatchProjection(NpgsqlDataSource db)
{
    private sealed record Stand(int? Version, int? Building, Guid? AtCompanyId, Guid? AtEndId);

    private sealed record Key(CompanyId CompanyId, Guid Id);

    protected abstract string Name { get; }

    /// <summary>Raised by whoever changes what is worked out.</summary>
    protected abstract int Version { get; }

    /// <summary>The table that it is made from, and the column of its ids.</summary>
    protected abstract (string Table, string Id) Over { get; }

    protected abstract int BatchSize { get; }

    /// <summary>Works it out for these rows of one company.</summary>
    protected abstract Task Make(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, Guid[] ids, CancellationToken cancel);

    /// <summary>Makes the next batch.</summary>
    /// <returns>False when there is nothing left to do.</returns>
    public async Task<bool> Step(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // One at a time, whichever server it runs in.
        await c.Run(cancel, "select pg_advisory_xact_lock(hashtextextended('rhabdon ' || @Name, 0))", new { Name }, t);
        var at = await c.One<Stand>(cancel, "select version, building, at_company_id, at_end_id from projection where name = @Name", new { Name }, t);
        if (at?.Version == Version && at.Building is null)
        {
            return false;
        }

        if (at?.Building != Version)
        {
            at = new(null, Version, null, null);
        }

        var next = (await c.Query<Key>(cancel, $"""
            select company_id, {Over.Id} as id from {Over.Table}
            where (company_id, {Over.Id}) > (coalesce(@AtCompanyId, '00000000-0000-0000-0000-000000000000'::uuid), coalesce(@AtEndId, '00000000-0000-0000-0000-000000000000'::uuid))
            order by company_id, {Over.Id} limit @BatchSize
            """, new { at.AtCompanyId, at.AtEndId, BatchSize }, t)).ToList();
        foreach (var company in next.GroupBy(k => k.CompanyId, k => k.Id))
        {
            await Make(c, t, company.Key, [.. company], cancel);
        }

        var last = next.LastOrDefault();
        await c.Run(cancel, last is null
            ? """
              insert into projection (name, version, built_at) values (@Name, @Version, now())
              on conflict (name) do update set version = excluded.version, built_at = excluded.built_at, building = null, at_company_id = null, at_end_id = null
              """
            : """
              insert into projection (name, version, built_at, building, at_company_id, at_end_id) values (@Name, 0, now(), @Version, @CompanyId, @Id)
              on conflict (name) do update set building = excluded.building, at_company_id = excluded.at_company_id, at_end_id = excluded.at_end_id
              """, new { Name, Version, last?.CompanyId, last?.Id }, t);
        await t.CommitAsync(cancel);
        return last is not null;
    }

    public async Task BuildWhereOld(CancellationToken cancel = default)
    {
        while (await Step(cancel))
        {
        }
    }
}
