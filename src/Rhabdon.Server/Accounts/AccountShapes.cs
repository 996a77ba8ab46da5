using FluentValidation;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Accounts;

internal static class PasswordShape
{
    public static void Password<T>(this IRuleBuilder<T, string> rule) =>
        rule.Must(p => p.Length is >= Passwords.Shortest and <= Passwords.Longest).Refuse("password-length", ("least", Passwords.Shortest), ("most", Passwords.Longest));
}

internal sealed class SetupShape : AbstractValidator<SetupRequest>
{
    public SetupShape()
    {
        RuleFor(r => r.CompanyName).OneLine(80);
        RuleFor(r => r.Password).Password();
        RuleFor(r => r.Name).OneLine(80);
        RuleFor(r => r.Login).OneLine(60);
    }
}

internal sealed class NewCrewShape : AbstractValidator<NewCrew>
{
    public NewCrewShape() => RuleFor(r => r.Name).OneLine(60);
}

internal sealed class NewPersonShape : AbstractValidator<NewPerson>
{
    public NewPersonShape()
    {
        RuleFor(r => r.Password).Password();
        RuleFor(r => r.Name).OneLine(80);
        RuleFor(r => r.Login).OneLine(60);
        RuleFor(r => r.CrewId).Must((r, crew) => crew is not null || r.Role is Role.Office or Role.Viewer).Refuse("crew-missing");
    }
}

internal sealed class PersonFieldsShape : AbstractValidator<PersonFields>
{
    public PersonFieldsShape()
    {
        RuleFor(r => r.Name).OneLine(80);
        RuleFor(r => r.Login).OneLine(60);
        RuleFor(r => r.CrewId).Must((r, crew) => crew is not null || r.Role is Role.Office or Role.Viewer).Refuse("crew-missing");
    }
}

internal sealed class OwnPasswordShape : AbstractValidator<OwnPassword>
{
    public OwnPasswordShape() => RuleFor(r => r.Password).Password();
}

internal sealed class NewPasswordShape : AbstractValidator<NewPassword>
{
    public NewPasswordShape() => RuleFor(r => r.Password).Password();
}

internal sealed class NewTokenShape : AbstractValidator<NewToken>
{
    private const int MostJobs = 200;

    public NewTokenShape()
    {
        RuleFor(r => r.Name).OneLine(80);
        RuleFor(r => r.Role).Must(role => role is Role.Viewer or Role.Installer or Role.Lead).Refuse("token-role");
        RuleFor(r => r.CrewId).Must((r, crew) => (crew is not null) == r.Role is Role.Installer or Role.Lead).Refuse("token-crew");
        RuleFor(r => r.JobIds).Must((r, jobs) => r.Role == Role.Viewer ? jobs is { Count: > 0 and <= MostJobs } : jobs is null or { Count: <= MostJobs }).Refuse("token-jobs", ("most", MostJobs));
    }
}
