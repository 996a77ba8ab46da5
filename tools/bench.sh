# Measures the server against raw PostgreSQL, both on a database of their own, in the same run.
run_bench() {
  cluster_start bench
  trap 'cluster_stop bench' EXIT
  database_drop bench
  database_create bench
  dotnet build -c Release bench/Rhabdon.Bench -v quiet -nologo -clp:NoSummary
  RHABDON_DB=$(connection bench) dotnet bench/Rhabdon.Bench/bin/Release/net10.0/Rhabdon.Bench.dll "$SERVER" "$(free_port)"
}
