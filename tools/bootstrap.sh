#!/bin/sh
# Makes .venv at the root ready: system libraries first (installed when root, named otherwise), then pinned packages.
# usage: tools/bootstrap.sh run|test
set -eu
cd "$(dirname "$0")/.."
what=${1:-run}

packages="libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libglib2.0-0 libxcb-cursor0 \
libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libportaudio2"
[ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] || packages="$packages xvfb xauth"
[ "$what" = test ] && packages="$packages ngspice desktop-file-utils appstream"

python=${PYTHON:-python3}
command -v "$python" >/dev/null 2>&1 || { echo "Nuvlo needs Python 3.11 or newer; $python was not found." >&2; exit 1; }
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
  { echo "Nuvlo needs Python 3.11 or newer; $python is older. Set PYTHON=/path/of/a/newer/python." >&2; exit 1; }
"$python" -c 'import ensurepip, venv' 2>/dev/null || packages="$packages $(basename "$(readlink -f "$(command -v "$python")")")-venv"

# What compiles the inner loops of the solver. Without it the same answers take longer: it is installed when root, and never asked for.
compiler=
command -v cc >/dev/null 2>&1 || compiler="gcc libc6-dev"
"$python" -c 'import os, sys, sysconfig; sys.exit(not os.path.exists(sysconfig.get_paths()["include"] + "/Python.h"))' ||
  compiler="$compiler $(basename "$(readlink -f "$(command -v "$python")")")-dev"

if command -v dpkg-query >/dev/null 2>&1; then
  missing=
  [ "$(id -u)" = 0 ] && packages="$packages $compiler"
  for p in $packages; do
    dpkg-query -W -f '${Status}' "$p" 2>/dev/null | grep -q 'ok installed' || missing="$missing $p"
  done
  if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then
      echo "Installing system packages:$missing" >&2
      export DEBIAN_FRONTEND=noninteractive
      apt-get update -qq >&2
      # shellcheck disable=SC2086
      apt-get install -y -qq --no-install-recommends $missing >&2
    else
      echo "Nuvlo needs some system packages first. Run this line, then the same make command again:" >&2
      echo "    sudo apt-get install --no-install-recommends$missing" >&2
      exit 1
    fi
  fi
else
  echo "This is not a Debian system; install what matches: $packages" >&2
fi

stamp=.venv/ready-$what
if [ ! -x .venv/bin/nuvlo ] || [ ! -e "$stamp" ] || [ pyproject.toml -nt "$stamp" ] || [ constraints.txt -nt "$stamp" ] ||
  [ -n "$(find src/nuvlo/circuit -name '_*.[ch]' -newer "$stamp")" ]; then
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  extra=; [ "$what" = test ] && extra='[dev]'
  echo "Setting up .venv (first time: a minute or two)" >&2
  .venv/bin/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e ".$extra" >&2
  .venv/bin/python -m compileall -q src/nuvlo >&2 || true # else the first start does it, and takes twice as long
  touch "$stamp"
  .venv/bin/python -c 'import nuvlo.circuit._kernel' 2>/dev/null ||
    echo "The solver's inner loops were not compiled: all works, large answers take longer. What would compile them: ${compiler:-see the messages of pip install -v -e .}" >&2
fi
