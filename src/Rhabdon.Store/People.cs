using System.Collections.Concurrent;
using System.Diagnostics;
using Npgsql;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <param name="Disabled">They have left: they cannot sign in, and stay in the records.</param>
public sealed record Person(PersonId PersonId, string Name, string Login, Role Role, CrewId? CrewId, string? CrewName, bool Disabled, int Version);

/// <summary>Who a sign-in is of, as they are now.</summary>
/// <param name="CodeNeeded">They have to have one-time codes, and have none.</param>
public sealed record CurrentPerson(PersonId PersonId, string Name, Role Role, CrewId? CrewId, bool CodeNeeded);

public sealed record Crew(CrewId CrewId, string Name);

public sealed record Credentials(CompanyId CompanyId, PersonId PersonId, CrewId? CrewId, string Name, Role Role, string PasswordHash, Guid SecurityStamp, bool Disabled);

/// <summary>What became of a change to a person.</summary>
public enum PersonChange
{
    Done,
    /// <summary>No such person, or one that somebody else changed meanwhile.</summary>
    Other,
    /// <summary>Nobody would be left to run the office.</summary>
    LastOffice,
}

/// <summary>Companies, crews, people; how they sign in is <see cref="SignIns"/>.</summary>
public sealed class People(NpgsqlDataSource db)
{
    private static readonly TimeSpan Fresh = TimeSpan.FromSeconds(10);
    private readonly ConcurrentDictionary<(CompanyId Company, SignInId SignIn), (Guid Stamp, CurrentPerson Person, long At)> _known = new();

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
            select company_id, person_id, crew_id, name, role, password_hash, security_stamp, disabled_at is not null as disabled
            from person where lower(login) = lower(@login) and not is_token
            """, new { login });
    }

    public async Task<Credentials?> FindCredentials(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Credentials>(cancel, """
            select company_id, person_id, crew_id, name, role, password_hash, security_stamp, disabled_at is not null as disabled
            from person where company_id = @companyId and person_id = @personId
            """, new { companyId, personId });
    }

    /// <summary>The person as they are now, or null when the sign-in has ended or the stamp is no longer theirs. Remembered for seconds; a new password and signing out forget at once.</summary>
    public async Task<CurrentPerson?> Current(CompanyId companyId, SignInId signInId, Guid stamp, Instant now, CancellationToken cancel = default)
    {
        if (_known.TryGetValue((companyId, signInId), out var known) && known.Stamp == stamp && Stopwatch.GetElapsedTime(known.At) < Fresh)
        {
            return known.Person;
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        var person = await c.One<CurrentPerson>(cancel, """
            select p.person_id, p.name, p.role, p.crew_id, p.code_secret is null and p.role = any(m.codes_for) as code_needed
            from sign_in s join company m on m.company_id = s.company_id join person p on p.company_id = s.company_id and p.person_id = s.person_id
            where s.company_id = @companyId and s.sign_in_id = @signInId and p.security_stamp = @stamp and p.disabled_at is null
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
            select p.person_id, p.name, p.login, p.role, p.crew_id, w.name as crew_name, p.disabled_at is not null as disabled, p.version
            from person p left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where p.company_id = @companyId and p.person_id = @personId and not p.is_token
            """, new { companyId, personId });
    }

    public async Task<string> CompanyName(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select name from company where company_id = @companyId", new { companyId }) ?? "";
    }

    /// <summary>Forgets whom it knows: what changed of a person, or of their sign-ins, holds from the next request on.</summary>
    public void Forget() => _known.Clear();

    /// <summary>People by name. Keyset paging: <paramref name="after"/> is the last person of the page before.</summary>
    /// <param name="find">Part of a name or login; null takes all.</param>
    public async Task<IReadOnlyList<Person>> List(CompanyId companyId, Role? role, string? find, PersonId? after, int limit, bool disabled = false, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Person>(cancel, """
            select p.person_id, p.name, p.login, p.role, p.crew_id, w.name as crew_name, p.disabled_at is not null as disabled, p.version
            from person p left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where p.company_id = @companyId and not p.is_token and (@role::text is null or p.role = @role) and (@disabled or p.disabled_at is null)
              and (@find::text is null or strpos(lower(p.name), lower(@find)) > 0 or strpos(lower(p.login), lower(@find)) > 0)
              and (@after::uuid is null or (p.name, p.person_id) > (select a.name, a.person_id from person a where a.company_id = @companyId and a.person_id = @after))
            order by p.name, p.person_id limit @limit
            """, new { companyId, role = role?.ToString(), find, after, limit, disabled })];
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

    /// <summary>Renames, moves, gives another role, disables or takes back. Who is disabled, or given another role, is so at once.</summary>
    public async Task<PersonChange> Change(CompanyId companyId, Person as_, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // Two who each take the other's office role wait for one another.
        await c.Run(cancel, "select 1 from company where company_id = @companyId for update", new { companyId }, t);
        var changed = await c.Run(cancel, """
            update person set name = @Name, login = @Login, role = @role, crew_id = @CrewId, version = version + 1,
                disabled_at = case when @Disabled then coalesce(disabled_at, @now) end
            where company_id = @companyId and person_id = @PersonId and version = @Version
            """, new { companyId, as_.PersonId, as_.Name, as_.Login, role = as_.Role.ToString(), as_.CrewId, as_.Disabled, as_.Version, now }, t);
        if (changed == 0)
        {
            return PersonChange.Other;
        }

        if (!await c.Scalar<bool>(cancel, "select exists (select 1 from person where company_id = @companyId and role = 'Office' and disabled_at is null)", new { companyId }, t))
        {
            return PersonChange.LastOffice;
        }

        if (as_.Disabled)
        {
            await c.Run(cancel, """
                delete from sign_in where company_id = @companyId and person_id = @PersonId;
                delete from known_device where company_id = @companyId and person_id = @PersonId;
                """, new { companyId, as_.PersonId }, t);
        }

        await t.CommitAsync(cancel);
        Forget();
        return PersonChange.Done;
    }

    /// <summary>A new password ends every sign-in that the person has.</summary>
    /// <returns>The new stamp; null where there is no such person.</returns>
    public async Task<Guid?> SetPassword(CompanyId companyId, PersonId personId, string passwordHash, CancellationToken cancel = default)
    {
        var stamp = Guid.NewGuid();
        await using var c = await db.OpenConnectionAsync(cancel);
        var changed = await c.Run(cancel, """
            update person set password_hash = @passwordHash, security_stamp = @stamp where company_id = @companyId and person_id = @personId
            """, new { companyId, personId, passwordHash, stamp });
        if (changed == 1)
        {
            await c.Run(cancel, """
                delete from sign_in where company_id = @companyId and person_id = @personId;
                delete from known_device where company_id = @companyId and person_id = @personId;
                """, new { companyId, personId });
        }

        Forget();
        return changed == 1 ? stamp : null;
    }

    private static Task AddPerson(NpgsqlConnection c, CompanyId companyId, PersonId personId, CrewId? crewId, string name, string login, Role role, string passwordHash, NpgsqlTransaction? t, CancellationToken cancel) =>
        c.Run(cancel, """
            insert into person (company_id, person_id, crew_id, name, login, role, password_hash, security_stamp)
            values (@companyId, @personId, @crewId, @name, @login, @role, @passwordHash, gen_random_uuid())
            """, new { companyId, personId, crewId, name, login, role = role.ToString(), passwordHash }, t);
}
