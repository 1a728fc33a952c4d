#!/usr/bin/env bash
# What Debian must provide, installed only where it is missing. Usage: install_system.sh python | tests
set -eu
run() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }
get() {
  run apt-get update -qq
  run env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}
case "$1" in
  python)
    python="${2:-python3.11}"
    command -v "$python" >/dev/null || get python3.11
    "$python" -c "import ensurepip" 2>/dev/null || get python3.11-venv
    ;;
  tests)
    command -v npm >/dev/null || get nodejs npm
    command -v chromium-headless-shell >/dev/null || get chromium-headless-shell || command -v chromium >/dev/null || get chromium
    command -v ffmpeg >/dev/null || get ffmpeg
    command -v firefox-esr >/dev/null || get firefox-esr
    command -v WebKitWebDriver >/dev/null || get webkit2gtk-driver
    command -v xvfb-run >/dev/null || get xvfb xauth
    command -v redis-server >/dev/null || get redis-server
    command -v ps >/dev/null || get procps
    ;;
esac
