# Shared by ./start and ./test: packages, the project's own database cluster, styles and fonts.
pg_bin=/usr/lib/postgresql/15/bin

# Installs Debian packages that are missing; where another one is installing something, it is waited for.
install_packages() {
  local missing=()
  for p in "$@"; do dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing+=("$p"); done
  [ ${#missing[@]} -eq 0 ] && return 0
  echo "Installing ${missing[*]}"
  local sudo=""
  [ "$(id -u)" = 0 ] || sudo=sudo
  patiently $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive patiently $sudo apt-get -o DPkg::Lock::Timeout=300 install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# Tries again for five minutes while the package tool's lock is held.
patiently() {
  local said; said="$(mktemp)"
  for _ in $(seq 60); do
    if "$@" 2>"$said"; then rm -f "$said"; return 0; fi
    grep -q "lock" "$said" || break
    echo "Another program is installing packages; waiting for it." >&2
    sleep 5
  done
  cat "$said" >&2
  rm -f "$said"
  return 1
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

# Who the cluster's own superuser is: the user that runs it, by the socket alone.
cluster_owner() { if [ "$(id -u)" = 0 ]; then echo postgres; else id -un; fi; }

as_owner() { as_postgres "$pg_bin/psql" -qAtX -v ON_ERROR_STOP=1 -h "$(cat "$PLENK_DATA/pg.folder")" -p "$(cat "$PLENK_DATA/pg.port")" -U "$(cluster_owner)" -d postgres "$@"; }

start_cluster() {
  local at; at="$(cluster_folder)"
  [ -d /var/tmp/plenk-pg-"$(echo "$PLENK_DATA" | md5sum | cut -c1-12)"/base ] && at="/var/tmp/plenk-pg-$(echo "$PLENK_DATA" | md5sum | cut -c1-12)"
  echo "$at" >"$PLENK_DATA/pg.folder"
  [ -d "$at/base" ] || as_postgres "$pg_bin/initdb" -D "$at" -U "$(cluster_owner)" --auth-local=peer --auth-host=scram-sha-256 --encoding=UTF8 --locale=C.UTF-8 >/dev/null
  # A server that was killed leaves its mark; where its process is gone, or only its name is left, the mark goes.
  local pid; pid="$(as_postgres head -n 1 "$at/postmaster.pid" 2>/dev/null || true)"
  if [ -n "$pid" ] && { [ ! -r "/proc/$pid/stat" ] || [ "$(sed 's/.*) //' "/proc/$pid/stat" | cut -c1)" = Z ]; }; then as_postgres rm -f "$at/postmaster.pid"; fi
  if ! as_postgres "$pg_bin/pg_ctl" -D "$at" status >/dev/null 2>&1; then
    free_port "${PLENK_DB_PORT:-5481}" >"$PLENK_DATA/pg.port"
    # After a crash the last of its processes may take a moment to go.
    for attempt in $(seq 10); do
      as_postgres "$pg_bin/pg_ctl" -D "$at" -w -l "$at/server.log" \
        -o "-p $(cat "$PLENK_DATA/pg.port") -c listen_addresses=127.0.0.1 -c unix_socket_directories=$at ${PLENK_DB_OPTIONS:-}" start >/dev/null 2>&1 && break
      [ "$attempt" = 10 ] && { tail -n 20 "$at/server.log" >&2; echo "The database does not start; its log is $at/server.log" >&2; return 1; }
      sleep 1
    done
  fi
  make_role "$at"
}

# The application's role is an ordinary one with a password that lies in pg.pass, which only the user who runs Plenk reads.
make_role() {
  local at="$1" owner; owner="$(cluster_owner)"
  if as_postgres grep -qE '^host.*trust' "$at/pg_hba.conf"; then
    # A cluster of an earlier version: everybody on this machine was let in, as its superuser.
    as_postgres "$pg_bin/psql" -qAtX -h 127.0.0.1 -p "$(cat "$PLENK_DATA/pg.port")" -U plenk -d postgres -c "create role \"$owner\" superuser login" >/dev/null 2>&1 || true
    printf 'local all all peer\nhost all all 127.0.0.1/32 scram-sha-256\n' | as_postgres tee "$at/pg_hba.conf" >/dev/null
    as_postgres "$pg_bin/pg_ctl" -D "$at" reload >/dev/null
    sleep 0.5
    rm -f "$PLENK_DATA/pg.pass"
  fi
  if [ ! -s "$PLENK_DATA/pg.pass" ]; then
    local password; password="$(head -c 24 /dev/urandom | base64 | tr -d '/+=')"
    [ "$(as_owner -c "select 1 from pg_roles where rolname = 'plenk'")" = 1 ] || as_owner -c "create role plenk login"
    # By standard input: what stands on a command line, others on this machine can read.
    echo "alter role plenk nosuperuser nocreatedb nocreaterole password '$password'" | as_owner >/dev/null
    (umask 077; echo "127.0.0.1:*:*:plenk:$password" >"$PLENK_DATA/pg.pass")
  fi
  [ "$(as_owner -c "select 1 from pg_database where datname = 'plenk'")" = 1 ] || as_owner -c "create database plenk owner plenk"
}

# How a program connects; of a database by its name.
database_of() { echo "Host=127.0.0.1;Port=$(cat "$PLENK_DATA/pg.port");Username=plenk;Passfile=$PLENK_DATA/pg.pass;Database=$1"; }

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
