#!/usr/bin/env bash
# Made-up requests to every operation of a server of its own, on a database of its own: no answer may be a failure of the
# server, and every answer must be described. Ten minutes at most; FUZZ_SECONDS says otherwise.
set -euo pipefail
cd "$(dirname "$0")/../.."
seconds=${FUZZ_SECONDS:-540}
venv=tools/fuzz/.venv
[ -x $venv/bin/schemathesis ] || { python3 -m venv $venv; $venv/bin/pip install -q -r tools/fuzz/requirements.txt; }

folder=$(mktemp -d)
database=$(mktemp -d)
url=$(tools/database.sh start "$database")
server=""
end() {
  [ -z "$server" ] || { kill "$server" 2>/dev/null || true; wait "$server" 2>/dev/null || true; }
  tools/database.sh stop "$database" >/dev/null 2>&1 || true
  rm -rf "$folder" "$database"
}
trap end EXIT

target/debug/selvik migrate --database "$url"
target/debug/selvik-demo "$folder/demo"
cell=$(target/debug/selvik import "$folder/demo" --database "$url")
target/debug/selvik serve --listen 127.0.0.1:0 --database "$url" 2>"$folder/log" >"$folder/said" &
server=$!
for _ in $(seq 100); do [ -s "$folder/said" ] && break; sleep 0.1; done
address=$(sed -n 's/^Selvik is at \(.*\)\/$/\1/p' "$folder/said")

# Most of what is made up is of a cell or an import that is there.
other=$(target/debug/selvik import "$folder/demo" --database "$url")
import() {
  curl -sf -F "file=@$folder/demo/meshes/clamp.stl" "$address/api/imports" | python3 -c 'import json, sys; print(json.load(sys.stdin)["id"])'
}
cat > "$folder/schemathesis.toml" <<CONFIG
[parameters]
"path.id" = "$cell"

[[operations]]
include-name = "DELETE /api/cells/{id}"
parameters = { "path.id" = "$other" }

[[operations]]
include-name = "GET /api/imports/{id}"
parameters = { "path.id" = "$(import)" }

[[operations]]
include-name = "DELETE /api/imports/{id}"
parameters = { "path.id" = "$(import)" }

[[operations]]
include-name = "POST /api/imports/{id}/files"
parameters = { "path.id" = "$(import)" }

[[operations]]
include-name = "POST /api/imports/{id}/store"
parameters = { "path.id" = "$(import)" }
CONFIG

$venv/bin/schemathesis --config-file "$folder/schemathesis.toml" run "$address/api/openapi.json" \
  --wait-for-schema 20 --max-time "$seconds" --request-timeout 30 --workers 2 --continue-on-failure --warnings off \
  --phases examples,fuzzing,stateful \
  --checks not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance \
  || { echo "The end of the server's log:"; tail -20 "$folder/log"; exit 1; }
kill -0 "$server" || { echo "The server died:"; tail -40 "$folder/log"; exit 1; }
