using System.Data;
using Dapper;
using Npgsql;
using NpgsqlTypes;
using Rhabdon.Core;

namespace Rhabdon.Store;

/// <summary>Ids as columns and parameters: a <c>uuid</c>, or an array of them for <c>= any(@ids)</c>.</summary>
internal static class IdColumns
{
    public static void Register()
    {
        foreach (var kind in Ids.Kinds)
        {
            var id = typeof(Id<>).MakeGenericType(kind);
            SqlMapper.AddTypeHandler(id, (SqlMapper.ITypeHandler)Activator.CreateInstance(typeof(One<>).MakeGenericType(kind))!);
            SqlMapper.AddTypeHandler(id.MakeArrayType(), (SqlMapper.ITypeHandler)Activator.CreateInstance(typeof(Several<>).MakeGenericType(kind))!);
            SqlMapper.AddTypeHandler(typeof(Nullable<>).MakeGenericType(id).MakeArrayType(), (SqlMapper.ITypeHandler)Activator.CreateInstance(typeof(SeveralOrNone<>).MakeGenericType(kind))!);
        }
    }

    private sealed class One<TKind> : SqlMapper.ITypeHandler
    {
        public object Parse(Type type, object value) => new Id<TKind>((Guid)value);

        public void SetValue(IDbDataParameter parameter, object value)
        {
            ((NpgsqlParameter)parameter).NpgsqlDbType = NpgsqlDbType.Uuid;
            parameter.Value = value is Id<TKind> id ? id.Value : DBNull.Value;
        }
    }

    private sealed class Several<TKind> : SqlMapper.ITypeHandler
    {
        public object Parse(Type type, object value) => Array.ConvertAll((Guid[])value, v => new Id<TKind>(v));

        public void SetValue(IDbDataParameter parameter, object value)
        {
            ((NpgsqlParameter)parameter).NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Uuid;
            parameter.Value = value is Id<TKind>[] ids ? Array.ConvertAll(ids, id => id.Value) : DBNull.Value;
        }
    }

    private sealed class SeveralOrNone<TKind> : SqlMapper.ITypeHandler
    {
        public object Parse(Type type, object value) => Array.ConvertAll((Guid?[])value, v => v is { } id ? new Id<TKind>(id) : (Id<TKind>?)null);

        public void SetValue(IDbDataParameter parameter, object value)
        {
            ((NpgsqlParameter)parameter).NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Uuid;
            parameter.Value = value is Id<TKind>?[] ids ? Array.ConvertAll(ids, id => id?.Value) : DBNull.Value;
        }
    }
}
