# ./rhabdon prove package [COMMIT]: the package of an earlier version (of COMMIT; else of the last one with another number) and of this one,
# installed, upgraded, gone back from, removed and purged on a machine of their own: a Debian made by mmdebstrap whose own systemd runs in
# namespaces of its own, without network. So the units are the real ones, with all that they forbid. Fails loudly where that cannot be done.
MACHINE=$STATE/package/machine

prove_package() {
  local earlier=${1:-} old new log=$STATE/package/prove.log
  [ "$(id -u)" = 0 ] || { echo "FAILED: a machine of its own needs root: sudo ./rhabdon prove package" >&2; exit 1; }
  command -v mmdebstrap >/dev/null || install_debian mmdebstrap "the machine that packages are tried on"
  command -v ip >/dev/null || install_debian iproute2 "the machine that packages are tried on"
  new=$(sed -n 's:.*<Version>\(.*\)</Version>.*:\1:p' Directory.Build.props)
  [ -n "$earlier" ] || earlier=$(earlier_version "$new")
  [ -n "$earlier" ] || { echo "FAILED: there is no earlier version to come from" >&2; exit 1; }
  mkdir -p "$STATE/package/debs"
  if stale "$STATE/package/debs/rhabdon_${new}_amd64.deb" src web/src web/scripts deploy words procedures limits demo docs/server.md tools/package.sh tools/dump.sh CHANGELOG.md Directory.Build.props Directory.Packages.props; then
    (. tools/package.sh; package "$STATE/package/debs") || exit 1
  fi
  old=$(git show "$earlier:Directory.Build.props" | sed -n 's:.*<Version>\(.*\)</Version>.*:\1:p')
  [ "$old" != "$new" ] || { echo "FAILED: $earlier has the number $old, too" >&2; exit 1; }
  if [ ! -e "$STATE/package/debs/rhabdon_${old}_amd64.deb" ]; then
    echo "Building $old, of the commit $earlier …"
    rm -rf "$STATE/package/earlier"
    git clone -q --no-checkout "$ROOT" "$STATE/package/earlier" && git -C "$STATE/package/earlier" checkout -q "$earlier"
    (cd "$STATE/package/earlier" && ./rhabdon package "$STATE/package/debs") >"$log" 2>&1 || { tail -n 20 "$log"; echo "FAILED: the package of $earlier cannot be built" >&2; exit 1; }
    rm -rf "$STATE/package/earlier"
  fi
  verify_units
  machine_up
  trap machine_down EXIT
  try_packages "$old" "$new"
  machine_down
  trap - EXIT
  echo "package: passed"
}

# The last commit on the way here that had another number: what stood before the one that gave it this number.
earlier_version() {
  local commit
  for commit in $(git log --format=%h -- Directory.Build.props); do
    git show "$commit:Directory.Build.props" | grep -q "<Version>$1</Version>" || return 0
    git show "$commit^:Directory.Build.props" | grep -q "<Version>$1</Version>" && continue
    git show "$commit^:Directory.Build.props" | grep -q '<Version>' && git log -1 --format=%h "$commit^"
    return 0
  done
}

verify_units() {
  local unit score
  for unit in rhabdon.service rhabdon-backup.service; do
    score=$(systemd-analyze security --offline=true "deploy/debian/$unit" | sed -n 's/.*Overall exposure level for .*: \([0-9.]*\) .*/\1/p')
    awk -v s="$score" 'BEGIN { exit !(s != "" && s <= 3.0) }' || { echo "FAILED: $unit is exposed by '$score', over 3.0" >&2; exit 1; }
    echo "exposure of $unit: $score"
  done
}

