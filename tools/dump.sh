# What a backup is, for ./rhabdon backup and for the package's nightly one alike. Wants PG_BIN and PostgreSQL's variables (PGHOST and so on).

# checked_backup DATABASE FILE KEY FOLDER: writes FILE, reads it back into a database of its own, and leaves word of both in FOLDER,
# where the office's screen finds it. With KEY, FILE is for whoever has its private half alone, and no plain copy touches the disk:
# what is read back is then the very stream that is encrypted.
checked_backup() {
  local database=$1 file=$2 key=$3 folder=$4 begun problem='' before after read_back
  local check=${database}_check_$$
  begun=$(date +%s)
  mkdir -p "$folder"
  if ! before=$(events_of "$database"); then
    problem="the database cannot be read"
  elif ! (umask 077; dump_and_read_back "$database" "$file.part" "$key" "$check") 2>"$folder/last.log"; then
    problem="it could not be written or read back: $(tail -n 1 "$folder/last.log")"
  else
    read_back=$(events_of "$check")
    after=$(events_of "$database")
    # The ledger only grows: a whole copy has what was there at its beginning, and nothing that came after its end.
    if [ "$read_back" -lt "$before" ] || [ "$read_back" -gt "$after" ]; then
      problem="$read_back events were read back, of $before to $after"
    else
      mv "$file.part" "$file" 2>>"$folder/last.log" || problem="$file cannot be written"
    fi
  fi
  sql postgres "drop database if exists \"$check\" with (force)" >/dev/null 2>&1 || true
  rm -f "$file.part"
  leave_word "$folder" "$file" "$problem" "${read_back:-0}" $(($(date +%s) - begun))
  [ -z "$problem" ] || { echo "rhabdon: no backup: $problem" >&2; return 1; }
}

sql() { PGOPTIONS="-c client_min_messages=warning" "$PG_BIN/psql" -XqAt -v ON_ERROR_STOP=1 -d "$1" -c "$2"; }

# A database that no server has been at yet has none.
events_of() {
  sql "$1" "select case when to_regclass('ledger') is null then 0 else (xpath('/row/n/text()', query_to_xml('select count(*) as n from ledger', false, true, '')))[1]::text::bigint end"
}

# dump_and_read_back DATABASE FILE KEY CHECK
dump_and_read_back() {
  set -o pipefail
  sql postgres "create database \"$4\"" || return 1
  local -x PGOPTIONS='-c client_min_messages=warning -c synchronous_commit=off'
  if [ -z "$3" ]; then
    "$PG_BIN/pg_dump" -Fc -d "$1" -f "$2" && "$PG_BIN/pg_restore" --no-owner -e -d "$4" "$2"
    return
  fi
  local home status=0 encrypting
  home=$(mktemp -d) || return 1
  mkfifo "$home/plain"
  gpg --homedir "$home" --batch --quiet --yes --no-autostart --recipient-file "$3" --output "$2" --encrypt <"$home/plain" &
  encrypting=$!
  "$PG_BIN/pg_dump" -Fc -d "$1" | tee -p "$home/plain" | "$PG_BIN/pg_restore" --no-owner -e -d "$4" || status=1
  wait $encrypting || status=1
  rm -rf "$home"
  return $status
}

# leave_word FOLDER FILE PROBLEM EVENTS SECONDS
leave_word() {
  local now good size=0 ok=true
  now=$(date -u +%Y-%m-%dT%H:%M:%SZ)
  good=$now
  if [ -n "$3" ]; then
    ok=false
    good=$(sed -n 's/.*"goodAt":"\([^"]*\)".*/\1/p' "$1/last.json" 2>/dev/null) || good=
  else
    size=$(stat -c %s "$2")
  fi
  printf '{"at":"%s","ok":%s,"goodAt":%s,"file":"%s","bytes":%s,"events":%s,"seconds":%s,"problem":%s}\n' \
    "$now" $ok "$([ -n "$good" ] && echo "\"$good\"" || echo null)" "$(quotable "$2")" "$size" "$4" "$5" "$([ -n "$3" ] && echo "\"$(quotable "$3")\"" || echo null)" >"$1/last.json.new"
  mv "$1/last.json.new" "$1/last.json"
}

# As it may stand between quotes in JSON.
quotable() { printf %s "$1" | tr '\n\t' '  ' | tr -d '\000-\037' | sed 's/\\/\\\\/g; s/"/\\"/g'; }
