#!/usr/bin/env bash
# Makes the environment in the folder given, installs the pinned packages and looks for the
# system libraries that wheels do not carry. As root it installs those; otherwise it names them.
set -eu
venv=$1
# A name on the PATH may be a shim that cannot run: each is asked, and the first that answers is taken.
python=
for name in python3 python3.13 python3.12 python3.11; do
  if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then python=$name; break; fi
done
[ -n "$python" ] || { echo "Tensimeter needs Python 3.11 or later, and none was found: install the Debian package python3." >&2; exit 1; }

if [ ! -x "$venv/bin/python" ]; then
  "$python" -m venv "$venv" || {
    echo "The environment could not be made: install the Debian package python3-venv." >&2; exit 1; }
fi
echo "Setting up $venv (once; about a minute) ..."
"$venv/bin/pip" install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'

missing=$("$venv/bin/python" - <<'PY'
import ctypes
needed = {
    "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1", "libxkbcommon.so.0": "libxkbcommon0",
    "libdbus-1.so.3": "libdbus-1-3", "libfontconfig.so.1": "libfontconfig1",
    "libglib-2.0.so.0": "libglib2.0-0", "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxcb-icccm.so.4": "libxcb-icccm4", "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0", "libxcb-image.so.0": "libxcb-image0",
    "libxcb-render-util.so.0": "libxcb-render-util0", "libxcb-shape.so.0": "libxcb-shape0",
    "libxcb-xinerama.so.0": "libxcb-xinerama0", "libxcb-randr.so.0": "libxcb-randr0",
    "libpango-1.0.so.0": "libpango-1.0-0", "libpangoft2-1.0.so.0": "libpangoft2-1.0-0",
    "libharfbuzz-subset.so.0": "libharfbuzz-subset0",
}
for library, package in needed.items():
    try:
        ctypes.CDLL(library)
    except OSError:
        print(package)
PY
)
if [ -n "$missing" ]; then
  missing=$(echo $missing)
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "Installing system libraries: $missing"
    apt-get update -qq || true
    # A release may spell a name otherwise; one that is not there must not stop the others.
    for package in $missing; do
      DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" \
        >/dev/null || echo "Could not install $package; install it by hand." >&2
    done
  else
    echo "System libraries are missing. Install them with: sudo apt install $missing" >&2
    exit 1
  fi
fi