machine_up() {
  local wanted
  # What the package depends on, so that its installing needs no network.
  wanted=systemd,systemd-sysv,dbus,postgresql,gnupg,procps,nginx-light,caddy,openssl,$(dpkg-deb -f "$STATE/package/debs/rhabdon_${new}_amd64.deb" Depends | sed 's/([^)]*)//g; s/|[^,]*//g; s/ //g')
  if [ ! -e "$MACHINE.tar" ] || [ "$(cat "$MACHINE.wanted")" != "$wanted" ]; then
    echo "Making a machine …"
    mmdebstrap --quiet --variant=apt --include="$wanted" "$(. /etc/os-release; echo "$VERSION_CODENAME")" "$MACHINE.tar" || { echo "FAILED: mmdebstrap could make no machine here" >&2; exit 1; }
    echo "$wanted" >"$MACHINE.wanted"
  fi
  rm -rf "$MACHINE"
  mkdir -p "$MACHINE"
  tar -C "$MACHINE" -xf "$MACHINE.tar"
  systemctl --quiet --root="$MACHINE" disable nginx caddy
  cp "$STATE"/package/debs/*.deb "$MACHINE/root/"
  unshare --mount --pid --uts --ipc --net --cgroup --fork bash -s "$MACHINE" <<'BOOT' >"$STATE/package/boot.log" 2>&1 &
set -e
R=$1
mount --make-rprivate /
mount --bind "$R" "$R"
mount -t proc proc "$R/proc"
mount -t sysfs -o ro sys "$R/sys" 2>/dev/null || mount --rbind /sys "$R/sys"
mount -t tmpfs tmpfs "$R/run"
mount -t tmpfs -o mode=755 tmpfs "$R/dev"
for d in null zero full random urandom tty; do touch "$R/dev/$d"; mount --bind "/dev/$d" "$R/dev/$d"; done
mkdir -p "$R/dev/shm" "$R/dev/pts"
mount -t tmpfs tmpfs "$R/dev/shm"
ln -s /proc/self/fd "$R/dev/fd"
ln -s pts/ptmx "$R/dev/ptmx"
if [ -d /sys/fs/cgroup/systemd ]; then
  mount -t tmpfs tmpfs "$R/sys/fs/cgroup"
  mkdir "$R/sys/fs/cgroup/systemd"
  mount -t cgroup -o none,name=systemd cgroup "$R/sys/fs/cgroup/systemd"
else
  mount -t cgroup2 cgroup "$R/sys/fs/cgroup"
fi
# The machine's folder becomes the root itself: what units lay over it is made from there.
cd "$R"
mkdir -p .outside
pivot_root . .outside
exec env -i container=chroot PATH=/usr/sbin:/usr/bin:/sbin:/bin chroot . sh -c 'umount -l /.outside; rmdir /.outside; exec /lib/systemd/systemd' <&- >&- 2>&-
BOOT
  BOOTING=$!
  local _
  for _ in $(seq 50); do PID1=$(pgrep -P "$BOOTING" || true); [ -z "$PID1" ] || break; sleep 0.1; done
  [ -n "${PID1:-}" ] || { cat "$STATE/package/boot.log"; echo "FAILED: no machine can be started here" >&2; exit 1; }
  nsenter -t "$PID1" -n ip link set lo up
  for _ in $(seq 120); do [ "$(on systemctl is-system-running 2>/dev/null || true)" = running ] && return; sleep 0.5; done
  on systemctl list-units --failed --no-pager || true
  cat "$STATE/package/boot.log"
  echo "FAILED: the machine's systemd does not get to work here" >&2
  exit 1
}

machine_down() {
  [ -z "${PID1:-}" ] || kill -KILL "$PID1" 2>/dev/null || true
  [ -z "${BOOTING:-}" ] || wait "$BOOTING" 2>/dev/null || true
  PID1=
  rm -rf "$MACHINE"
}

# A command on the machine.
on() { timeout 180 nsenter -t "$PID1" -m -p -u -i -n -r -w -- env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root LC_ALL=C.UTF-8 DEBIAN_FRONTEND=noninteractive "$@" </dev/null; }

# ask PORT SCRIPT: JavaScript against the server on the machine, signed in as the demo's office; prints what it returns.
ask() {
  nsenter -t "$PID1" -n node -e '
    const [port, script] = process.argv.slice(1);
    const base = `http://127.0.0.1:${port}`;
    const jar = new Map();
    const call = async (method, path, body) => {
      const r = await fetch(base + path, { method, headers: { "content-type": "application/json", "X-Rhabdon-Token": jar.token ?? "", cookie: [...jar].map((c) => c.join("=")).join("; ") }, body: body && JSON.stringify(body) });
      for (const c of r.headers.getSetCookie()) jar.set(...c.split(";")[0].split(/=(.*)/s).slice(0, 2));
      const text = await r.text();
      if (!r.ok) throw new Error(`${method} ${path}: ${r.status} ${text.slice(0, 300)}`);
      return text ? JSON.parse(text) : null;
    };
    (async () => {
      jar.token = (await call("GET", "/api/session")).token;
      await call("POST", "/api/session", { login: "mira", password: "lantern-room-9" });
      jar.token = (await call("GET", "/api/session")).token;
      console.log(JSON.stringify(await new (Object.getPrototypeOf(async () => {}).constructor)("call", script)(call)));
    })().catch((e) => { console.error(e.message); process.exit(1); });' "$1" "$2"
}

must() { local what=$1; shift; "$@" || { on journalctl -u rhabdon -u rhabdon-backup -n 30 --no-pager || true; echo "FAILED: $what" >&2; exit 1; }; echo "  $what"; }
same() { [ "$1" = "$2" ] || { echo "'$1' is not '$2'" >&2; return 1; }; }
ready() { local _; for _ in $(seq 100); do nsenter -t "$PID1" -n node -e 'fetch("http://127.0.0.1:'"$1"'/health/ready").then(r=>process.exit(r.ok?0:1),()=>process.exit(1))' && return; sleep 0.3; done; return 1; }
fails() { ! "$@"; }
apt() { on apt-get -q -y -o Dpkg::Use-Pty=0 -o APT::Install-Recommends=false "$@"; }
has() { on test -e "$1"; }
owned() { on stat -c '%U %a' "$1"; }
word() { on cat /var/lib/rhabdon/backups/last.json; }

try_packages() {
  local old=$1 new=$2 said kept count
  must "$old installs" apt install "/root/rhabdon_${old}_amd64.deb"
  must "its server runs, answers, and is the system user's" ready 5080
  same "$(on ps -o user= -C Rhabdon.Server)" rhabdon || exit 1
  must "its keys are its own" same "$(owned /var/lib/rhabdon/keys)" "rhabdon 700"
  must "its settings are for no others" same "$(owned /etc/rhabdon/rhabdon.json)" "root 640"
  must "its units are whole" on systemd-analyze verify rhabdon.service rhabdon-backup.service rhabdon-backup.timer
  must "its backup has its time" on systemctl is-active rhabdon-backup.timer

  on systemctl stop rhabdon
  must "work comes in" on runuser -u rhabdon -- /usr/lib/rhabdon/Rhabdon.Server load-demo --config /etc/rhabdon/rhabdon.json
  on sed -i 's/"port": 5080/"port": 5081, "evidence-mb": 777/' /etc/rhabdon/rhabdon.json
  on systemctl start rhabdon
  must "a setting that was changed holds" ready 5081
  must "pictures are made and judged under what the unit forbids" ask 5081 'return (await call("POST", "/api/calc/simulate/end-face", { endFaceClass: "sm-upc" })) !== null'
  count=$(ask 5081 'return (await call("GET", "/api/ends?limit=200")).length')
  must "it has connectors" test "$count" -gt 50
  must "its version is said" same "$(ask 5081 'return (await call("GET", "/api/about")).version')" "\"$old\""

  must "the office is told that there is no backup" same "$(ask 5081 'const b = await call("GET", "/api/backup"); return [b.ok, b.late]')" "[false,true]"
  must "the night's backup is written and read back" on systemctl start rhabdon-backup.service
  must "the office is told so" same "$(ask 5081 'const b = await call("GET", "/api/backup"); return [b.ok, b.late]')" "[true,false]"
  on systemctl stop 'postgresql@*'
  must "a backup of a database that is away fails" fails on systemctl start rhabdon-backup.service
  on systemctl reset-failed rhabdon-backup.service
  must "an upgrade without a backup is refused" fails apt install "/root/rhabdon_${new}_amd64.deb"
  must "then the earlier version stays" same "$(on dpkg-query -W -f '${Version} ${Status}' rhabdon)" "$old install ok installed"
  on systemctl start postgresql
  on sh -c 'pg_lsclusters -h | while read -r v c _; do systemctl start "postgresql@$v-$c"; done'
  must "and serves, once its database is back" ready 5081
  must "the office is told of the backup that failed" same "$(ask 5081 'const b = await call("GET", "/api/backup"); return [b.ok, b.late, Boolean(b.goodAt)]')" "[false,false,true]"
  on pkill -KILL -u rhabdon Rhabdon.Server
  sleep 1
  must "a server that was killed is brought back" ready 5081

  on sh -c 'gpg --batch --quiet --passphrase "" --quick-generate-key office@rhabdon.test future-default default never 2>/dev/null && gpg --batch --quiet --export office@rhabdon.test >/etc/rhabdon/office.key && echo "KEY=/etc/rhabdon/office.key KEEP=2" >>/etc/rhabdon/backup.conf'
  for _ in 1 2 3; do must "a backup for one key alone" on systemctl start rhabdon-backup.service; sleep 1; done
  must "as many are kept as shall be" same "$(on sh -c 'ls /var/lib/rhabdon/backups/rhabdon-* | wc -l')" 2
  must "and they are encrypted" on sh -c 'gpg --batch --quiet --decrypt "$(ls /var/lib/rhabdon/backups/rhabdon-*.gpg | tail -n 1)" 2>/dev/null | head -c 5 | grep -q PGDMP'
  on sed -i '/^KEY=.etc/d' /etc/rhabdon/backup.conf

  said=$(apt install "/root/rhabdon_${new}_amd64.deb" 2>&1) || { echo "$said"; echo "FAILED: no upgrade from $old to $new" >&2; exit 1; }
  must "an upgrade to $new serves, with the settings that were changed" ready 5081
  must "its version is said" same "$(ask 5081 'return (await call("GET", "/api/about")).version')" "\"$new\""
  must "nothing is lost" same "$(ask 5081 'return (await call("GET", "/api/ends?limit=200")).length')" "$count"
  must "the own setting is as it was" same "$(ask 5081 'return (await call("GET", "/api/storage")).quotaBytes')" $((777 * 1024 * 1024))
  local drawn='const [job] = await call("GET", "/api/jobs"); const { dossierId } = await call("POST", `/api/jobs/${job.jobId}/dossiers`, { edition: "customer" }); for (let n = 0; n < 300; n++) { const d = await call("GET", `/api/dossiers/${dossierId}`); if (d.stage === "done") return d.fileBytes; if (d.stage === "failed") throw new Error(d.fault); await new Promise((r) => setTimeout(r, 300)); } throw new Error("it was not drawn within a minute and a half")'
  must "a dossier is drawn, by a process of its own, under what the unit forbids" ask 5081 "$drawn"
  sleep 17 # it has gone by then
  (until on pgrep -f '[R]habdon.Server draw' >/dev/null; do sleep 0.1; done; sleep 2; on pkill -KILL -f '[R]habdon.Server draw') &
  must "and by the next one, where it is killed at it" ask 5081 "$drawn"
  wait $!
  must "a night's backup goes on" on systemctl start rhabdon-backup.service
  kept=$(ask 5081 'await call("POST", "/api/crews", { name: "Curlew" }); return (await call("GET", "/api/crews")).length')
  echo "$said" | sed -n '/^Rhabdon goes from/,$p' | sed '/^Processing/d'
  try_proxies
  # The way back, as it was said.
  echo "$said" | sed -n 's/^  \(apt-get\|systemctl\|rhabdon\) /\1 /p' | sed 's/apt-get install/apt-get -y install/' >"$MACHINE/root/back.sh"
  must "a way back is said" test "$(wc -l <"$MACHINE/root/back.sh")" = 4
  must "and it leads back" on sh -ec 'cd /root; . ./back.sh'
  must "to a server that serves" ready 5081
  must "of the version before" same "$(ask 5081 'return (await call("GET", "/api/about")).version')" "\"$old\""
  must "with the data as they were" same "$(ask 5081 'return [(await call("GET", "/api/ends?limit=200")).length, (await call("GET", "/api/crews")).length]')" "[$count,$((kept - 1))]"

  apt install "/root/rhabdon_${new}_amd64.deb" >/dev/null
  must "removed, it serves no more" apt remove rhabdon
  must "no unit is left" fails on systemctl is-active rhabdon.service
  must "settings stay" has /etc/rhabdon/rhabdon.json
  must "installed again, it goes on" apt install "/root/rhabdon_${new}_amd64.deb"
  must "with what was there" ready 5081
  must "purged, settings and keys are gone" apt purge rhabdon
  fails has /etc/rhabdon/rhabdon.json && fails has /var/lib/rhabdon/keys || { echo "FAILED: a purge left settings or keys" >&2; exit 1; }
  must "and people's work is not" on sh -c 'cd /; [ "$(runuser -u postgres -- psql -qAt -d rhabdon -c "select count(*) > 100 from ledger")" = t ]'
}

# The examples of deploy/, each before the server on this machine, with a certificate of the day.
try_proxies() {
  local proxy
  cp deploy/nginx.conf "$MACHINE/etc/nginx/conf.d/rhabdon.conf"
  on rm -f /etc/nginx/sites-enabled/default
  on openssl req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=rack.example.com -addext subjectAltName=DNS:rack.example.com -keyout /etc/ssl/rack.example.com.key -out /etc/ssl/rack.example.com.pem 2>/dev/null
  sed 's/^\t*request_body/\ttls internal\n&/' deploy/Caddyfile >"$MACHINE/etc/caddy/Caddyfile"
  on sed -i 's/"evidence-mb": 777/"evidence-mb": 777, "name": "rack.example.com", "trusted-proxies": "127.0.0.1"/' /etc/rhabdon/rhabdon.json
  sed -i 's/127.0.0.1:5080/127.0.0.1:5081/' "$MACHINE/etc/nginx/conf.d/rhabdon.conf" "$MACHINE/etc/caddy/Caddyfile"
  on systemctl restart rhabdon
  must "behind a proxy the server answers" ready 5081
  for proxy in nginx caddy; do
    on systemctl start $proxy || { on journalctl -u $proxy --no-pager | tail -n 20; echo "FAILED: $proxy does not start with our example" >&2; exit 1; }
    must "$proxy, by our example, leads on to HTTPS, which is asked for from then on, takes a picture of 64 MB, and keeps a line open" through_proxy
    on systemctl stop $proxy
  done
  on sed -i 's/, "name": "rack.example.com", "trusted-proxies": "127.0.0.1"//' /etc/rhabdon/rhabdon.json
  on systemctl restart rhabdon
  ready 5081
}

through_proxy() {
  nsenter -t "$PID1" -n node -e '
    const http = require("http"), https = require("https");
    const jar = new Map();
    const ask = (lib, port, method, path, headers = {}, body) => new Promise((done, failed) => {
      const r = lib.request({ host: "127.0.0.1", port, method, path, servername: "rack.example.com", rejectUnauthorized: false, headers: { host: "rack.example.com", cookie: [...jar].map((c) => c.join("=")).join("; "), ...headers } }, async (a) => {
        for (const c of a.headers["set-cookie"] ?? []) { if (!/; *secure/i.test(c)) failed(new Error("a cookie that is not Secure: " + c)); jar.set(...c.split(";")[0].split(/=(.*)/s).slice(0, 2)); }
        let text = ""; for await (const part of a) text += part;
        done({ status: a.statusCode, headers: a.headers, text });
      });
      r.on("upgrade", (a, socket) => { socket.destroy(); done({ status: a.statusCode }); });
      r.on("error", failed);
      r.end(body);
    });
    const want = (what, is, should) => { if (String(is) !== String(should)) throw new Error(`${what}: ${is}, not ${should}`); };
    (async () => {
      const on = await ask(http, 80, "GET", "/jobs");
      want("plain HTTP", `${on.status} ${on.headers.location}`, "308 https://rack.example.com/jobs");
      const page = await ask(https, 443, "GET", "/");
      want("the page", page.status, 200);
      want("HSTS", page.headers["strict-transport-security"]?.startsWith("max-age="), true);
      const json = { "content-type": "application/json" };
      const token = async () => JSON.parse((await ask(https, 443, "GET", "/api/session")).text).token;
      json["X-Rhabdon-Token"] = await token();
      want("signing in", (await ask(https, 443, "POST", "/api/session", json, JSON.stringify({ login: "mira", password: "lantern-room-9" }))).status, 200);
      json["X-Rhabdon-Token"] = await token();
      // Who asked is who came to the proxy, not the proxy.
      const audit = JSON.parse((await ask(https, 443, "GET", "/api/audit")).text);
      want("the address", audit[0].address, "127.0.0.1");
      const big = Buffer.alloc(64_000_000, 7);
      want("64 MB of no picture", (await ask(https, 443, "POST", "/api/calc/end-face?class=sm-upc", { ...json, "content-type": "image/png", "content-length": big.length }, big)).status, 422);
      want("a line that stays open", (await ask(https, 443, "GET", "/api/live", { connection: "Upgrade", upgrade: "websocket", "sec-websocket-version": "13", "sec-websocket-key": Buffer.alloc(16, 1).toString("base64") })).status, 101);
    })().catch((e) => { console.error(e.message); process.exit(1); });'
}
