#!/usr/bin/env bash
# Installs what is missing on a Debian machine, and says so. Nothing is done when all is there.
set -euo pipefail

root=""
[ "$(id -u)" = 0 ] || root="sudo"

missing=()
need() { command -v "$1" >/dev/null 2>&1 || missing+=("$2"); }
need cc build-essential
need python3 python3
need curl curl
need chromium chromium
need chromedriver chromium-driver
ls -d /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing+=(postgresql)
command -v node >/dev/null 2>&1 || missing+=(nodejs npm)

if [ ${#missing[@]} -gt 0 ]; then
  echo "Installing from Debian: ${missing[*]}"
  $root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi

# Vite needs Node 20.19 or newer; the npm registry carries Node itself where Debian's is older.
if ! node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)'; then
  echo "Installing Node 20 from the npm registry: $(node --version) is too old"
  $root npm install --global --silent node@20.20
  hash -r
fi

export PATH="$HOME/.cargo/bin:$PATH"
if ! cargo --version >/dev/null 2>&1; then
  if apt-cache policy rustup 2>/dev/null | grep -q Candidate:\ [0-9]; then
    echo "Installing Rust with Debian's rustup"
    $root apt-get install -y -qq rustup >/dev/null
    rustup default 1.95
  else
    echo "Installing Rust with rustup from its own site"
    curl -sSf https://sh.rustup.rs | sh -s -- -y --profile minimal -c clippy -c rustfmt --default-toolchain 1.95
  fi
fi
