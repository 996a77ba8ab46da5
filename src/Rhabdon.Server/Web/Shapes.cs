using System.Text.Json;
using FluentValidation;
using FluentValidation.Results;
using Rhabdon.Core;

namespace Rhabdon.Server.Web;

/// <summary>What can be said of a request by itself, before anybody looks at what it is about: one validator for each, in its feature's folder.</summary>
public static class Shapes
{
    /// <summary>Text of one line, counted without white space around it.</summary>
    public static IRuleBuilderOptions<T, string?> OneLine<T>(this IRuleBuilder<T, string?> rule, int most) =>
        rule.Must(text => text?.Trim() is { Length: > 0 } t && t.Length <= most && !t.Any(char.IsControl)).Refuse("text-length", ("most", most));

    /// <summary>Under which code it is refused, with which figures; words/ has the sentence.</summary>
    public static IRuleBuilderOptions<T, TValue> Refuse<T, TValue>(this IRuleBuilderOptions<T, TValue> rule, string code, params (string Name, object Value)[] args) => rule.WithErrorCode(code).WithState(_ => args);

    /// <summary>Asks the validators of what a handler is given, if there are any, before it runs.</summary>
    public static RouteGroupBuilder CheckShapes(this RouteGroupBuilder api, IServiceProvider services)
    {
        api.AddEndpointFilterFactory((handler, next) =>
        {
            var asked = handler.MethodInfo.GetParameters().Select((p, at) => (At: at, Validator: services.GetService(typeof(IValidator<>).MakeGenericType(p.ParameterType)) as IValidator)).Where(x => x.Validator is not null).ToList();
            return asked.Count == 0 ? next : async call =>
            {
                foreach (var (at, validator) in asked)
                {
                    var found = validator!.Validate(new ValidationContext<object>(call.Arguments[at]!));
                    if (!found.IsValid)
                    {
                        throw new ApiException(400, [.. found.Errors.Select(Said)]);
                    }
                }

                return await next(call);
            };
        });
        return api;
    }

    private static Refusal Said(ValidationFailure f) =>
        Refusal.Of(f.ErrorCode, JsonNamingPolicy.CamelCase.ConvertName(f.PropertyName), [("said", f.AttemptedValue ?? ""), .. (((string, object)[]?)f.CustomState) ?? []]);
}
