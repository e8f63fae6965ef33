#!/usr/bin/env bash
# Installs what is missing: `setup.sh server` MariaDB's server, `browser` Chromium for the tests, `race` a C compiler
# for Go's race detector, `ui` the npm packages.
# Debian's packages need root or sudo; where all is there already, nothing is asked for.
set -euo pipefail
cd "$(dirname "$0")"

need() { # need PACKAGE PROGRAM...: installs the package unless one of the programs is there
  local package=$1 program
  shift
  for program in "$@"; do command -v "$program" >/dev/null 2>&1 && return; done
  missing+=("$package")
}

say() { printf '%s\n' "$*" >&2; }

debian() {
  [ ${#missing[@]} -gt 0 ] || return 0
  command -v apt-get >/dev/null || {
    say "These Debian packages are missing and apt-get is not here to install them: ${missing[*]}"
    exit 1
  }
  local as=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || {
      say "Installing ${missing[*]} needs root: run this as root, or install sudo," \
        "or have somebody run: apt-get install ${missing[*]}"
      exit 1
    }
    as=(sudo)
  fi
  say "Installing Debian's ${missing[*]} …"
  local log
  log=$(mktemp)
  for try in 1 2 3; do
    "${as[@]}" apt-get update -qq >"$log" 2>&1 &&
      "${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
        "${missing[@]}" >>"$log" 2>&1 && { rm -f "$log"; return 0; }
    [ "$try" = 3 ] || sleep 3
  done
  tail -5 "$log" >&2
  say "Installing ${missing[*]} failed; the whole log is in $log"
  exit 1
}

missing=()
for what in "$@"; do
  case $what in
    server) need mariadb-server-core mariadbd /usr/sbin/mariadbd ;;
    browser) need chromium chromium ;;
    race)
      need gcc gcc
      [ -e /usr/include/stdlib.h ] || missing+=(libc6-dev)
      ;;
    ui)
      command -v go >/dev/null || { say "Go is missing: install Go 1.26 or newer"; exit 1; }
      command -v npm >/dev/null || { say "Node.js with npm is missing: install Node 20 or newer"; exit 1; }
      ;;
    *) say "usage: setup.sh [server] [browser] [race] [ui]"; exit 2 ;;
  esac
done
debian

for what in "$@"; do
  if [ "$what" = ui ] && [ ui/node_modules/.made -ot ui/package-lock.json ]; then
    say "Installing npm packages …"
    log=$(mktemp)
    (cd ui && npm install --ignore-scripts --no-audit --no-fund --no-save --prefer-offline >"$log" 2>&1) || {
      cat "$log" >&2
      say "Installing the npm packages failed"
      exit 1
    }
    rm -f "$log"
    touch ui/node_modules/.made
  fi
done
