using Dapper;
using Npgsql;
using NpgsqlTypes;

namespace Rhabdon.Store;

/// <summary>
/// Dapper's questions, each with the caller's own way out: who has gone away does not keep the database busy for long. What is asked is soon answered, and is left to
/// be: a question that is cut off in the middle of its answer may leave its connection with the rest of it, for the next one to stumble over (seen with Npgsql 10.0.3).
/// </summary>
internal static class Sql
{
    /// <summary>Until a question is cut off for which nobody waits any more.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(3);

    public static Task<IEnumerable<T>> Query<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        Patient(cancel, late => c.QueryAsync<T>(new CommandDefinition(sql, args, transaction, cancellationToken: late)));

    /// <returns>Null where there is none.</returns>
    public static Task<T?> One<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        Patient(cancel, late => c.QuerySingleOrDefaultAsync<T?>(new CommandDefinition(sql, args, transaction, cancellationToken: late)));

    public static Task<T?> Scalar<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        Patient(cancel, late => c.ExecuteScalarAsync<T>(new CommandDefinition(sql, args, transaction, cancellationToken: late)));

    /// <summary>Answers that are read one after another: they are read to their end.</summary>
    public static Task<SqlMapper.GridReader> Several(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null)
    {
        cancel.ThrowIfCancellationRequested();
        return c.QueryMultipleAsync(new CommandDefinition(sql, args, transaction));
    }

    /// <returns>How many rows were written.</returns>
    public static Task<int> Run(this NpgsqlConnection c, CancellationToken cancel, string sql, object? args = null, NpgsqlTransaction? transaction = null) =>
        Patient(cancel, late => c.ExecuteAsync(new CommandDefinition(sql, args, transaction, cancellationToken: late)));

    private static async Task<T> Patient<T>(CancellationToken cancel, Func<CancellationToken, Task<T>> ask)
    {
        cancel.ThrowIfCancellationRequested();
        using var late = new CancellationTokenSource();
        using var gone = cancel.UnsafeRegister(l => ((CancellationTokenSource)l!).CancelAfter(Patience), late);
        return await ask(late.Token);
    }

    /// <summary>Adds rows by PostgreSQL's own way of taking in many, inside the transaction that is open.</summary>
    /// <param name="write">Writes one row's columns, in the order in which the statement names them.</param>
    public static async Task Copy<T>(this NpgsqlConnection c, CancellationToken cancel, string sql, IReadOnlyCollection<T> rows, Func<Row, T, Task> write)
    {
        if (rows.Count == 0)
        {
            return;
        }

        await using var writer = await c.BeginBinaryImportAsync(sql, cancel);
        foreach (var row in rows)
        {
            await writer.StartRowAsync(cancel);
            await write(new(writer, cancel), row);
        }

        await writer.CompleteAsync(cancel);
    }

    /// <summary>A row on its way into a table, each column under its own type.</summary>
    public readonly struct Row(NpgsqlBinaryImporter writer, CancellationToken cancel)
    {
        public Task Put(Guid? id) => Put(id, NpgsqlDbType.Uuid);

        public Task Put(string? text) => text is null ? writer.WriteNullAsync(cancel) : writer.WriteAsync(text, NpgsqlDbType.Text, cancel);

        public Task Put(string[] texts) => writer.WriteAsync(texts, NpgsqlDbType.Array | NpgsqlDbType.Text, cancel);

        public Task Put(Guid[] ids) => writer.WriteAsync(ids, NpgsqlDbType.Array | NpgsqlDbType.Uuid, cancel);

        public Task Put(int? number) => Put(number, NpgsqlDbType.Integer);

        public Task Put(long? number) => Put(number, NpgsqlDbType.Bigint);

        public Task Put(double? number) => Put(number, NpgsqlDbType.Double);

        public Task Put(bool? flag) => Put(flag, NpgsqlDbType.Boolean);

        public Task Put(Instant? at) => Put(at, NpgsqlDbType.TimestampTz);

        public Task PutJson(string json) => writer.WriteAsync(json, NpgsqlDbType.Jsonb, cancel);

        private Task Put<T>(T? value, NpgsqlDbType type) where T : struct => value is { } some ? writer.WriteAsync(some, type, cancel) : writer.WriteNullAsync(cancel);
    }
}
