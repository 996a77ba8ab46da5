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

# A backup lies where its caller stands, for its owner alone.
(
  umask 022
  STATE=$work CALLER=$work PG_BIN=$work/bin
  . tools/database.sh
  need_tools() { :; }
  cluster_runs() { true; }
  cluster_start() { :; }
  database_exists() { true; }
  printf '%s\n' '#!/bin/sh' 'while [ "$1" != -f ]; do shift; done; echo data >"$2"' >"$work/bin/pg_dump"
  chmod +x "$work/bin/pg_dump"
  backup tonight.dump >/dev/null
  # Encrypted to a public key: only its other half reads it, and restore says so.
  need_tools() { :; }
  export GNUPGHOME=$work/gpg
  mkdir -m 700 "$GNUPGHOME"
  gpg --batch --quiet --passphrase '' --quick-generate-key office@rhabdon.test future-default default never 2>/dev/null
  gpg --batch --quiet --export office@rhabdon.test >"$work/office.key"
  printf '%s\n' '#!/bin/sh' 'echo data' >"$work/bin/pg_dump"
  backup tonight.gpg --for office.key >/dev/null
  ! grep -q data "$work/tonight.gpg" || fail "an encrypted backup is plain"
  [ "$(gpg --batch --quiet --decrypt "$work/tonight.gpg" 2>/dev/null)" = data ] || fail "an encrypted backup cannot be read by its key"
  [ "$(stat -c %a "$work/tonight.gpg")" = 600 ] || fail "an encrypted backup is for others, too"
  said=$(restore tonight.gpg "" 2>&1) && fail "an encrypted backup was restored"
  [[ $said == *"is encrypted"* ]] || fail "an encrypted backup was refused without the reason: $said"
  gpgconf --kill gpg-agent
)
[ "$(stat -c %a "$work/tonight.dump" 2>/dev/null)" = 600 ] || fail "a backup is not where its caller stands, for its owner alone"
echo "the command: passed"
