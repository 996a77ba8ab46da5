using Dapper;
using Npgsql;

namespace Rhabdon.Store;

/// <summary>Dapper's questions, each with the caller's own way out: who has gone away no longer keeps the database busy.</summary>
internal static class Sql
{
    public static Task<IEnumerable<T>> Query<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        c.QueryAsync<T>(new CommandDefinition(sql, args, transaction, cancellationToken: cancel));

    /// <returns>Null where there is none.</returns>
    public static Task<T?> One<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        c.QuerySingleOrDefaultAsync<T?>(new CommandDefinition(sql, args, transaction, cancellationToken: cancel));

    public static Task<T?> Scalar<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        c.ExecuteScalarAsync<T>(new CommandDefinition(sql, args, transaction, cancellationToken: cancel));

    public static Task<SqlMapper.GridReader> Several(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        c.QueryMultipleAsync(new CommandDefinition(sql, args, transaction, cancellationToken: cancel));

    /// <returns>How many rows were written.</returns>
    public static Task<int> Run(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        c.ExecuteAsync(new CommandDefinition(sql, args, transaction, cancellationToken: cancel));
}
