using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;
using Rhabdon.Core;
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
        // An id is a UUID, whatever it is the id of.
        options.CreateSchemaReferenceId = type => IsId(type.Type) ? null : OpenApiOptions.CreateDefaultSchemaReferenceId(type);
        options.AddSchemaTransformer((schema, context, _) =>
        {
            if (IsId(context.JsonTypeInfo.ElementType ?? context.JsonTypeInfo.Type))
            {
                Say(schema, context.JsonTypeInfo.Type);
            }

            return Task.CompletedTask;
        });
        options.AddOperationTransformer((operation, context, _) =>
        {
            foreach (var asked in context.Description.ParameterDescriptions)
            {
                var type = asked.ParameterDescriptor?.ParameterType;
                if (type is not null && IsId(type.GetElementType() ?? type) && operation.Parameters?.FirstOrDefault(p => p.Name == asked.Name)?.Schema is OpenApiSchema schema)
                {
                    Say(schema, Nullable.GetUnderlyingType(type) ?? type);
                }
            }

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

    /// <summary>Whether this is an id, or one that may be left out.</summary>
    private static bool IsId(Type type) => (Nullable.GetUnderlyingType(type) ?? type) is { IsGenericType: true } t && t.GetGenericTypeDefinition() == typeof(Id<>);

    private static void Say(OpenApiSchema schema, Type type)
    {
        if (IsId(type))
        {
            (schema.Type, schema.Format) = (JsonSchemaType.String | (Nullable.GetUnderlyingType(type) is null ? 0 : JsonSchemaType.Null), "uuid");
        }
        else
        {
            schema.Items = new OpenApiSchema { Type = JsonSchemaType.String, Format = "uuid" };
        }
    }
}
