# ./rhabdon package [FOLDER]: a Debian package with its runtime in it, so that a server needs no SDK and no npm.
package() {
  local folder version build tree lib
  command -v dpkg-deb >/dev/null || { echo "rhabdon: dpkg-deb is missing; packages are built on Debian" >&2; exit 1; }
  folder=$(from_caller "${1:-$STATE/packages}")
  version=$(sed -n 's:.*<Version>\(.*\)</Version>.*:\1:p' Directory.Build.props)
  build=$STATE/package
  tree=$build/tree
  lib=$tree/usr/lib/rhabdon
  need_tools
  build_server
  build_web
  rm -rf "$tree"
  mkdir -p "$folder" "$lib" "$tree"/{DEBIAN,etc/rhabdon,usr/bin,usr/lib/systemd/system,usr/share/doc/rhabdon,var/lib}
  echo "Publishing with the runtime …"
  dotnet publish src/Rhabdon.Server -c Release -r linux-x64 --self-contained --artifacts-path "$build/artifacts" -o "$lib" -v quiet -nologo -clp:NoSummary || exit 1
  find "$lib" -maxdepth 1 \( -name '*.pdb' -o -name '*.xml' -o -name createdump -o -name '*.template.json' \) -delete
  cp -r web/dist "$lib/web"
  install -m 755 deploy/debian/backup "$lib/backup"
  install -m 644 tools/dump.sh "$lib/dump.sh"
  install -m 755 deploy/debian/rhabdon "$tree/usr/bin/rhabdon"
  install -m 644 deploy/debian/rhabdon.json deploy/debian/backup.conf "$tree/etc/rhabdon/"
  install -m 644 deploy/debian/*.service deploy/debian/*.timer "$tree/usr/lib/systemd/system/"
  install -m 644 docs/server.md deploy/nginx.conf deploy/Caddyfile "$tree/usr/share/doc/rhabdon/"
  install -m 644 CHANGELOG.md "$tree/usr/share/doc/rhabdon/changelog.md"
  node web/scripts/notices.mjs --text >"$tree/usr/share/doc/rhabdon/copyright" || exit 1
  install -m 644 deploy/debian/conffiles "$tree/DEBIAN/conffiles"
  local script
  for script in preinst postinst prerm postrm; do
    sed "s/@VERSION@/$version/" "deploy/debian/$script" >"$tree/DEBIAN/$script"
    chmod 755 "$tree/DEBIAN/$script"
  done
  chmod -R u=rwX,go=rX "$tree"
  find "$lib" \( -name '*.so' -o -name '*.dll' \) -exec chmod -x {} +
  sed "s/@VERSION@/$version/; s/@SIZE@/$(du -sk --exclude=DEBIAN "$tree" | cut -f1)/" deploy/debian/control.in >"$tree/DEBIAN/control"
  dpkg-deb --root-owner-group -Zxz -z3 --build "$tree" "$folder/rhabdon_${version}_amd64.deb" >/dev/null || exit 1
  rm -rf "$tree"
  echo "Wrote $folder/rhabdon_${version}_amd64.deb ($(du -m "$folder/rhabdon_${version}_amd64.deb" | cut -f1) MB)."
}
