# Sourced: installs Debian packages, as root or through sudo, or says plainly
# what is missing.

as_root() {
  if [ "$(id -u)" = 0 ]; then
    "$@"
  elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    sudo "$@"
  else
    echo "Missing: ${wanted:-root rights}. Install it (apt-get install ${wanted:-}) or run this as root or with passwordless sudo." >&2
    exit 1
  fi
}

install_packages() {
  wanted="$*"
  command -v apt-get >/dev/null || { echo "Missing: $wanted, and there is no apt-get to install it with." >&2; exit 1; }
  echo "Installing from Debian's packages: $wanted" >&2
  as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq >&2
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >&2
}

# Exports CHROMIUM. The headless shell has no window to draw and takes a third less
# time; where Debian has none for this machine, the browser itself does.
find_browser() {
  [ -n "${CHROMIUM:-}" ] && return
  if ! command -v chromium-headless-shell >/dev/null; then
    (install_packages chromium-headless-shell) || command -v chromium >/dev/null || install_packages chromium
  fi
  CHROMIUM=$(command -v chromium-headless-shell || command -v chromium)
  export CHROMIUM
}
