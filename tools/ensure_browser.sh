#!/bin/sh
# Makes sure a Chromium is there for the tests; installs Debian's where that is possible, else says how.
set -eu
if [ -n "${TESOURA_CHROMIUM:-}" ]; then exit 0; fi
for name in chromium chromium-browser google-chrome; do
    if command -v "$name" >/dev/null 2>&1; then exit 0; fi
done
if command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
    echo "Installing chromium for the browser tests"
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null
    exit 0
fi
echo "The browser tests need Chromium. Install it (on Debian or Ubuntu: sudo apt-get install chromium)," >&2
echo "or set TESOURA_CHROMIUM to the path of one, and run this again." >&2
exit 1
