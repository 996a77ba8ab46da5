using System.Globalization;
using System.Text;
using Npgsql;

namespace Rhabdon.Store;

/// <summary>Where the database is, for PostgreSQL's own programs.</summary>
public static class DatabaseAddress
{
    /// <returns>Lines such as <c>export PGHOST='/run/postgresql'</c>.</returns>
    public static string ForShell(string connectionString)
    {
        var of = new NpgsqlConnectionStringBuilder(connectionString);
        var lines = new StringBuilder();
        foreach (var (name, value) in new[]
        {
            ("PGHOST", of.Host), ("PGPORT", of.Port.ToString(CultureInfo.InvariantCulture)), ("PGUSER", of.Username), ("PGPASSWORD", of.Password), ("PGPASSFILE", of.Passfile), ("PGDATABASE", of.Database),
            ("PGSSLMODE", of.SslMode switch { SslMode.VerifyCA => "verify-ca", SslMode.VerifyFull => "verify-full", var mode => mode.ToString().ToLowerInvariant() }), ("PGSSLROOTCERT", of.RootCertificate),
        })
        {
            if (!string.IsNullOrEmpty(value))
            {
                lines.Append(CultureInfo.InvariantCulture, $"export {name}='{value.Replace("'", @"'\''", StringComparison.Ordinal)}'\n");
            }
        }

        return lines.ToString();
    }
}
