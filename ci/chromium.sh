#!/bin/sh
# Installs Debian's Chromium for the end-to-end tests, where it is missing.
set -e
command -v chromium >/dev/null 2>&1 && exit 0
apt-get update -qq
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null
