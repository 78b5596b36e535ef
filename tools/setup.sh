# Sourced by ./start, ./check, ./schablone and ./schablone-shots from the checkout's top folder.
# ``more_packages`` may name a further list of Debian packages. Installs what is missing, says what it cannot install, and does nothing when all is there.

say() { printf '%s\n' "schablone: $*" >&2; }

missing_system_packages() {
    wanted=$(cat packaging/debian-packages.txt $more_packages | sed -e 's/#.*//' -e '/^[[:space:]]*$/d')
    there=$(dpkg-query -W -f '${db:Status-Status} ${Package}\n' $wanted 2>/dev/null | sed -n 's/^installed //p')
    for package in $wanted; do
        case "
$there
" in *"
$package
"*) ;; *) printf '%s ' "$package" ;; esac
    done
}

install_system_packages() {
    command -v dpkg-query >/dev/null 2>&1 || return 0 # not Debian: the person knows better
    wanted=$(missing_system_packages)
    [ -n "$wanted" ] || return 0
    if [ "$(id -u)" = 0 ]; then as_root=""
    elif command -v sudo >/dev/null 2>&1; then as_root=sudo
    else
        say "these Debian packages are missing: $wanted"
        say "install them as root (apt-get install $wanted) and start again."
        return 1
    fi
    say "installing Debian packages: $wanted"
    if ! { $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq &&
           $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $wanted; } \
           >.setup.log 2>&1; then
        tail -n 5 .setup.log >&2
        say "could not install: $wanted. Is there a network, and may you install packages? (whole log: .setup.log)"
        return 1
    fi
    rm -f .setup.log
}

# Python would compile it at its first start. On all cores it takes a tenth of the time that pip takes, which compiles tests and templates as well.
compile_what_is_used() {
    .venv/bin/python -m compileall -q -j 0 -x '/(tests?|testing|lexers|networkx|pip|setuptools|scripts)/' .venv/lib/python3*/site-packages
}

install_python_packages() {
    stamp=.venv/installed-lock
    now=$(cat packaging/requirements.lock pyproject.toml | sha256sum | cut -d ' ' -f 1)
    [ -x .venv/bin/python ] && [ "$(cat "$stamp" 2>/dev/null)" = "$now" ] && return 0
    python=$(command -v python3 || true)
    if [ -z "$python" ] || ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
        say "Python 3.11 or newer is needed; found: $("$python" --version 2>&1 || echo none)."
        return 1
    fi
    say "preparing the Python environment in .venv (once, about a minute)"
    if ! { { [ -x .venv/bin/python ] || "$python" -m venv .venv; } &&
           .venv/bin/python -m pip install -q --disable-pip-version-check --no-compile --require-hashes -r packaging/requirements.lock &&
           .venv/bin/python -m pip install -q --disable-pip-version-check --no-compile --no-deps --no-build-isolation -e . &&
           compile_what_is_used; } >.setup.log 2>&1; then
        tail -n 5 .setup.log >&2
        say "could not install the Python packages of packaging/requirements.lock (whole log: .setup.log)."
        return 1
    fi
    rm -f .setup.log
    printf '%s\n' "$now" >"$stamp"
}

more_packages=${more_packages:-}
install_system_packages || exit 3
install_python_packages || exit 3
