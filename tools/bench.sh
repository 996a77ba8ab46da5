# Measures the server against raw PostgreSQL, both on a database of their own, in the same run; then the judgement of pictures and traces.
# ./rhabdon bench faces|traces|fuzz N measures only that; bench schedule how soon there is a week's plan, and how good it is; bench facts how fast all facts are made anew; bench papers how long dossiers and a plan by file take; ./rhabdon bench scale asks the lists of a company of some 460,000 ends with
# 15,000,000 events; bench scale lists leaves the events out, which takes a minute and not a quarter of an hour.
run_bench() {
  if [ "${1:-}" = scale ]; then bench_scale "${2:-}"; return; fi
  if [ "${1:-}" = facts ]; then bench_facts; return; fi
  if [ "${1:-}" = papers ]; then bench_papers; return; fi
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

# How fast all facts are made anew.
bench_facts() {
  cluster_start bench
  trap 'cluster_stop bench' EXIT
  database_drop facts
  database_create facts
  dotnet build -c Release bench/Rhabdon.Bench -v quiet -nologo -clp:NoSummary
  RHABDON_DB=$(connection facts) dotnet bench/Rhabdon.Bench/bin/Release/net10.0/Rhabdon.Bench.dll "$SERVER" "$(free_port)" facts
  database_drop facts
}

# How long dossiers and a large plan by file take, and what they take of memory.
bench_papers() {
  cluster_start bench
  trap 'kill $(jobs -p) 2>/dev/null || true; cluster_stop bench' EXIT
  database_drop papers
  database_create papers
  install_web
  RHABDON_DB=$(connection papers) dotnet "$SERVER" load-demo
  local port
  port=$(free_port)
  RHABDON_DB=$(connection papers) dotnet "$SERVER" serve --port "$port" >/dev/null &
  local server=$!
  await_server "$port"
  node bench/papers.mjs "$port" "$server"
  kill $server
  wait $server || true
  database_drop papers
}

# The lists and the start of a large company, on a database of its own.
bench_scale() {
  local events=on
  [ "${1:-}" != lists ] || events=off
  cluster_stop bench
  cluster_start bench "-c shared_preload_libraries=pg_stat_statements -c pg_stat_statements.track_planning=on -c max_wal_size=8GB"
  trap 'kill $(jobs -p) 2>/dev/null || true; cluster_stop bench' EXIT
  database_drop scale
  database_create scale
  RHABDON_DB=$(connection scale) dotnet "$SERVER" load-demo
  echo "start, the demo alone: $(start_ms scale) ms"
  "$PG_BIN/psql" -Xq -v ON_ERROR_STOP=1 -v events=$events -d scale -f bench/scale.sql
  sql scale "create extension pg_stat_statements"
  echo "$(sql scale "select count(*) || ' events, ' || pg_size_pretty(pg_database_size(current_database())) from ledger")"
  echo "$(sql scale "select count(*) || ' ends planned, ' || (select count(*) from end_state) || ' begun, ' || (select count(*) from end_state where status <> 'Accepted') || ' open' from cable_end")"
  echo "start, all of it:      $(start_ms scale) ms"
  local port
  port=$(free_port)
  RHABDON_DB=$(connection scale) dotnet "$SERVER" serve --port "$port" --sign-ins-per-minute 1000 >/dev/null &
  local server=$!
  await_server "$port"
  install_web
  PSQL="$PG_BIN/psql -Xqtd scale" PGLOG="$CLUSTER/server.log" node bench/scale.mjs "$port"
  kill $server
  wait $server || true
  database_drop scale_empty
  database_create scale_empty
  dotnet build -c Release bench/Rhabdon.Bench -v quiet -nologo -clp:NoSummary
  RHABDON_DB=$(connection scale_empty) RHABDON_DB_LARGE=$(connection scale) dotnet bench/Rhabdon.Bench/bin/Release/net10.0/Rhabdon.Bench.dll "$SERVER" "$port" sizes "$(free_port)" | grep intake
  database_drop scale_empty
  database_drop scale
}

await_server() {
  for _ in $(seq 3000); do (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null && return; sleep 0.02; done
  echo "rhabdon: the server did not start" >&2
  return 1
}

# How long a server takes until it answers.
start_ms() {
  local port begun
  port=$(free_port)
  begun=$(date +%s%N)
  RHABDON_DB=$(connection "$1") dotnet "$SERVER" serve --port "$port" >/dev/null &
  local server=$!
  await_server "$port"
  echo $((($(date +%s%N) - begun) / 1000000))
  kill $server
  wait $server || true
}
