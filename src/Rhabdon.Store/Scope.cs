using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>Whose eyes a query looks through. Every query takes one, so that none can cross companies.</summary>
public sealed record Scope(Guid CompanyId, Guid PersonId, Role Role, Guid? CrewId)
{
    /// <summary>SQL that is true for a job <c>j</c> that this person may see: office all, crews their own, viewers those named to them.</summary>
    public const string SeesJob = """
        (@Office or j.crew_id = @WorkCrewId or (@Viewer and exists (
            select 1 from job_viewer v where v.company_id = j.company_id and v.job_id = j.job_id and v.person_id = @PersonId)))
        """;

    public bool Office => Role == Role.Office;

    public bool Viewer => Role == Role.Viewer;

    public Guid? WorkCrewId => Viewer ? null : CrewId;

    /// <summary>Leads and the office plan, settle and decide.</summary>
    public bool MayPlan => Role is Role.Lead or Role.Office;
}
