using System.Collections.Concurrent;
using System.Diagnostics;
using Npgsql;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public sealed record Person(PersonId PersonId, string Name, string Login, Role Role, CrewId? CrewId, string? CrewName);

public sealed record Crew(CrewId CrewId, string Name);

public sealed record Credentials(
    CompanyId CompanyId, PersonId PersonId, CrewId? CrewId, string Name, Role Role, string PasswordHash, Guid SecurityStamp, int FailedSignIns, Instant? LockedUntil);

/// <summary>Companies, crews, people.</summary>
public sealed class People(NpgsqlDataSource db)
{
    private static readonly TimeSpan Fresh = TimeSpan.FromSeconds(10);
    private readonly ConcurrentDictionary<(CompanyId Company, SignInId SignIn), (Guid Stamp, Person Person, long At)> _known = new();

    public async Task<bool> AnyCompany(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from company)");
    }

    /// <summary>Makes the company with its first office account, unless there is a company already.</summary>
    /// <returns>False when one was there.</returns>
    public async Task<bool> SetUp(CompanyId companyId, string companyName, PersonId personId, string name, string login, string passwordHash, bool onlyFirst = true, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // Two first visitors at once: the lock lets one of them through.
        await c.Run(cancel, "select pg_advisory_xact_lock(72616264)", transaction: t);
        if (onlyFirst && await c.Scalar<bool>(cancel, "select exists (select 1 from company)", transaction: t))
        {
            return false;
        }

        await c.Run(cancel, "insert into company (company_id, name) values (@companyId, @companyName)", new { companyId, companyName }, t);
        await AddPerson(c, companyId, personId, null, name, login, Role.Office, passwordHash, t, cancel);
        await t.CommitAsync(cancel);
        return true;
    }

    public async Task<Credentials?> FindByLogin(string login, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Credentials>(cancel, """
            select company_id, person_id, crew_id, name, role, password_hash, security_stamp, failed_sign_ins, locked_until
            from person where lower(login) = lower(@login)
            """, new { login });
    }

    /// <summary>Counts a failed sign-in; the one that reaches <paramref name="most"/> locks the account until <paramref name="lockUntil"/>.</summary>
    public async Task CountFailure(CompanyId companyId, PersonId personId, int most, Instant lockUntil, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            update person set
                failed_sign_ins = case when failed_sign_ins + 1 >= @most then 0 else failed_sign_ins + 1 end,
                locked_until = case when failed_sign_ins + 1 >= @most then @lockUntil else locked_until end
            where company_id = @companyId and person_id = @personId
            """, new { companyId, personId, most, lockUntil });
    }

    public async Task ClearFailures(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update person set failed_sign_ins = 0, locked_until = null where company_id = @companyId and person_id = @personId", new { companyId, personId });
    }

    /// <summary>Begins a sign-in. Those of this person that have not been seen for longer than their cookie lives are forgotten.</summary>
    public async Task<SignInId> Enter(CompanyId companyId, PersonId personId, Instant now, TimeSpan lives, CancellationToken cancel = default)
    {
        var signInId = SignInId.New();
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            delete from sign_in where company_id = @companyId and person_id = @personId and seen_at < @gone;
            insert into sign_in (company_id, sign_in_id, person_id, made_at, seen_at) values (@companyId, @signInId, @personId, @now, @now);
            """, new { companyId, personId, signInId, now, gone = now - Duration.FromTimeSpan(lives) });
        return signInId;
    }

    /// <summary>Ends a sign-in: its cookie, and every copy of it, is worth nothing from now on.</summary>
    public async Task Leave(CompanyId companyId, SignInId signInId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "delete from sign_in where company_id = @companyId and sign_in_id = @signInId", new { companyId, signInId });
        _known.TryRemove((companyId, signInId), out _);
    }

    /// <summary>The person as they are now, or null when the sign-in has ended or the stamp is no longer theirs. Remembered for seconds; a new password and signing out forget at once.</summary>
    public async Task<Person?> Current(CompanyId companyId, SignInId signInId, Guid stamp, Instant now, CancellationToken cancel = default)
    {
        if (_known.TryGetValue((companyId, signInId), out var known) && known.Stamp == stamp && Stopwatch.GetElapsedTime(known.At) < Fresh)
        {
            return known.Person;
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        var person = await c.One<Person>(cancel, """
            select p.person_id, p.name, p.login, p.role, p.crew_id, w.name as crew_name
            from sign_in s join person p on p.company_id = s.company_id and p.person_id = s.person_id
            left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where s.company_id = @companyId and s.sign_in_id = @signInId and p.security_stamp = @stamp
            """, new { companyId, signInId, stamp });
        if (person is not null)
        {
            // Once a day is enough to tell a sign-in that lives from one that does not.
            await c.Run(cancel, "update sign_in set seen_at = @now where company_id = @companyId and sign_in_id = @signInId and seen_at < @yesterday", new { companyId, signInId, now, yesterday = now.Plus(Duration.FromDays(-1)) });
            _known[(companyId, signInId)] = (stamp, person, Stopwatch.GetTimestamp());
        }

        return person;
    }

    public async Task<Person?> Find(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Person>(cancel, """
            select p.person_id, p.name, p.login, p.role, p.crew_id, w.name as crew_name
            from person p left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where p.company_id = @companyId and p.person_id = @personId
            """, new { companyId, personId });
    }

    public async Task<string> CompanyName(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select name from company where company_id = @companyId", new { companyId }) ?? "";
    }

    /// <summary>People by name. Keyset paging: <paramref name="after"/> is the last person of the page before.</summary>
    /// <param name="find">Part of a name or login; null takes all.</param>
    public async Task<IReadOnlyList<Person>> List(CompanyId companyId, Role? role, string? find, PersonId? after, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Person>(cancel, """
            select p.person_id, p.name, p.login, p.role, p.crew_id, w.name as crew_name
            from person p left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where p.company_id = @companyId and (@role::text is null or p.role = @role)
              and (@find::text is null or strpos(lower(p.name), lower(@find)) > 0 or strpos(lower(p.login), lower(@find)) > 0)
              and (@after::uuid is null or (p.name, p.person_id) > (select a.name, a.person_id from person a where a.company_id = @companyId and a.person_id = @after))
            order by p.name, p.person_id limit @limit
            """, new { companyId, role = role?.ToString(), find, after, limit })];
    }

    public async Task<IReadOnlyList<Crew>> Crews(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Crew>(cancel, "select crew_id, name from crew where company_id = @companyId order by name", new { companyId })];
    }

    public async Task<bool> HasCrew(CompanyId companyId, CrewId crewId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from crew where company_id = @companyId and crew_id = @crewId)", new { companyId, crewId });
    }

    public async Task AddCrew(CompanyId companyId, CrewId crewId, string name, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "insert into crew (company_id, crew_id, name) values (@companyId, @crewId, @name)", new { companyId, crewId, name });
    }

    public async Task AddPerson(CompanyId companyId, PersonId personId, CrewId? crewId, string name, string login, Role role, string passwordHash, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await AddPerson(c, companyId, personId, crewId, name, login, role, passwordHash, null, cancel);
    }

    /// <summary>A new password ends every session that the person has.</summary>
    public async Task<bool> SetPassword(CompanyId companyId, PersonId personId, string passwordHash, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var changed = await c.Run(cancel, """
            update person set password_hash = @passwordHash, security_stamp = gen_random_uuid(), failed_sign_ins = 0, locked_until = null
            where company_id = @companyId and person_id = @personId
            """, new { companyId, personId, passwordHash });
        _known.Clear();
        return changed == 1;
    }

    private static Task AddPerson(NpgsqlConnection c, CompanyId companyId, PersonId personId, CrewId? crewId, string name, string login, Role role, string passwordHash, NpgsqlTransaction? t, CancellationToken cancel) =>
        c.Run(cancel, """
            insert into person (company_id, person_id, crew_id, name, login, role, password_hash, security_stamp)
            values (@companyId, @personId, @crewId, @name, @login, @role, @passwordHash, gen_random_uuid())
            """, new { companyId, personId, crewId, name, login, role = role.ToString(), passwordHash }, t);
}
