#!/usr/bin/env bash
# Makes the environment in .venv, and installs the system packages where that is allowed. Quick when all stands.
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(python3-venv xvfb xauth libegl1 libgl1 libgl1-mesa-dri libgles2 libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon-x11-0
  libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0
  libxcb-xkb1 libpulse0)

# A screen reader speaks through the first two, and pages are tried in the others; the tests that need them are skipped
# without them. They are tried once, and for tests only. Names may be in Chinese, Japanese or Korean; one font has them all.
wished=(dbus at-spi2-core chromium chromium-driver)
letters=(fonts-droid-fallback)
more=()

absent() {
  command -v dpkg-query >/dev/null || return 0
  for name in "$@"; do
    # newer releases carry some of these with a suffix
    dpkg-query -W -f='${Status}\n' "$name" "${name}t64" 2>/dev/null | grep -q "install ok installed" || echo "$name"
  done
}

mapfile -t missing < <(absent "${packages[@]}")
[ -e .venv/.letters ] || more=("${letters[@]}")
[ "${1:-}" != tests ] || [ -e .venv/.wished ] || more+=("${wished[@]}")
[ ${#more[@]} -eq 0 ] || mapfile -t more < <(absent "${more[@]}")
if [ ${#missing[@]} -gt 0 ] || [ ${#more[@]} -gt 0 ]; then
  get="apt-get install -y --no-install-recommends"
  may=""
  if [ "$(id -u)" = 0 ]; then may="env"; elif sudo -n true 2>/dev/null; then may="sudo"; fi
  if [ -n "$may" ]; then
    $may apt-get update -q >/dev/null || [ ${#missing[@]} -eq 0 ]
    [ ${#missing[@]} -eq 0 ] || $may DEBIAN_FRONTEND=noninteractive $get "${missing[@]}" >/dev/null
    [ ${#more[@]} -eq 0 ] || $may DEBIAN_FRONTEND=noninteractive $get "${more[@]}" >/dev/null 2>&1 || true
  elif [ ${#missing[@]} -gt 0 ]; then
    echo "Some system packages are missing. Install them, then run make again:"
    echo "  sudo $get ${missing[*]}"
    exit 1
  fi
fi

python=""
for candidate in "${PYTHON:-}" python3 python3.14 python3.13 python3.12 python3.11; do
  if [ -n "$candidate" ] && command -v "$candidate" >/dev/null &&
    "$candidate" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    python=$candidate
    break
  fi
done
if [ -z "$python" ]; then
  echo "Python 3.11 or newer with its venv module is needed; name one with: make PYTHON=/path/to/python3"
  exit 1
fi

stamp=.venv/.set-up
wanted="$(cksum pyproject.toml) $(pwd)"
if [ ! -x .venv/bin/fictilis ] || [ "$(cat $stamp 2>/dev/null)" != "$wanted" ]; then
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  # Python compiles what it imports by itself; all of it would take half a minute more.
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-compile --editable ".[dev]"
  echo "$wanted" > $stamp
fi

[ "${1:-}" != tests ] || touch .venv/.wished
touch .venv/.letters
.venv/bin/python -m compileall -q fictilis || true  # a start takes half of the time

# The glTF validator is run by the tests where node is present; without it they skip that check.
if command -v npm >/dev/null && [ ! -d .venv/node/node_modules/gltf-validator ]; then
  npm install --silent --no-audit --no-fund --prefix .venv/node gltf-validator >/dev/null 2>&1 || true
fi
