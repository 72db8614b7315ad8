#!/bin/sh
# Installs Deft Barge from this folder, or removes it again.
#
#   ./install.sh                    into ~/.local
#   ./install.sh --prefix /usr/local
#   ./install.sh --remove [--prefix DIR]
set -eu
here=$(cd "$(dirname "$0")" && pwd)
prefix=${HOME:?}/.local
remove=
while [ $# -gt 0 ]; do
  case $1 in
    --prefix) prefix=${2:?"--prefix needs a folder"}; shift ;;
    --remove) remove=1 ;;
    *) echo "install.sh: $1 is not known; see the head of this file" >&2; exit 2 ;;
  esac
  shift
done
cd "$here/files"
find . -type f | sed 's,^\./,,' | sort | while IFS= read -r file; do
  if [ -n "$remove" ]; then
    rm -f "$prefix/$file"
  else
    mkdir -p "$prefix/$(dirname "$file")"
    cp "$file" "$prefix/$file"
  fi
done
if [ -n "$remove" ]; then
  rmdir "$prefix/share/doc/deft-barge" 2>/dev/null || true
  echo "Removed from $prefix. Settings, profiles and the journal stay: ~/.config/deft-barge and ~/.local/state/deft-barge."
else
  echo "Installed in $prefix. Start it with: deft-barge"
  case ":$PATH:" in
    *":$prefix/bin:"*) ;;
    *) echo "$prefix/bin is not in your PATH; add it, or start $prefix/bin/deft-barge." ;;
  esac
fi
