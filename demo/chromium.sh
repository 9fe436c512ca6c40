#!/usr/bin/env bash
# Make sure a Chromium is there for the browser tests: Debian's, installed when it is missing and we may.
set -u
for name in chromium chromium-browser; do
  command -v "$name" >/dev/null && exit 0
done
if ! command -v apt-get >/dev/null; then
  echo "The browser tests need Chromium, which is missing, and there is no apt-get to install it with; install Chromium and try again." >&2
  exit 1
fi
as=()
if [ "$(id -u)" != 0 ]; then
  if sudo -n true 2>/dev/null; then as=(sudo -n); else
    echo "The browser tests need Chromium, which is missing, and installing it needs more rights; run “sudo apt-get install chromium” and try again." >&2
    exit 1
  fi
fi
echo "Installing Chromium …"
export DEBIAN_FRONTEND=noninteractive
if ! { "${as[@]}" apt-get update -qq && "${as[@]}" apt-get install -y -qq --no-install-recommends chromium; } >/tmp/armuto-chromium.log 2>&1; then
  tail -5 /tmp/armuto-chromium.log >&2
  echo "Chromium could not be installed; install it by hand and try again." >&2
  exit 1
fi
