#!/bin/sh
# Installs the Debian packages that are named as arguments and are missing, and says what it does.
set -eu
missing=""
for package in "$@"; do
  dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q "ok installed" || missing="$missing $package"
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" != 0 ]; then
  echo "These Debian packages are missing:$missing" >&2
  echo "Ask somebody with root to run: apt-get install$missing" >&2
  exit 1
fi
echo "Installing Debian packages:$missing"
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
# shellcheck disable=SC2086
apt-get install -y -qq --no-install-recommends $missing >/dev/null
