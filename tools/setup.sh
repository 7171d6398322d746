#!/usr/bin/env bash
# Sets up .venv with everything pinned in requirements.lock, and the shared libraries that Qt and VTK load.
set -euo pipefail
cd "$(dirname "$0")/.."

python=""
for candidate in python3.11 python3.12 python3.13 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python="$candidate"
        break
    fi
done
if [ -z "$python" ]; then
    echo "Isotomon needs Python 3.11 or newer; install it, e.g. with: apt-get install python3 python3-venv" >&2
    exit 1
fi

# Library file → Debian package. What the wheels of Qt, VTK and the test tools load but do not carry.
needs="libEGL.so.1:libegl1 libGL.so.1:libgl1 libGLU.so.1:libglu1-mesa libxkbcommon.so.0:libxkbcommon0
libfontconfig.so.1:libfontconfig1 libdbus-1.so.3:libdbus-1-3 libglib-2.0.so.0:libglib2.0-0
libX11.so.6:libx11-6 libXrender.so.1:libxrender1 libXcursor.so.1:libxcursor1 libXinerama.so.1:libxinerama1 libXft.so.2:libxft2
libXfixes.so.3:libxfixes3 libxkbcommon-x11.so.0:libxkbcommon-x11-0
libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4 libxcb-image.so.0:libxcb-image0 libxcb-keysyms.so.1:libxcb-keysyms1
libxcb-randr.so.0:libxcb-randr0 libxcb-render-util.so.0:libxcb-render-util0 libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0
libwayland-client.so.0:libwayland-client0 libwayland-cursor.so.0:libwayland-cursor0 libwayland-egl.so.1:libwayland-egl1"
missing=""
# Read once into a variable: a pipe into `grep -q` breaks under pipefail.
known="$( (ldconfig -p 2>/dev/null || /sbin/ldconfig -p) )"
for pair in $needs; do
    case "$known" in
        *"${pair%%:*}"*) ;;
        *) missing="$missing ${pair##*:}" ;;
    esac
done
# Mesa's drivers are loaded by name at run time, so no library of ours shows that they are missing.
if ! compgen -G "/usr/lib/*/dri/swrast_dri.so" >/dev/null && ! compgen -G "/usr/lib/*/libgallium*" >/dev/null; then
    missing="$missing libgl1-mesa-dri"
fi
if ! compgen -G "/usr/lib/*/libEGL_mesa.so.0" >/dev/null; then
    missing="$missing libegl-mesa0"
fi
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
    missing="$missing python3-venv"
fi
if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        apt-get update -qq
        DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
    else
        echo "Isotomon needs system libraries; install them with: sudo apt-get install$missing" >&2
        exit 1
    fi
fi

[ -x .venv/bin/python ] || "$python" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
# Compiled once here, so that no start has to: an editable install compiles nothing, and may not be let to later.
.venv/bin/python -m compileall -q src
touch .venv/.ready
