using System.Security.Cryptography;
using Microsoft.AspNetCore.Identity;
using Npgsql;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>What whoever holds the server can do to accounts without being signed in.</summary>
public sealed class AccountCommands(string word, string[] rest)
{
    private const int PasswordGroups = 5, GroupLength = 4;

    /// <summary>Letters and digits that nobody mistakes for one another.</summary>
    private const string Letters = "abcdefghjkmnpqrstuvwxyz23456789";

    public static AccountCommands? Find(string[] args) => args is ["reset-account" or "add-company", ..] ? new(args[0], args[1..]) : null;

    /// <returns>What the process ends with.</returns>
    public async Task<int> Run(IServiceProvider services, TextWriter says)
    {
        var (people, hasher) = (services.GetRequiredService<People>(), services.GetRequiredService<IPasswordHasher<string>>());
        var password = string.Join('-', Enumerable.Range(0, PasswordGroups).Select(_ => RandomNumberGenerator.GetString(Letters, GroupLength)));
        switch (word, rest)
        {
            case ("reset-account", [var login]):
                if (await people.FindByLogin(login.Trim()) is not { } found)
                {
                    await says.WriteLineAsync($"Nobody signs in as '{login}'.");
                    return 1;
                }

                await people.SetPassword(found.CompanyId, found.PersonId, hasher.HashPassword("", password));
                await services.GetRequiredService<Codes>().TurnOff(found.CompanyId, found.PersonId);
                await says.WriteLineAsync($"New password of {login}: {password}{(found.Disabled ? "  (disabled: the office has to take them back)" : "")}");
                return 0;
            case ("add-company", [var name, var login]) when name.Trim().Length is > 0 and <= 80 && login.Trim().Length is > 0 and <= 60:
                try
                {
                    await people.SetUp(CompanyId.New(), name.Trim(), PersonId.New(), login.Trim(), login.Trim(), hasher.HashPassword("", password), onlyFirst: false);
                }
                catch (PostgresException e) when (e.SqlState == PostgresErrorCodes.UniqueViolation)
                {
                    await says.WriteLineAsync($"Somebody signs in as '{login}' already.");
                    return 1;
                }

                await says.WriteLineAsync($"{name} is made. Its office signs in as {login} with the password {password}");
                return 0;
            default:
                await says.WriteLineAsync("reset-account LOGIN, or add-company NAME LOGIN");
                return 2;
        }
    }
}
