#!/usr/bin/env bash
# What the one command must do on a stranger's machine. Run by ./rhabdon test.
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"; [ -z "${holder:-}" ] || kill "$holder" 2>/dev/null || true' EXIT
fail() { echo "FAILED: $1"; exit 1; }

# Debian keeps ldconfig out of a plain user's PATH: what is installed is found all the same, each time.
needs() { PATH=$1 bash -c 'set -euo pipefail; STATE=$2; install_debian() { echo "missing $1"; exit 1; }; . tools/needs.sh; install_debian() { echo "missing $1"; exit 1; }; need_imaging' _ "$1" "$work"; }
for _ in 1 2 3; do needs /usr/local/bin:/usr/bin:/bin || fail "need_imaging without sbin on the PATH"; done

# A list that goes on long after the find: a pipe that breaks is no reason to say "missing".
mkdir "$work/bin"
printf '%s\n' '#!/bin/sh' 'echo "	libgtk-3.so.0 (libc6,x86-64) => /usr/lib/libgtk-3.so.0"' 'seq 200000' >"$work/bin/ldconfig"
chmod +x "$work/bin/ldconfig"
for _ in $(seq 20); do needs "$work/bin:/usr/bin:/bin" || fail "need_imaging with a long list"; done
printf '%s\n' '#!/bin/sh' 'seq 200' >"$work/bin/ldconfig"
! needs "$work/bin:/usr/bin:/bin" >/dev/null || fail "a library that is not there was found"

# A second serve in this checkout is refused with the reason, and touches nothing of the first.
mkdir -p .rhabdon
(exec 8>>.rhabdon/serving.lock; flock -n 8 && echo "demo, process 1," >.rhabdon/serving.lock; exec sleep 60) &
holder=$!
sleep 0.3
for what in demo serve; do
  said=$(./rhabdon $what --port 5999 2>&1) && fail "a second $what was not refused"
  [[ $said == *"already serves from this checkout"* ]] || fail "a second $what was refused without the reason: $said"
done

# A backup lies where its caller stands, for its owner alone, has been read back, and leaves word; one that fails costs no earlier one.
(
  umask 022
  STATE=$work CALLER=$work
  . tools/needs.sh
  . tools/database.sh
  need_tools() { find_postgres; }
  find_postgres
  trap 'cluster_stop data; gpgconf --homedir "$work/gpg" --kill gpg-agent 2>/dev/null' EXIT
  word() { grep -q "$1" "$work/backups/rhabdon/last.json" || fail "a backup left the word $(cat "$work/backups/rhabdon/last.json"), without $1"; }
  cluster_start data
  database_create rhabdon
  sql rhabdon "create table company (name text); create table ledger (n int); insert into ledger select generate_series(1, 300)"
  backup tonight.dump >/dev/null
  word '"ok":true' && word '"events":300' && word "\"bytes\":$(stat -c %s "$work/tonight.dump")"
  [ "$(stat -c %a "$work/tonight.dump")" = 600 ] || fail "a backup is not for its owner alone"
  [ -z "$(sql postgres "select datname from pg_database where datname like '%check%'")" ] || fail "what was read back was left lying"
  good=$(grep -o '"goodAt":"[^"]*"' "$work/backups/rhabdon/last.json")

  # What lacks a part of the ledger, or breaks off, is no backup; the earlier one stays.
  before=$(sha256sum "$work/tonight.dump") real=$PG_BIN
  mkdir "$work/pg"
  ln -s "$real"/* "$work/pg/"
  for broken in '"$0.real" --exclude-table-data=ledger "$@"' '"$0.real" "$@"; exit 1' 'while [ "$1" != -f ]; do shift; done; "$0.real" -Fc -d rhabdon | head -c 900 >"$2"'; do
    rm -f "$work/pg/pg_dump"
    ln -sf "$real/pg_dump" "$work/pg/pg_dump.real"
    printf '#!/bin/sh\n%s\n' "$broken" >"$work/pg/pg_dump"
    chmod +x "$work/pg/pg_dump"
    (find_postgres() { PG_BIN=$work/pg; }; backup tonight.dump) >/dev/null 2>&1 && fail "a backup by [$broken] was taken for whole"
    word '"ok":false' && word "$good"
    [ "$before" = "$(sha256sum "$work/tonight.dump")" ] || fail "a failed backup cost the earlier one"
  done

  # Encrypted to a public key: only its other half reads it, and restore says so.
  export GNUPGHOME=$work/gpg
  mkdir -m 700 "$GNUPGHOME"
  gpg --batch --quiet --passphrase '' --quick-generate-key office@rhabdon.test future-default default never 2>/dev/null
  gpg --batch --quiet --export office@rhabdon.test >"$work/office.key"
  backup tonight.gpg --for office.key >/dev/null
  word '"ok":true'
  [ "$(head -c 5 "$work/tonight.gpg")" != PGDMP ] || fail "an encrypted backup is plain"
  gpg --batch --quiet --decrypt --output "$work/plain.dump" "$work/tonight.gpg" 2>/dev/null
  "$PG_BIN/pg_restore" -f - -a -t ledger "$work/plain.dump" | grep -qx 300 || fail "an encrypted backup cannot be read by its key"
  [ "$(stat -c %a "$work/tonight.gpg")" = 600 ] || fail "an encrypted backup is for others, too"
  said=$(restore tonight.gpg "" 2>&1) && fail "an encrypted backup was restored"
  [[ $said == *"is encrypted"* ]] || fail "an encrypted backup was refused without the reason: $said"
)
echo "the command: passed"
