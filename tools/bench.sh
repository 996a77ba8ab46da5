# Measures the server against raw PostgreSQL, both on a database of their own, in the same run; then the judgement of pictures and traces.
# ./rhabdon bench faces|traces|fuzz N measures only that.
run_bench() {
  dotnet build -c Release bench/Rhabdon.Figures -v quiet -nologo -clp:NoSummary
  if [ $# -gt 0 ]; then
    dotnet bench/Rhabdon.Figures/bin/Release/net10.0/Rhabdon.Figures.dll "$@" 2>/dev/null
    return
  fi
  cluster_start bench
  trap 'cluster_stop bench' EXIT
  database_drop bench
  database_create bench
  dotnet build -c Release bench/Rhabdon.Bench -v quiet -nologo -clp:NoSummary
  RHABDON_DB=$(connection bench) dotnet bench/Rhabdon.Bench/bin/Release/net10.0/Rhabdon.Bench.dll "$SERVER" "$(free_port)"
  dotnet bench/Rhabdon.Figures/bin/Release/net10.0/Rhabdon.Figures.dll 2>/dev/null
}
