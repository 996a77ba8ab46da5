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
        // An id is a UUID, whatever it is the id of; an instant is one, though we read it more strictly.
        options.CreateSchemaReferenceId = type => Format(type.Type) is not null ? null : OpenApiOptions.CreateDefaultSchemaReferenceId(type);
        options.AddSchemaTransformer((schema, context, _) =>
        {
            if (Format(context.JsonTypeInfo.ElementType ?? context.JsonTypeInfo.Type) is not null)
            {
                Say(schema, context.JsonTypeInfo.Type, context.JsonTypeInfo.ElementType);
            }

            return Task.CompletedTask;
        });
        options.AddOperationTransformer((operation, context, _) =>
        {
            foreach (var asked in context.Description.ParameterDescriptions)
            {
                var type = asked.ParameterDescriptor?.ParameterType;
                if (type is not null && Format(type.GetElementType() ?? type) is not null && operation.Parameters?.FirstOrDefault(p => p.Name == asked.Name)?.Schema is OpenApiSchema schema)
                {
                    Say(schema, Nullable.GetUnderlyingType(type) ?? type, type.GetElementType());
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

    /// <summary>How a value of this type is written, where the document would not know it by itself.</summary>
    private static string? Format(Type type) => (Nullable.GetUnderlyingType(type) ?? type) switch
    {
        { IsGenericType: true } t when t.GetGenericTypeDefinition() == typeof(Id<>) => "uuid",
        var t when t == typeof(Instant) => "date-time",
        var t when t == typeof(LocalDate) => "date",
        _ => null,
    };

    private static void Say(OpenApiSchema schema, Type type, Type? element)
    {
        if (Format(type) is { } format)
        {
            (schema.Type, schema.Format) = (JsonSchemaType.String | (Nullable.GetUnderlyingType(type) is null ? 0 : JsonSchemaType.Null), format);
        }
        else
        {
            schema.Items = new OpenApiSchema { Type = JsonSchemaType.String, Format = Format(element!) };
        }
    }
}
