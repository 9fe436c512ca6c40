#!/usr/bin/env bash
# Make sure that programs the tests need are there, Debian's own: each is installed when it is missing and we may.
# debian.sh PACKAGE[=COMMAND,COMMAND...] ...
set -u
missing=()
for wanted in "$@"; do
  package=${wanted%%=*}
  found=
  for name in $(tr ',' ' ' <<<"${wanted#*=}"); do
    command -v "$name" >/dev/null && found=1
  done
  [ -n "$found" ] || missing+=("$package")
done
[ ${#missing[@]} = 0 ] && exit 0
if ! command -v apt-get >/dev/null; then
  echo "The tests need ${missing[*]}, and there is no apt-get to install that with; install it and try again." >&2
  exit 1
fi
as=()
if [ "$(id -u)" != 0 ]; then
  if sudo -n true 2>/dev/null; then as=(sudo -n); else
    echo "The tests need ${missing[*]}, and installing it needs more rights; run “sudo apt-get install ${missing[*]}” and try again." >&2
    exit 1
  fi
fi
echo "Installing ${missing[*]} …"
export DEBIAN_FRONTEND=noninteractive
log=$(mktemp)
if ! { "${as[@]}" apt-get update -qq && "${as[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
  tail -5 "$log" >&2
  echo "${missing[*]} could not be installed; install it by hand and try again." >&2
  exit 1
fi
rm -f "$log"
