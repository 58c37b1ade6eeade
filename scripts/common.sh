# Shared by ./start and ./test: packages, the project's own database cluster, styles and fonts.
pg_bin=/usr/lib/postgresql/15/bin

# Installs Debian packages that are missing.
install_packages() {
  local missing=()
  for p in "$@"; do dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p"); done
  [ ${#missing[@]} -eq 0 ] && return 0
  echo "Installing ${missing[*]}"
  local sudo=""
  [ "$(id -u)" = 0 ] || sudo=sudo
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# PostgreSQL refuses to run as root; then its own user runs it.
as_postgres() {
  if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else (cd / && "$@"); fi
}

# The cluster lies under the data folder, or, where its user may not enter that, beside the system's temporary files.
cluster_folder() {
  local at="$PLENK_DATA/pg"
  if [ ! -d "$at/base" ]; then
    mkdir -p "$at"
    [ "$(id -u)" = 0 ] && chown postgres "$at"
    if ! as_postgres test -w "$at"; then
      rmdir "$at"
      at="/var/tmp/plenk-pg-$(echo "$PLENK_DATA" | md5sum | cut -c1-12)"
      mkdir -p "$at"
      [ "$(id -u)" = 0 ] && chown postgres "$at"
    fi
  fi
  echo "$at"
}

free_port() {
  local p="$1"
  while (exec 3<>"/dev/tcp/127.0.0.1/$p") 2>/dev/null; do p=$((p + 1)); done
  echo "$p"
}

start_cluster() {
  local at; at="$(cluster_folder)"
  [ -d /var/tmp/plenk-pg-"$(echo "$PLENK_DATA" | md5sum | cut -c1-12)"/base ] && at="/var/tmp/plenk-pg-$(echo "$PLENK_DATA" | md5sum | cut -c1-12)"
  echo "$at" >"$PLENK_DATA/pg.folder"
  [ -d "$at/base" ] || as_postgres "$pg_bin/initdb" -D "$at" -U plenk --auth=trust --encoding=UTF8 --locale=C.UTF-8 >/dev/null
  if as_postgres "$pg_bin/pg_ctl" -D "$at" status >/dev/null 2>&1; then return 0; fi
  free_port "${PLENK_DB_PORT:-5481}" >"$PLENK_DATA/pg.port"
  as_postgres "$pg_bin/pg_ctl" -D "$at" -w -l "$at/server.log" \
    -o "-p $(cat "$PLENK_DATA/pg.port") -c listen_addresses=127.0.0.1 -c unix_socket_directories=$at ${PLENK_DB_OPTIONS:-}" start >/dev/null
}

stop_cluster() {
  [ -f "$PLENK_DATA/pg.folder" ] || return 0
  as_postgres "$pg_bin/pg_ctl" -D "$(cat "$PLENK_DATA/pg.folder")" -m fast -w stop >/dev/null 2>&1 || true
}

# Styles, fonts and scripts that ship with the pages.
build_assets() {
  local web=src/Plenk.Web/wwwroot
  if [ ! -d node_modules ] || [ package-lock.json -nt node_modules/.stamp ]; then
    npm ci --silent --no-audit --no-fund
    touch node_modules/.stamp
  fi
  mkdir -p "$web/fonts" "$web/css" "$web/lib"
  cp node_modules/three/build/three.module.js node_modules/three/build/three.core.js "$web/lib/"
  cp node_modules/@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2 \
    node_modules/@fontsource-variable/source-serif-4/files/source-serif-4-latin-wght-normal.woff2 \
    node_modules/@fontsource-variable/source-serif-4/files/source-serif-4-latin-wght-italic.woff2 \
    node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-400-normal.woff2 \
    node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-600-normal.woff2 "$web/fonts/"
  npx --no-install tailwindcss -i src/Plenk.Web/Styles/site.css -o "$web/css/site.css" --minify 2>/dev/null
}

# Brings the application up for a measurement; where it was not running it is stopped again on leaving. More to do on leaving is the argument.
start_to_measure() {
  local then="${1:-:}"
  curl -fsS "http://127.0.0.1:${PLENK_PORT:-5080}/health" >/dev/null 2>&1 || then="\"$here/start\" --stop >/dev/null; $then"
  trap "$then" EXIT
  "$here/start" >/dev/null
}
