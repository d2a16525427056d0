#!/usr/bin/env bash
# Chromium for the browser tests and the pictures, from Debian's packages.
set -euo pipefail
command -v chromium >/dev/null && exit 0
export DEBIAN_FRONTEND=noninteractive
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }
as_root apt-get update -qq
as_root apt-get install -y -qq --no-install-recommends chromium >/dev/null
