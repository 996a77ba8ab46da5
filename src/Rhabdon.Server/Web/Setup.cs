using System.Text.Json.Serialization.Metadata;
using System.Threading.RateLimiting;
using FluentValidation;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.RateLimiting;
using Microsoft.Extensions.Hosting.Systemd;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Calc;
using Rhabdon.Server.Day;
using Rhabdon.Server.Demo;
using Rhabdon.Server.Handover;
using Rhabdon.Server.Inspection;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Kit;
using Rhabdon.Server.Ledger;
using Rhabdon.Server.Measure;
using Rhabdon.Server.Procedures;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Records;
using Rhabdon.Server.Rework;
using Rhabdon.Server.Schedule;
using Rhabdon.Server.Today;
using Rhabdon.Server.Traces;
using Rhabdon.Server.Yield;
using Rhabdon.Store;

namespace Rhabdon.Server.Web;

/// <summary>Puts the server together: services, then the order in which a request passes through.</summary>
public static class Setup
{
    public const string SignInLimit = "sign-in";

    /// <summary>Of what anybody may ask without an account.</summary>
    public const string OpenLimit = "open";

    private const int OpenPerMinute = 240;

    /// <summary>Largest request, in bytes: 500 ledger events fit easily.</summary>
    internal const long LargestRequest = 4 * 1024 * 1024;

    public static void AddRhabdon(this WebApplicationBuilder builder, Settings settings)
    {
        var s = builder.Services;
        s.AddSingleton(Database.Open(settings.Db));
        s.AddSingleton(_ => Documents.Load(AppContext.BaseDirectory)).AddSingleton(p => p.GetRequiredService<Documents>().Rules);
        s.AddSingleton<People>().AddSingleton<SignIns>().AddSingleton<Watchers>().AddSingleton<Audit>().AddSingleton<Store.Jobs>().AddSingleton<Store.Plan>().AddSingleton<Assignments>().AddSingleton<StreamProjector>().AddSingleton<Store.Records>().AddSingleton<Store.Today>().AddSingleton<Kits>().AddSingleton<YieldCounts>().AddSingleton<Causes>().AddSingleton<Methods>().AddSingleton<NearlyOut>().AddSingleton<JobTotals>().AddSingleton<FactBook>().AddSingleton<EventLog>().AddSingleton<Intake>().AddSingleton<TakeOver>().AddSingleton<Quarantine>().AddSingleton<Projector>().AddSingleton<IFiles, DatabaseFiles>().AddSingleton(p => new EvidenceStore(p.GetRequiredService<Npgsql.NpgsqlDataSource>(), p.GetRequiredService<IFiles>(), settings.EvidenceMb * 1024 * 1024)).AddSingleton<Tokens>().AddSingleton<Codes>().AddSingleton<OneTimeCodes>().AddSingleton<Inspection.PictureKeeping>().AddSingleton<DemoLoader>().AddSingleton<DossierShelf>().AddSingleton<Letterheads>().AddSingleton<JobLinks>().AddSingleton<SealKeys>().AddSingleton<DossierMaker>().AddSingleton<DossierProcess>().AddSingleton<DossierArchive>().AddSingleton<PlanFiles>().AddSingleton<JobPacks>().AddSingleton<Days>().AddSingleton<Solving>().AddSingleton<Weeks>().AddSingleton<WeekMaker>().AddSingleton<JobCarrier>();
        s.AddSingleton<IPasswordHasher<string>, PasswordHasher<string>>();
        s.AddSingleton(TimeProvider.System);
        s.AddMemoryCache();
        s.AddHostedService<FactFollower>().AddHostedService<Records.ProjectionBuilder>().AddHostedService(p => p.GetRequiredService<WeekMaker>());
        Draws<DossierProcess>(DossierProcess.CanBe);
        Draws<DossierMaker>(!DossierProcess.CanBe);
        s.AddValidatorsFromAssemblyContaining<Sentences>(ServiceLifetime.Singleton, includeInternalTypes: true);
        s.ConfigureHttpJsonOptions(o =>
        {
            Wire.Configure(o.SerializerOptions);
            o.SerializerOptions.TypeInfoResolver = (o.SerializerOptions.TypeInfoResolver ?? new DefaultJsonTypeInfoResolver()).WithAddedModifier(Sentences.Into);
        });
        s.Configure<RouteHandlerOptions>(o => o.ThrowOnBadRequest = true);
        s.AddSignalR();
        s.AddProblemDetails();
        s.AddExceptionHandler<Problems>();
        s.AddOpenApi(ApiDocument.Configure);
        builder.WebHost.ConfigureKestrel(k =>
        {
            k.Limits.MaxRequestBodySize = LargestRequest;
            // Of what has come and is not read yet, for each of many who send at once.
            k.Limits.MaxRequestBufferSize = 128 * 1024;
        });

        var protection = s.AddDataProtection().SetApplicationName("rhabdon");
        if (settings.Keys is { } keys)
        {
            protection.PersistKeysToFileSystem(new DirectoryInfo(keys));
        }

        // Who brings a token is asked for that, and nothing else.
        s.AddAuthentication("either").AddPolicyScheme("either", null, o => o.ForwardDefaultSelector = http => TokenSignIn.Asks(http.Request) ? TokenSignIn.Name : CookieAuthenticationDefaults.AuthenticationScheme)
            .AddCookie(o => SignIn.ConfigureCookie(o, settings)).AddScheme<Microsoft.AspNetCore.Authentication.AuthenticationSchemeOptions, TokenSignIn>(TokenSignIn.Name, null);
        s.AddAuthorizationBuilder()
            .SetFallbackPolicy(SignIn.SignedIn)
            .AddPolicy(Policies.Person, p => p.RequireAuthenticatedUser().RequireClaim(SignIn.SignInClaim))
            .AddPolicy(Policies.Work, p => p.RequireRole(nameof(Role.Installer), nameof(Role.Lead), nameof(Role.Office)))
            .AddPolicy(Policies.Plan, p => p.RequireRole(nameof(Role.Lead), nameof(Role.Office)))
            .AddPolicy(Policies.Office, p => p.RequireRole(nameof(Role.Office)));
        s.AddHealthChecks().AddCheck<DatabaseCheck>("database");
        s.AddAntiforgery(o =>
        {
            o.HeaderName = "X-Rhabdon-Token";
            o.Cookie.Name = "rhabdon-form";
            o.Cookie.SameSite = SameSiteMode.Strict;
            o.Cookie.HttpOnly = true;
            o.Cookie.SecurePolicy = SignIn.Secure(settings);
        });
        s.AddRateLimiter(o =>
        {
            o.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            o.OnRejected = async (context, _) => await Problems.Write(context.HttpContext, 429, context.HttpContext.GetEndpoint()?.Metadata.GetMetadata<EnableRateLimitingAttribute>()?.PolicyName == OpenLimit
                ? Refusal.Of("too-many-requests", "path") : new Refusal("too-many-sign-ins", "login", "Too many sign-ins from here. Wait a minute and try again."));
            o.AddPolicy(OpenLimit, http => RateLimitPartition.GetFixedWindowLimiter(
                http.Connection.RemoteIpAddress?.ToString() ?? "",
                _ => new FixedWindowRateLimiterOptions { PermitLimit = OpenPerMinute, Window = TimeSpan.FromMinutes(1) }));
            o.AddPolicy(SignInLimit, http => RateLimitPartition.GetFixedWindowLimiter(
                http.Connection.RemoteIpAddress?.ToString() ?? "",
                _ => new FixedWindowRateLimiterOptions { PermitLimit = settings.SignInsPerMinute, Window = TimeSpan.FromMinutes(1) }));
        });

        void Draws<T>(bool so) where T : class, IDossierQueue, IHostedService
        {
            if (so)
            {
                s.AddSingleton<IDossierQueue>(p => p.GetRequiredService<T>()).AddHostedService(p => p.GetRequiredService<T>());
            }
        }
    }

