using System.Data;
using Dapper;

namespace Rhabdon.Store;

/// <summary>Instants and dates as columns and parameters: the database's plug-in knows them, Dapper is told to hand them over as they are.</summary>
internal static class TimeColumns
{
    public static void Register()
    {
        SqlMapper.AddTypeHandler(new AsItIs<Instant>());
        SqlMapper.AddTypeHandler(new AsItIs<LocalDate>());
    }

    private sealed class AsItIs<T> : SqlMapper.TypeHandler<T>
    {
        public override T? Parse(object value) => (T)value;

        public override void SetValue(IDbDataParameter parameter, T? value) => parameter.Value = value;
    }
}
