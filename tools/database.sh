# A private PostgreSQL cluster inside the checkout, on loopback, run by an unprivileged user.
. "${BASH_SOURCE%/*}/dump.sh"

# PostgreSQL refuses root, so root hands over to Debian's postgres user. Where that user cannot walk into the
# checkout (a home folder closed to others), it is lent the one right to pass closed folders.
as_db_user() {
  if [ "$(id -u)" != 0 ]; then
    "$@"
  elif setpriv --reuid postgres --regid postgres --init-groups test -x "$STATE" 2>/dev/null; then
    setpriv --reuid postgres --regid postgres --init-groups "$@"
  else
    setpriv --reuid postgres --regid postgres --init-groups --inh-caps +dac_read_search --ambient-caps +dac_read_search "$@"
  fi
}

free_port() {
  node -e 'const s=require("net").createServer().listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'
}

# cluster_start NAME [extra server settings]
cluster_start() {
  CLUSTER=$STATE/pg-$1
  mkdir -p "$STATE"
  if [ ! -s "$STATE/pg-$1.password" ]; then
    (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=' >"$STATE/pg-$1.password")
  fi
  if [ ! -s "$CLUSTER/PG_VERSION" ]; then
    rm -rf "$CLUSTER"
    mkdir -p "$CLUSTER" && chmod 700 "$CLUSTER"
    [ "$(id -u)" != 0 ] || chown postgres "$CLUSTER"
    local handed="$CLUSTER.handed"
    install -m 600 "$STATE/pg-$1.password" "$handed"
    [ "$(id -u)" != 0 ] || chown postgres "$handed"
    (cd / && as_db_user "$PG_BIN/initdb" -D "$CLUSTER" -U rhabdon --pwfile="$handed" -A scram-sha-256 -E UTF8 --locale=C.UTF-8 >"$STATE/initdb.log" 2>&1) ||
      { rm -rf "$CLUSTER" "$handed"; cat "$STATE/initdb.log" >&2; exit 1; }
    rm -f "$handed"
  fi
  DB_SETTINGS=${2:-}
  if cluster_runs; then
    DB_PORT=$(sed -n 4p "$CLUSTER/postmaster.pid")
  else
    DB_PORT=$(free_port)
    cluster_up || { tail -n 5 "$CLUSTER/server.log" >&2; exit 1; }
  fi
  export PGPASSWORD PGHOST=127.0.0.1 PGPORT=$DB_PORT PGUSER=rhabdon
  PGPASSWORD=$(cat "$STATE/pg-$1.password")
}

# On the port of DB_PORT, with the settings of DB_SETTINGS: a cluster that is brought back is where it was.
cluster_up() {
  (cd / && as_db_user "$PG_BIN/pg_ctl" -D "$CLUSTER" -w -s -l "$CLUSTER/server.log" \
    -o "-p $DB_PORT -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c jit=off $DB_SETTINGS" start)
}

cluster_runs() {
  (cd / && as_db_user "$PG_BIN/pg_ctl" -D "$CLUSTER" status >/dev/null 2>&1)
}

cluster_stop() {
  CLUSTER=$STATE/pg-$1
  if [ -d "$CLUSTER" ] && cluster_runs; then (cd / && as_db_user "$PG_BIN/pg_ctl" -D "$CLUSTER" -s -m fast stop); fi
}

connection() {
  echo "Host=127.0.0.1;Port=$DB_PORT;Username=rhabdon;Password=$PGPASSWORD;Database=$1;Maximum Pool Size=50;Max Auto Prepare=60;Auto Prepare Min Usages=2;No Reset On Close=true"
}

database_exists() { [ "$(sql postgres "select 1 from pg_database where datname = '$1'")" = 1 ]; }

database_create() { database_exists "$1" || sql postgres "create database \"$1\""; }

database_drop() { sql postgres "drop database if exists \"$1\" with (force)"; }

# A file's name as its caller means it: from where the caller stands.
from_caller() { case $1 in /* | '') echo "$1" ;; *) echo "$CALLER/$1" ;; esac; }

# backup FILE [--demo] [--for KEY]
backup() {
  local file='' key='' ran=no database=rhabdon
  while [ $# -gt 0 ]; do
    case $1 in
      --demo) database=rhabdon_demo ;;
      --for) key=$(from_caller "${2:-}"); shift; [ -r "$key" ] || { echo "rhabdon: there is no key $key to encrypt for" >&2; exit 2; } ;;
      -*) usage >&2; exit 2 ;;
      ?*) file=$(from_caller "$1") ;;
    esac
    shift
  done
  [ -n "$file" ] || { usage >&2; exit 2; }
  need_tools
  [ -z "$key" ] || command -v gpg >/dev/null || install_debian gnupg "encrypted backups"
  CLUSTER=$STATE/pg-data
  [ ! -d "$CLUSTER" ] || ! cluster_runs || ran=yes
  cluster_start data
  database_exists $database || { [ $ran = yes ] || cluster_stop data; echo "rhabdon: there is nothing to back up yet" >&2; exit 1; }
  # Everybody's work and the hashes of their passwords: for its owner alone.
  local status=0
  checked_backup $database "$file" "$key" "$STATE/backups/$database" || status=1
  [ $ran = yes ] || cluster_stop data
  [ $status = 0 ] || exit $status
  echo "Wrote $file, and read it back."
}

restore() {
  local file overwrite=$2 ran=no
  file=$(from_caller "$1")
  [ -n "$file" ] || { usage >&2; exit 2; }
  need_tools
  [ "$(head -c 5 "$file" 2>/dev/null)" = PGDMP ] || ! command -v gpg >/dev/null || ! gpg --batch --list-packets "$file" 2>/dev/null | grep -q encrypted ||
    { echo "rhabdon: $file is encrypted. Whoever has the key decrypts it first:  gpg --decrypt --output plain.dump $file" >&2; exit 1; }
  "$PG_BIN/pg_restore" -l "$file" >/dev/null 2>&1 || { echo "rhabdon: $file is not a backup of ours" >&2; exit 1; }
  CLUSTER=$STATE/pg-data
  [ ! -d "$CLUSTER" ] || ! cluster_runs || ran=yes
  cluster_start data
  local status=0
  if database_exists rhabdon && [ "$(sql rhabdon "select to_regclass('company') is not null")" = t ] && [ "$(sql rhabdon 'select count(*) from company')" != 0 ] && [ "$overwrite" != --overwrite ]; then
    echo "rhabdon: there is data already. Back it up, then say  ./rhabdon restore $file --overwrite" >&2
    status=1
  else
    # Into a new database first: a broken file must not cost the data that is there.
    database_drop rhabdon_incoming
    database_create rhabdon_incoming
    if "$PG_BIN/pg_restore" --no-owner -e -d rhabdon_incoming "$file"; then
      database_drop rhabdon
      sql postgres 'alter database rhabdon_incoming rename to rhabdon'
      echo "Restored $file."
    else
      database_drop rhabdon_incoming
      status=1
    fi
  fi
  [ $ran = yes ] || cluster_stop data
  return $status
}