    /// <summary>Tells systemd when the server answers. AddSystemd looks for its parent in /proc, which our unit hides from it; that it shall tell stands in the environment.</summary>
    public static void AddSupervisor(this WebApplicationBuilder builder)
    {
        if (Environment.GetEnvironmentVariable("NOTIFY_SOCKET") is { Length: > 0 })
        {
            builder.Services.AddSingleton<ISystemdNotifier, SystemdNotifier>();
            builder.Services.AddSingleton<IHostLifetime, SystemdLifetime>();
        }
    }

    public static void UseRhabdon(this WebApplication app)
    {
        app.UseMiddleware<SecurityHeaders>();
        app.UseReach();
        app.UseMetrics();
        app.UseExceptionHandler();
        Pages.Use(app);
        app.UseRouting();
        app.UseRateLimiter();
        app.UseAuthentication();
        app.UseMiddleware<AuditTrail>();
        app.UseCodesFirst();
        app.UseAuthorization();
        app.UseMiddleware<WriteGuard>();
        app.UseMiddleware<BodyGuard>();
        app.MapTrust();
        app.MapOpenApi().AllowAnonymous();
        app.MapHub<Live>(Live.Path);
        // Alive: the server answers at all. Ready: its database does, too.
        app.MapHealthChecks("/health/live", new() { Predicate = _ => false }).AllowAnonymous();
        app.MapHealthChecks("/health/ready").AllowAnonymous();
        var api = app.MapGroup("/api").BoundCalculators().CheckShapes(app.Services);
        api.MapAccounts();
        api.MapTokens();
        api.MapCodes();
        api.MapStorage();
        api.MapJobs();
        api.MapPlan();
        api.MapPlanFiles();
        api.MapAssignments();
        api.MapStreams();
        api.MapProcedures();
        api.MapCalc();
        api.MapLoss();
        api.MapKit();
        api.MapScheduleCalc();
        api.MapWeek();
        api.MapRates();
        api.MapFaces();
        api.MapBenchPictures();
        api.MapPictures();
        api.MapTraces();
        api.MapReadings();
        api.MapLimits();
        api.MapLedger();
        api.MapRecords();
        api.MapToday();
        api.MapJobKit();
        api.MapFigures();
        api.MapPicks();
        api.MapFacts();
        api.MapYield();
        api.MapRework();
        api.MapSearch();
        api.MapHandover();
        api.MapDossiers();
        api.MapCarriedJobs();
        api.MapFolder();
        api.MapDay();
        api.MapHours();
        api.MapLetterhead();
        api.MapLinks();
        api.MapLabels();
        api.MapCheck();
        api.MapFallback((HttpContext _) => { throw new ApiException(404, Refusal.Of("not-found", "path")); }).AllowAnonymous();
        Pages.Map(app);
    }
}

public static class Policies
{
    /// <summary>Somebody who signed in, and not a script with a token.</summary>
    public const string Person = "person";
    public const string Work = "work";
    public const string Plan = "plan";
    public const string Office = "office";
}
