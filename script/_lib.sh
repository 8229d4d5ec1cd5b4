# Shared by the scripts: steps that install what is missing and cost nothing the second time.
set -eu
ROOT=$(CDPATH= cd -- "$(dirname -- "$0")/.." && pwd)
cd "$ROOT"
STAMPS=.venv/.sarvex
BIN=.venv/bin

say() { printf '\033[1m>\033[0m %s\n' "$*"; }
die() { printf '%s\n' "$*" >&2; exit 1; }

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"; else
        die "to install Debian packages run this as root, or install them yourself: $*"
    fi
}

# debian PACKAGE ... : install Debian packages, telling what for.
debian() {
    say "installing $* (Debian packages; a minute or two)"
    as_root apt-get update -qq
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

# unchanged NAME FILE ... : whether the files are as they were when NAME was last marked.
digest() { for f in "$@"; do [ -e "$f" ] && cat "$f"; done | sha256sum | cut -d' ' -f1; }
unchanged() { n=$1; shift; [ -f "$STAMPS/$n" ] && [ "$(cat "$STAMPS/$n")" = "$(digest "$@")" ]; }
mark() { n=$1; shift; mkdir -p "$STAMPS"; digest "$@" > "$STAMPS/$n"; }

find_python() {
    for p in python3.13 python3.12 python3.11 python3; do
        if command -v "$p" >/dev/null && "$p" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            echo "$p"; return
        fi
    done
    die "Python 3.11 or newer is needed"
}

setup_python() {
    python=$(find_python)
    if [ ! -x $BIN/python ] || ! $BIN/python -c 'import pip' 2>/dev/null; then
        "$python" -c 'import ensurepip, venv' 2>/dev/null || debian python3-venv
        say "making the virtual environment .venv"
        rm -rf .venv
        "$python" -m venv .venv
    fi
    if ! unchanged python requirements.lock pyproject.toml; then
        say "installing the Python packages of requirements.lock (about a minute)"
        $BIN/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
        $BIN/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
        mark python requirements.lock pyproject.toml
    fi
}

# The engine is compiled on the spot, meanwhile the page is built; wait_engine waits for it.
setup_engine() {
    engine=
    if ! unchanged engine requirements.lock $(find sarvex/core -name '*.py' | LC_ALL=C sort); then
        say "compiling the engine (about a minute, meanwhile the page)"
        $BIN/python -m sarvex.core.warm & engine=$!
    fi
}
wait_engine() {
    if [ -n "$engine" ]; then
        wait "$engine" || die "the engine was not compiled"
        mark engine requirements.lock $(find sarvex/core -name '*.py' | LC_ALL=C sort)
    fi
}

setup_web() {
    command -v npm >/dev/null || die "Node 20 or newer with npm is needed"
    if ! unchanged npm web/package-lock.json || [ ! -d web/node_modules ]; then
        say "installing the page's packages of web/package-lock.json (about a minute)"
        (cd web && npm ci --loglevel=error --no-audit --no-fund)
        mark npm web/package-lock.json
    fi
    sources=$(find web/src web/public web/index.html web/vite.config.ts web/package-lock.json -type f | LC_ALL=C sort)
    if ! unchanged page $sources || [ ! -f web/dist/index.html ]; then
        say "building the page"
        (cd web && npx --no-install vite build --logLevel warn)
        mark page $sources
    fi
}

# The two core packages hold the server without a system service; mariadb-install-db needs both.
setup_database() {
    if [ -n "${SARVEX_DATABASE_URL:-}" ]; then return; fi
    for program in mariadbd mariadb-install-db my_print_defaults; do
        (PATH="$PATH:/usr/sbin" command -v $program >/dev/null) || { debian mariadb-server-core mariadb-client-core; return; }
    done
}

# The program that gives the kernel's own filter its rules; without it, or without being root, tests that need it say so.
setup_filter() {
    [ "$(id -u)" = 0 ] || return 0
    (PATH="$PATH:/usr/sbin:/sbin" command -v nft >/dev/null && PATH="$PATH:/usr/sbin:/sbin" command -v ip >/dev/null) ||
        debian nftables iproute2 || say "no kernel filter here: its tests will say so"
}

# Chromium, and a library that Playwright's own driver is linked with.
setup_browser() {
    if ! command -v chromium >/dev/null || ! /sbin/ldconfig -p | grep -q libatomic.so.1; then debian chromium libatomic1; fi
}
