#!/usr/bin/env bash
# What the tests and the pictures need from Debian's packages: Chromium, the checker of zone files, the reader of
# printed papers, two independent SIP programs.
set -euo pipefail
wanted=()
command -v chromium >/dev/null || wanted+=(chromium)
command -v named-checkzone >/dev/null || wanted+=(bind9-utils)
command -v pdftotext >/dev/null || wanted+=(poppler-utils)
command -v sipp >/dev/null || wanted+=(sip-tester)
command -v sipsak >/dev/null || wanted+=(sipsak)
[ ${#wanted[@]} -eq 0 ] && exit 0
export DEBIAN_FRONTEND=noninteractive
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }
as_root apt-get update -qq
as_root apt-get install -y -qq --no-install-recommends "${wanted[@]}" >/dev/null
