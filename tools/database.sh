#!/usr/bin/env bash
# A PostgreSQL cluster of the project's own, on loopback, never as root.
#   tools/database.sh start FOLDER     starts it (makes it first) and prints its URL
#   tools/database.sh stop FOLDER      stops it
#   tools/database.sh lend             starts one in a folder of its own, prints its URL, and when its
#                                      input ends stops it and removes the folder: for tests
set -euo pipefail
action=$1
if [ "$action" = lend ]; then
  lent=$(mktemp -d)
  trap '"$0" stop "$lent"; rm -rf "$lent"' EXIT
  SELVIK_PG_OPTIONS="-c fsync=off" "$0" start "$lent"
  cat >/dev/null
  exit 0
fi
folder=$(mkdir -p "$2" && cd "$2" && pwd)
bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -n 1)
data=$folder/data

# PostgreSQL refuses to run as root: then it runs as the user its package made.
as() {
  if [ "$(id -u)" = 0 ]; then
    (cd / && runuser -u postgres -- "$@")
  else
    "$@"
  fi
}

running() { as "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1; }

case $action in
  start)
    if [ ! -d "$data" ]; then
      [ "$(id -u)" != 0 ] || chown postgres "$folder"
      as "$bin/initdb" -D "$data" -U selvik -A trust -E UTF8 --locale=C --no-sync >"$folder/initdb.log" 2>&1 \
        || { cat "$folder/initdb.log" >&2; exit 1; }
    fi
    if ! running; then
      port=$(python3 -c 'import socket; s = socket.socket(); s.bind(("127.0.0.1", 0)); print(s.getsockname()[1])')
      as "$bin/pg_ctl" -D "$data" -w -t 30 -l "$data/server.log" \
        -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories= ${SELVIK_PG_OPTIONS:-}" start >/dev/null \
        || { as tail -n 20 "$data/server.log" >&2; exit 1; }
    fi
    port=$(as sed -n 4p "$data/postmaster.pid")
    url=postgres://selvik@127.0.0.1:$port
    as "$bin/psql" "$url/postgres" -qtAc "select 1 from pg_database where datname = 'selvik'" | grep -q 1 \
      || as "$bin/createdb" -h 127.0.0.1 -p "$port" -U selvik selvik
    echo "$url/selvik"
    ;;
  stop)
    if running; then as "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null; fi
    ;;
  *)
    echo "usage: $0 start|stop FOLDER" >&2
    exit 2
    ;;
esac
