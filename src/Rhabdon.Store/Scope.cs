using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>Whose eyes a query looks through. Every query takes one, so that none can cross companies.</summary>
/// <param name="Jobs">Where a script is held to some jobs, these; null for all that its role and crew come to.</param>
public sealed record Scope(CompanyId CompanyId, PersonId PersonId, Role Role, CrewId? CrewId, IReadOnlyList<JobId>? Jobs = null)
{
    private const string OfJobs = "(@Jobs::uuid[] is null or j.job_id = any(@Jobs))";

    private const string Named = """
        (@Viewer and exists (
            select 1 from job_viewer v where v.company_id = j.company_id and v.job_id = j.job_id and v.person_id = @PersonId))
        """;

    private const string Given = "e.crew_id = @WorkCrewId and (e.person_id is null or e.person_id = @PersonId or @MayPlan)";

    /// <summary>SQL that is true for a job <c>j</c> that this person may see: office all, crews those that are theirs to plan or have an end of theirs in it, viewers those named to them.</summary>
    public const string SeesJob = $"""
        (@Office or j.crew_id = @WorkCrewId
         or exists (select 1 from cable_end e where e.company_id = j.company_id and e.job_id = j.job_id and {Given})
         or {Named}) and {OfJobs}
        """;

    /// <summary>SQL that is true for an end <c>e</c> of a job <c>j</c> that this person may see: who works it, their lead, and who plans the job.</summary>
    public const string SeesEnd = $"""
        (@Office or ({Given}) or (@MayPlan and j.crew_id = @WorkCrewId) or {Named}) and {OfJobs}
        """;

    /// <summary>
    /// The same as parts that lie apart and together are all: each is found by an index of its own, where the database would look through
    /// everybody's for the whole of it.
    /// </summary>
    public IReadOnlyList<string> SeesEndInParts => Role switch
    {
        Role.Office => ["true"],
        Role.Viewer => [Named],
        _ when Jobs is not null => [SeesEnd],
        Role.Lead => ["e.crew_id = @WorkCrewId", "e.given_by = @WorkCrewId"],
        _ => [$"({Given})"],
    };

    /// <summary>False for what a script that is held to others asks for.</summary>
    public bool Reaches(JobId jobId) => Jobs is null || Jobs.Contains(jobId);

    public bool Office => Role == Role.Office;

    public bool Viewer => Role == Role.Viewer;

    public CrewId? WorkCrewId => Viewer ? null : CrewId;

    /// <summary>Leads and the office plan, settle and decide.</summary>
    public bool MayPlan => Role is Role.Lead or Role.Office;
}
