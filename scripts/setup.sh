#!/bin/sh
# Makes everything ready: system libraries, a virtual environment, pinned packages.
# usage: scripts/setup.sh run | dev | docs | mutants | validator
set -eu
cd "$(dirname "$0")/.."
kind="${1:-run}"

libraries="libegl1 libgl1 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-image0
libxcb-render-util0 libxcb-xinerama0 libxcb-shape0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1
libglib2.0-0"
[ "$kind" != run ] && libraries="$libraries xvfb xauth"
# The kernels are compiled here; where nothing can be installed, by a compiler that pip brings.
if ! command -v cc >/dev/null && { [ "$(id -u)" = 0 ] || sudo -n true 2>/dev/null; }; then
    libraries="$libraries gcc libc6-dev"
fi
python3 -c 'import ensurepip' 2>/dev/null || libraries="$libraries python3-venv"
if [ "$kind" = validator ]; then
    command -v npm >/dev/null && libraries="" || libraries="nodejs npm"
fi

if command -v dpkg-query >/dev/null; then
    missing=""
    for name in $libraries; do
        dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'ok installed' ||
            missing="$missing $name"
    done
    if [ -n "$missing" ]; then
        if [ "$(id -u)" = 0 ]; then as_root=""
        elif sudo -n true 2>/dev/null; then as_root="sudo"
        else
            echo "Gremio needs these packages; install them with apt-get:$missing" >&2
            exit 1
        fi
        echo "Gremio: installing system packages:$missing"
        $as_root apt-get update -qq
        # shellcheck disable=SC2086
        DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends \
            $missing >/dev/null
    fi
fi

# What checks GLBs is written for another language: it stands apart.
if [ "$kind" = validator ]; then
    mkdir -p build/validator
    cp -p tests/long/validator/* build/validator/
    cd build/validator
    [ node_modules -nt package-lock.json ] || npm ci --silent --no-audit --no-fund
    exit 0
fi

if [ ! -x .venv/bin/python ]; then
    echo "Gremio: making a virtual environment in .venv"
    python3 -m venv .venv
fi
lock="requirements-$kind.lock"
stamp=".venv/.ready-$kind"
if [ ! -e "$stamp" ] || [ "$lock" -nt "$stamp" ] || [ pyproject.toml -nt "$stamp" ]; then
    count=$(grep -c '==' "$lock")
    echo "Gremio: installing $count pinned packages (once; a few minutes at most)"
    # Something is said while it works, and what fails still ends this.
    (while sleep 10; do echo "Gremio: still installing"; done) &
    telling=$!
    trap 'kill "$telling" 2>/dev/null || true' EXIT
    .venv/bin/python -m pip install -qq --disable-pip-version-check -r "$lock"
    command -v cc >/dev/null || .venv/bin/python -m pip install -qq --disable-pip-version-check \
        -r requirements-compiler.lock
    kill "$telling" 2>/dev/null || true
    .venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps \
        --no-build-isolation -e .
    echo "Gremio: compiling its own modules"
    .venv/bin/python -m compileall -q src/gremio
    # Compiled here where there is a compiler; without it models packed so are refused by name.
    if command -v c++ >/dev/null; then
        .venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps \
            -r requirements-meshopt.lock 2>/dev/null ||
            echo "Models packed with meshopt will not be read: its decoder could not be compiled."
    fi
    echo "Gremio: ready"
    touch "$stamp"
fi
# Only where their sources have changed since.
.venv/bin/python scripts/build_kernels.py
