# Builds only what has changed since the last time.
SERVER=$ROOT/src/Rhabdon.Server/bin/Release/net10.0/Rhabdon.Server.dll

# stale STAMP PATH…: true when anything there is newer than the stamp
stale() {
  local stamp=$1
  shift
  [ ! -e "$stamp" ] || [ -n "$(find "$@" \( -name bin -o -name obj -o -name node_modules -o -name dist \) -prune -o -type f -newer "$stamp" -print -quit)" ]
}

build_server() {
  local stamp=$STATE/server.stamp
  if [ ! -e "$SERVER" ] || stale "$stamp" src procedures limits demo Directory.Build.props Directory.Packages.props; then
    echo "Building the server …"
    touch "$stamp.new"
    dotnet build -c Release src/Rhabdon.Server/Rhabdon.Server.csproj -v quiet -nologo -clp:NoSummary || exit 1
    mv "$stamp.new" "$stamp"
  fi
}

install_web() {
  if stale "$STATE/npm.stamp" web/package-lock.json web/.npmrc || [ ! -d web/node_modules ]; then
    echo "Installing the browser part's packages …"
    (cd web && npm ci --no-fund --no-audit --loglevel=error) || exit 1
    touch "$STATE/npm.stamp"
  fi
}

build_web() {
  install_web
  if [ ! -e web/dist/index.html ] || stale "$STATE/web.stamp" web/src web/scripts web/index.html web/package.json web/vite.config.ts web/tsconfig.json Directory.Packages.props; then
    echo "Building the browser part …"
    touch "$STATE/web.stamp.new"
    (cd web && npm run -s build && node scripts/notices.mjs) || exit 1
    mv "$STATE/web.stamp.new" "$STATE/web.stamp"
  fi
}
