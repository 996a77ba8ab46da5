using Microsoft.AspNetCore.OpenApi;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Server.Web;

/// <summary>What /openapi/v1.json says about itself.</summary>
public static class ApiDocument
{
    private static readonly HashSet<Type> States =
    [
        typeof(EndState), typeof(AttemptState), typeof(LossState), typeof(InspectionState),
        typeof(BatchState), typeof(JobState), typeof(CrewState), typeof(ToolState), typeof(ToolCounts), typeof(LotState), typeof(InstrumentState),
    ];

    public static void Configure(OpenApiOptions options)
    {
        options.AddDocumentTransformer((document, _, _) =>
        {
            document.Info = new()
            {
                Title = "Rhabdon",
                Version = "v1",
                Description = "JSON in camelCase, the unit in each name, times in ISO 8601 UTC. Errors are problem documents with a code and the field. "
                    + "Lists take ?after=…&limit=…. Writes carry the token of GET /api/session in the header X-Rhabdon-Token.",
            };
            document.Servers = [];
            return Task.CompletedTask;
        });
        // A state is only ever answered, and then whole.
        options.AddSchemaTransformer((schema, context, _) =>
        {
            if (States.Contains(context.JsonTypeInfo.Type))
            {
                schema.Required = schema.Properties?.Keys.ToHashSet();
            }

            return Task.CompletedTask;
        });
    }
}
