using Dapper;
using Npgsql;
using NpgsqlTypes;

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

    /// <summary>Adds rows by PostgreSQL's own way of taking in many, inside the transaction that is open.</summary>
    public static async Task Copy<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, IReadOnlyCollection<T> rows, Func<T, (object? Value, NpgsqlDbType Type)[]> columns)
    {
        if (rows.Count == 0)
        {
            return;
        }

        await using var writer = await c.BeginBinaryImportAsync(sql, cancel);
        foreach (var row in rows)
        {
            await writer.StartRowAsync(cancel);
            foreach (var (value, type) in columns(row))
            {
                await (value is null ? writer.WriteNullAsync(cancel) : writer.WriteAsync(value, type, cancel));
            }
        }

        await writer.CompleteAsync(cancel);
    }
}
