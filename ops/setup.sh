# Set-up shared by ./start and ./test: Debian packages, the virtual environment, a PostgreSQL cluster of our own.
say() { printf '%s\n' "$*"; }
fail() { printf 'Cannot go on: %s\n' "$*" >&2; exit 1; }

need_packages() {  # need_packages WHAT PACKAGE...: installs with apt when root, else says what to ask for
  local what=$1; shift
  if [[ $(id -u) == 0 ]] && command -v apt-get >/dev/null; then
    say "Installing $what ($*) ..."
    DEBIAN_FRONTEND=noninteractive apt-get update -qq || fail "apt-get update did not work; is the network up?"
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null || fail "apt-get could not install $*"
  else
    fail "$what is missing. Ask whoever runs this machine for: apt-get install $*"
  fi
}

postgres_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

setup_tools() {
  [[ -n $(postgres_bin) && -x $(postgres_bin)/initdb ]] || need_packages "the PostgreSQL server" postgresql
  if [[ ${1:-} == with-browser ]]; then
    if ! command -v chromium >/dev/null || ! command -v chromedriver >/dev/null; then need_packages "Chromium for the tests" chromium chromium-driver; fi
  fi
}

wish_tools() {  # wish_tools WHAT COMMAND PACKAGE...: installs what is good to have but not needed; goes on without it
  local what=$1 command=$2; shift 2
  command -v "$command" >/dev/null && return
  if [[ $(id -u) == 0 ]] && command -v apt-get >/dev/null; then
    say "Installing $what ($*) ..."
    DEBIAN_FRONTEND=noninteractive apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null && return
  fi
  say "Without $what: apt-get install $* would bring it."
}

find_python() {
  local name
  for name in python3.11 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))'; then echo "$name"; return; fi
  done
  return 1
}

setup_python() {  # setup_python REQUIREMENTS: a virtual environment with just these, made again when the list changes
  local list=$1 python stamp
  python=$(find_python) || fail "Python 3.11 is missing."
  "$python" -c 'import ensurepip' 2>/dev/null || need_packages "Python's venv module" python3-venv
  [[ -x .venv/bin/python ]] || { say "Making a virtual environment ..."; "$python" -m venv .venv || fail "The virtual environment could not be made."; }
  stamp=.venv/.have-$(basename "$list")
  if [[ ! -f $stamp || $(cat requirements.txt "$list" | sha256sum) != "$(cat "$stamp")" ]]; then
    say "Installing Python packages from $list (once; a few minutes on a slow line) ..."
    .venv/bin/python -m pip install --quiet --disable-pip-version-check -r "$list" 2>&1 | { grep -v '^WARNING' || true; }
    [[ ${PIPESTATUS[0]} == 0 ]] || fail "pip could not install $list."
    cat requirements.txt "$list" | sha256sum > "$stamp"
  fi
}

setup_scripts_tools() {  # the linter and the type checker of the page's scripts, by the node of the virtual environment; nothing of it is shipped
  local stamp=node_modules/.have
  if [[ ! -f $stamp || $(sha256sum < package-lock.json) != "$(cat "$stamp")" ]]; then
    say "Installing what checks the page's scripts (once; some seconds) ..."
    PATH="$PWD/.venv/bin:$PATH" .venv/bin/npm ci --silent --no-audit --no-fund --ignore-scripts \
      || fail "npm could not install what package-lock.json names; is the network up?"
    sha256sum < package-lock.json > "$stamp"
  fi
}

setup_secret() {
  mkdir -p "$1"
  [[ -s $1/secret ]] || (umask 077; .venv/bin/python -c 'import secrets; print(secrets.token_urlsafe(50), end="")' > "$1/secret")
}

as_postgres() {  # PostgreSQL does not run as root: then the account 'postgres' that Debian's package made runs it
  if [[ $(id -u) == 0 ]]; then setpriv --reuid=postgres --regid=postgres --init-groups env HOME=/tmp "$@"; else "$@"; fi
}

postgres_start() {  # postgres_start FOLDER LOG: a cluster on a free loopback port; sets JAY_DB_PORT
  local folder=$1 log=$2 bin home
  bin=$(postgres_bin)
  mkdir -p "$(dirname "$folder")"
  if [[ $(id -u) == 0 ]]; then
    # root's folders may be closed to 'postgres': then the cluster lives beside them, linked
    home=/var/tmp/jaythread-$(printf %s "$folder" | sha256sum | cut -c1-12)
    if [[ ! -e $folder ]]; then install -d -o postgres -g postgres -m 700 "$home"; ln -sfn "$home" "$folder"; fi
    [[ -d $home ]] || install -d -o postgres -g postgres -m 700 "$home"
    folder=$home; log=$home/server.log
  fi
  if [[ ! -f $folder/PG_VERSION ]]; then
    say "Making a database cluster ..."
    as_postgres "$bin/initdb" -D "$folder" -U jay --auth=trust -E UTF8 --no-locale >"$(dirname "$1")/initdb.log" 2>&1 \
      || fail "The database cluster could not be made: $(tail -n 1 "$(dirname "$1")/initdb.log")"
  fi
  as_postgres "$bin/pg_ctl" -D "$folder" status >/dev/null 2>&1 && as_postgres "$bin/pg_ctl" -D "$folder" stop -m fast >/dev/null 2>&1
  JAY_DB_PORT=$(.venv/bin/python ops/free_port.py)
  export JAY_DB_PORT
  as_postgres "$bin/pg_ctl" -D "$folder" -w -t 30 -l "$log" -o "-p $JAY_DB_PORT -c listen_addresses=127.0.0.1 -c unix_socket_directories=''" start >/dev/null 2>&1 9>&- \
    || fail "The database in $folder does not start: $(tail -n 1 "$log" 2>/dev/null). If it is broken beyond repair, move that folder away and start again; a new one is made."
  "$PWD/.venv/bin/python" ops/make_database.py || fail "The database could not be made."
}

postgres_runs() {
  as_postgres "$(postgres_bin)/pg_ctl" -D "$(readlink -f "$1")" status >/dev/null 2>&1
}

postgres_again() {  # postgres_again FOLDER LOG: the cluster that was started before, on the port that it had
  local folder log=$2
  folder=$(readlink -f "$1")
  [[ $(id -u) != 0 ]] || log=$folder/server.log
  as_postgres "$(postgres_bin)/pg_ctl" -D "$folder" -w -t 30 -l "$log" \
    -o "-p $JAY_DB_PORT -c listen_addresses=127.0.0.1 -c unix_socket_directories=''" start >/dev/null 2>&1 9>&-
}

log_short() {  # log_short FILE: 10 MB and the 10 before; whoever writes it appends, so that it may be cut off under their hands
  if (( $(stat -c %s "$1" 2>/dev/null || echo 0) > 10000000 )); then cp "$1" "$1.1" && : > "$1"; fi
}

postgres_stop() {
  local folder
  folder=$(readlink -f "$1")
  as_postgres "$(postgres_bin)/pg_ctl" -D "$folder" stop -m fast >/dev/null 2>&1 || true
}
