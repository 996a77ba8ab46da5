# What the machine must have, and how it is got where it may be.

# Debian's package for a command, if we may install it; otherwise says exactly what to install.
install_debian() {
  local package=$1 why=$2
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "Installing Debian's $package ($why) …"
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$package"; } >"$STATE/apt.log" 2>&1 && return
    echo "rhabdon: installing $package failed; see .rhabdon/apt.log" >&2
  else
    echo "rhabdon: $package is missing ($why). Install it:  sudo apt-get install $package" >&2
  fi
  exit 1
}

need_tools() {
  mkdir -p "$STATE"
  command -v dotnet >/dev/null || { echo "rhabdon: the .NET 10 SDK is missing; install it and put dotnet on the PATH" >&2; exit 1; }
  command -v npm >/dev/null || { echo "rhabdon: Node 20 or newer with npm is missing; install it" >&2; exit 1; }
  node -e 'const [a,b]=process.versions.node.split(".").map(Number);process.exit(a>20||(a===20&&b>=19)?0:1)' ||
    { echo "rhabdon: Node $(node --version) is too old; version 20.19 or newer is needed" >&2; exit 1; }
  need_postgres
  need_imaging
}

# OpenCV's library of the server rests on it. ldconfig is not on the PATH of Debian's plain users, and its list is read
# whole: a grep that stops at its first find breaks the pipe, which pipefail would call "missing".
need_imaging() {
  local libraries
  libraries=$(PATH=$PATH:/usr/sbin:/sbin ldconfig -p) || libraries=
  case $libraries in
    *libgtk-3.so.0*) ;;
    *) install_debian libgtk-3-0 "reading pictures" ;;
  esac
}

need_postgres() {
  mkdir -p "$STATE"
  find_postgres || { install_debian postgresql "the database server"; find_postgres; }
}

# The newest PostgreSQL server of the machine.
find_postgres() {
  PG_BIN=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1)
  [ -x "${PG_BIN:-}/initdb" ] || { command -v initdb >/dev/null && PG_BIN=$(dirname "$(readlink -f "$(command -v initdb)")"); }
}

need_chromium() {
  [ -x /usr/bin/chromium ] || install_debian chromium "the browser of the tests"
  command -v certutil >/dev/null || install_debian libnss3-tools "what a tablet trusts, in the tests"
}
