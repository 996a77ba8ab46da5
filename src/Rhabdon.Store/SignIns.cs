using System.Security.Cryptography;
using System.Text;
using Npgsql;

namespace Rhabdon.Store;

/// <summary>One sign-in of a person: on which kind of device, from where, when.</summary>
public sealed record SignedIn(SignInId SignInId, Instant MadeAt, Instant SeenAt, string Device, string Address);

/// <summary>
/// Sign-ins that can be ended at the server, and what holds strangers off. Waiting grows with wrong passwords for a name, and from an address, whether
/// or not anybody has that name; it holds for devices that are not known. On a device where the person has signed in before, only that device's own mistakes count,
/// so that nobody can lock another out.
/// </summary>
public sealed class SignIns(NpgsqlDataSource db, People people)
{
    /// <summary>Wrong passwords that cost no waiting: for a name or a device, and from an address that many may share.</summary>
    public const int FreeOfName = 5, FreeOfAddress = 30;

    private static readonly Duration First = Duration.FromSeconds(5), Longest = Duration.FromMinutes(15), Remembered = Duration.FromDays(1);

    /// <summary>Begins a sign-in. Those of this person that have not been seen for longer than their cookie lives are forgotten.</summary>
    public async Task<SignInId> Enter(CompanyId companyId, PersonId personId, Guid deviceId, string device, string address, Instant now, TimeSpan lives, CancellationToken cancel = default)
    {
        var signInId = SignInId.New();
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            delete from sign_in where company_id = @companyId and person_id = @personId and seen_at < @gone;
            insert into sign_in (company_id, sign_in_id, person_id, made_at, seen_at, device, address) values (@companyId, @signInId, @personId, @now, @now, @device, @address);
            insert into known_device (company_id, person_id, device_id, known_at) values (@companyId, @personId, @deviceId, @now)
            on conflict (company_id, person_id, device_id) do update set known_at = excluded.known_at;
            """, new { companyId, personId, signInId, deviceId, device, address, now, gone = now - Duration.FromTimeSpan(lives) });
        return signInId;
    }

    /// <summary>Newest first.</summary>
    public async Task<IReadOnlyList<SignedIn>> Of(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<SignedIn>(cancel, """
            select sign_in_id, made_at, seen_at, device, address from sign_in
            where company_id = @companyId and person_id = @personId order by seen_at desc, sign_in_id limit 100
            """, new { companyId, personId })];
    }

    /// <summary>Ends one sign-in of a person: its cookie, and every copy of it, is worth nothing from now on.</summary>
    public async Task<bool> End(CompanyId companyId, PersonId personId, SignInId signInId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var ended = await c.Run(cancel, "delete from sign_in where company_id = @companyId and person_id = @personId and sign_in_id = @signInId", new { companyId, personId, signInId });
        people.Forget();
        return ended == 1;
    }

    /// <summary>Ends all of a person's sign-ins, but for the one that asks.</summary>
    public async Task EndAll(CompanyId companyId, PersonId personId, SignInId? but, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "delete from sign_in where company_id = @companyId and person_id = @personId and (@but::uuid is null or sign_in_id <> @but)", new { companyId, personId, but });
        people.Forget();
    }

    public async Task<bool> Knows(CompanyId companyId, PersonId personId, Guid deviceId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from known_device where company_id = @companyId and person_id = @personId and device_id = @deviceId)", new { companyId, personId, deviceId });
    }

    /// <summary>What wrong passwords are counted by. What was typed is kept as a hash: people type passwords into the wrong field.</summary>
    public static string Tried(string login, string where) =>
        Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes($"{login.Trim().ToLowerInvariant()}\n{where}")));

    /// <summary>Until when to wait; null where one may try.</summary>
    public async Task<Instant?> WaitUntil(IReadOnlyList<string> tried, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<Instant?>(cancel, "select max(wait_until) from sign_in_failure where tried = any(@tried) and wait_until > @now", new { tried = tried.ToArray(), now });
    }

    /// <param name="free">How many cost no waiting.</param>
    public async Task CountFailure(string tried, int free, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            delete from sign_in_failure where at < @gone;
            insert into sign_in_failure as f (tried, failures, wait_until, at) values (@tried, 1, @now, @now)
            on conflict (tried) do update set failures = f.failures + 1, at = @now,
                wait_until = case when f.failures + 1 < @free then @now else @now + least(@longest, @first * 2 ^ least(f.failures + 1 - @free, 20)) * interval '1 second' end;
            """, new { tried, free, now, gone = now - Remembered, first = First.TotalSeconds, longest = Longest.TotalSeconds });
    }

    public async Task Clear(IReadOnlyList<string> tried, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "delete from sign_in_failure where tried = any(@tried)", new { tried = tried.ToArray() });
    }
}
