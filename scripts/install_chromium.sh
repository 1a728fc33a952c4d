#!/usr/bin/env bash
# Chromium for the browser tests, from Debian's packages, when it is not there.
set -eu
[ -x /usr/bin/chromium ] && exit 0
run() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }
run apt-get update -qq
run env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null
