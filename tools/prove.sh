# What takes longer than a test may: run by hand before an issue is resolved. Its figures go into docs/benchmarks.md.
# ./rhabdon prove model|hostile|kills|loads|fuzz|scale|package|year does only that.
. tools/prove-package.sh

run_prove() {
  need_tools
  build_server
  local part
  for part in ${1:-model hostile year kills loads fuzz package scale}; do
    echo "== $part"
    "prove_$part" "${@:2}"
  done
}

# Sixty times as many stories in Core as ./rhabdon test tells, ten times through HTTP and PostgreSQL.
prove_model() {
  dotnet build -c Release Rhabdon.slnx -v quiet -nologo -clp:NoSummary
  RHABDON_STORIES=60 dotnet run -c Release --no-build --project tests/Rhabdon.Core.Tests -- -noLogo -noColor -class Rhabdon.Core.Tests.LedgerModelTests
  cluster_start test "-c fsync=off"
  RHABDON_STORIES=10 RHABDON_TEST_DB=$(connection postgres) dotnet run -c Release --no-build --project tests/Rhabdon.Server.Tests -- -noLogo -noColor -method '*Three_devices_in_any_order*'
  cluster_stop test
}

# Forty times as many requests of nonsense as ./rhabdon test sends, made from the API document.
prove_hostile() {
  dotnet build -c Release Rhabdon.slnx -v quiet -nologo -clp:NoSummary
  cluster_start test "-c fsync=off"
  RHABDON_HOSTILE=20000 RHABDON_TEST_DB=$(connection postgres) dotnet run -c Release --no-build --project tests/Rhabdon.Server.Tests -- -noLogo -noColor -showLiveOutput -class Rhabdon.Server.Tests.HostileTests
  cluster_stop test
}

# The demo with the year before it: what is wrong in it stands out, and how long it takes to load.
prove_year() {
  dotnet build -c Release Rhabdon.slnx -v quiet -nologo -clp:NoSummary
  cluster_start test "-c fsync=off"
  RHABDON_YEAR=1 RHABDON_TEST_DB=$(connection postgres) dotnet run -c Release --no-build --project tests/Rhabdon.Server.Tests -- -noLogo -noColor -showLiveOutput -class Rhabdon.Server.Tests.DemoYearTests
  cluster_stop test
}

# Whoever supervises the database brings it back, as ./rhabdon serve does.
prove_kills() {
  cluster_start bench
  database_drop kills
  database_create kills
  dotnet build -c Release bench/Rhabdon.Bench -v quiet -nologo -clp:NoSummary
  (while sleep 0.5; do cluster_runs || cluster_up || true; done) >/dev/null 2>&1 &
  local watch=$! status=0
  RHABDON_POSTMASTER=$CLUSTER/postmaster.pid RHABDON_DB=$(connection kills) dotnet bench/Rhabdon.Bench/bin/Release/net10.0/Rhabdon.Bench.dll "$SERVER" "$(free_port)" kills ${KILLS:-20 10} || status=$?
  kill $watch
  wait $watch 2>/dev/null || true
  database_drop kills
  cluster_stop bench
  return $status
}

# Fifty pictures of 64 MB at once, calculations made to last, hundreds of corrections on one end: what the server takes, and what a bystander waits.
prove_loads() {
  cluster_start bench
  database_drop loads
  database_create loads
  RHABDON_DB=$(connection loads) dotnet "$SERVER" load-demo
  local port part
  for part in uploads calculators corrections; do
    port=$(free_port)
    RHABDON_DB=$(connection loads) dotnet "$SERVER" serve --port "$port" --sign-ins-per-minute 1000 >/dev/null &
    local server=$!
    until (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do sleep 0.1; done
    node bench/load.mjs "$port" $server $part
    kill $server
    wait $server || true
  done
  database_drop loads
  cluster_stop bench
}

prove_fuzz() { run_bench fuzz 200000; }

prove_scale() { run_bench scale; }
