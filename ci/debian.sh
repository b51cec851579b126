#!/bin/sh
# Installs what the tests need from Debian, where it is missing: headless Chromium for the
# end-to-end tests, poppler-utils to read what stands on papers, and qpdf to check and to alter their files.
set -e
need=
command -v chromium-headless-shell >/dev/null 2>&1 || need="$need chromium-headless-shell"
command -v pdftotext >/dev/null 2>&1 || need="$need poppler-utils"
command -v qpdf >/dev/null 2>&1 || need="$need qpdf"
[ -n "$need" ] || exit 0
apt-get update -qq
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $need >/dev/null
