# Everything that must hold, and one last line that sums it up.
PASSED=0
FAILED=0

# A check that passes or fails as a whole.
check() {
  local name=$1
  shift
  echo "== $name"
  if "$@"; then PASSED=$((PASSED + 1)); else FAILED=$((FAILED + 1)); echo "FAILED: $name"; fi
}

# Adds the counts that an xUnit runner prints at its end.
xunit() {
  local log=$STATE/$1.log total failed
  echo "== $1"
  dotnet run -c Release --no-build --project "tests/$1" -- -noLogo -noColor >"$log" 2>&1 || true
  total=$(sed -n 's/.*Total: \([0-9]*\),.*/\1/p' "$log" | tail -n 1)
  failed=$(sed -n 's/.*Errors: \([0-9]*\), Failed: \([0-9]*\),.*/\1+\2/p' "$log" | tail -n 1)
  if [ -z "$total" ] || [ $((failed)) != 0 ]; then tail -n 150 "$log"; else tail -n 1 "$log"; fi
  if [ -z "$total" ]; then FAILED=$((FAILED + 1)); return; fi
  PASSED=$((PASSED + total - (failed)))
  FAILED=$((FAILED + failed))
}

# Adds the counts of a JSON report; the filter prints "passed failed".
report() {
  local counts
  counts=$(node -e "$2" "$1" 2>/dev/null) || counts="0 1"
  PASSED=$((PASSED + ${counts% *}))
  FAILED=$((FAILED + ${counts#* }))
}

# The browser tests, in two browsers at a time where there are cores for it, each with a database and a server of its own.
browse() {
  local n vars=()
  rm -f "$STATE/playwright.json"
  for n in $(seq "${RHABDON_DESKS:-$(($(nproc) > 1 ? 2 : 1))}"); do
    for database in "e2e_$n" "e2e_new_$n" "e2e_empty_$n"; do database_drop "$database"; database_create "$database"; done
    RHABDON_DB=$(connection "e2e_$n") dotnet "$SERVER" load-demo
    # The demo as it is before any test has worked in it.
    database_drop "e2e_calm_$n"
    sql postgres "create database e2e_calm_$n template e2e_$n"
    vars+=("PORT_$n=$(free_port)" "RHABDON_DB_$n=$(connection "e2e_$n")" "RHABDON_NEW_DB_$n=$(connection "e2e_new_$n")" "RHABDON_EMPTY_DB_$n=$(connection "e2e_empty_$n")" "RHABDON_CALM_DB_$n=$(connection "e2e_calm_$n")")
  done
  # Servers that live for a minute do not study their own code.
  (cd web && env "${vars[@]}" DOTNET_TieredPGO=0 SERVER="$SERVER" WEB="$ROOT/web/dist" REPORT="$STATE/playwright.json" NODE_PATH="$ROOT/web/node_modules" \
    npx playwright test -c ../tests/e2e/playwright.config.ts "$@")
}

run_tests() {
  need_tools
  need_chromium
  command -v gpg >/dev/null || install_debian gnupg "encrypted backups"
  export CI=${CI:-}
  check "build" dotnet build Rhabdon.slnx -c Release -v quiet -nologo -clp:NoSummary
  check "format" dotnet format Rhabdon.slnx --verify-no-changes --no-restore
  touch "$STATE/server.stamp"
  install_web
  check "command" bash tests/command.sh
  check "lint" npm --prefix web run -s lint
  check "shapes of files" node web/scripts/schemas.mjs --check
  check "build of the browser part" build_web
  cluster_start test "-c fsync=off -c max_connections=300"
  trap 'cluster_stop test' EXIT
  xunit Rhabdon.Core.Tests
  xunit Rhabdon.Imaging.Tests
  RHABDON_TEST_DB=$(connection postgres) xunit Rhabdon.Server.Tests
  for old in $(sql postgres "select datname from pg_database where datname like 't\_%'"); do database_drop "$old"; done

  echo "== Vitest"
  (cd web && npx vitest run --reporter=default --reporter=json --outputFile.json="$STATE/vitest.json") || true
  report "$STATE/vitest.json" 'const r=require(process.argv[1]);console.log(r.numPassedTests,r.numFailedTests+(r.success?0:r.numFailedTests?0:1))'

  echo "== Playwright"
  browse || true
  report "$STATE/playwright.json" 'const s=require(process.argv[1]).stats;console.log(s.expected,s.unexpected+s.flaky)'

  echo
  echo "$PASSED passed, $FAILED failed"
  [ "$FAILED" = 0 ]
}
