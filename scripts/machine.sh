# What both commands need of the machine. Sourced by start and test; bash.

say() { printf '%s\n' "$*"; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

# The two things that are expected to be there.
need_toolchains() {
    [ -d "$HOME/.cargo/bin" ] && PATH="$HOME/.cargo/bin:$PATH"
    command -v cargo > /dev/null || fail "Rust is missing. Install it (rustup, Rust 1.95 or later), then run this again."
    command -v node > /dev/null && command -v npm > /dev/null || fail "Node.js is missing. Install Node.js 20.19 or later with npm, then run this again."
    node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' ||
        fail "Node.js $(node --version) is too old. Install Node.js 20.19 or later, then run this again."
}

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"; else
        command -v sudo > /dev/null || fail "Installing Debian packages needs root or sudo; neither is at hand. Install by hand: $PACKAGES"
        sudo "$@"
    fi
}

# need_packages NAME...: installs Debian packages that are missing.
need_packages() {
    PACKAGES=
    local p
    for p in "$@"; do
        dpkg-query -W -f '${db:Status-Status}' "$p" 2> /dev/null | grep -qx installed || PACKAGES="$PACKAGES $p"
    done
    [ -z "$PACKAGES" ] && return
    command -v apt-get > /dev/null || fail "This machine has no apt-get. Install by hand:$PACKAGES"
    say "Installing from Debian's packages:$PACKAGES"
    as_root apt-get update -qq || fail "apt-get update failed"
    # shellcheck disable=SC2086
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $PACKAGES > /dev/null || fail "apt-get install$PACKAGES failed"
}

# node_modules FOLDER: installs exactly what the lock file says, once.
need_node_modules() {
    local stamp="$1/node_modules/.installed"
    if [ ! -f "$stamp" ] || ! cmp -s "$1/package-lock.json" "$stamp"; then
        say "Installing the packages of $1 …"
        npm --prefix "$1" ci --no-audit --no-fund --loglevel=error || fail "npm ci in $1 failed"
        cp "$1/package-lock.json" "$stamp"
    fi
}

# need_readers FOLDER: Python there with readers of what is handed off, that others wrote; sets READERS.
need_readers() {
    local list=scripts/readers.txt stamp="$1/.installed"
    READERS="$1/bin/python"
    if [ ! -f "$stamp" ] || ! cmp -s "$list" "$stamp"; then
        command -v python3 > /dev/null && python3 -c 'import ensurepip, venv' 2> /dev/null || need_packages python3 python3-venv
        say "Installing readers of what is handed off …"
        rm -rf "$1"
        python3 -m venv "$1" || fail "python3 -m venv failed"
        "$1/bin/pip" install --quiet --disable-pip-version-check -r "$list" || fail "the packages in $list could not be installed"
        cp "$list" "$stamp"
    fi
}

port_is_free() { ! (exec 3<> "/dev/tcp/127.0.0.1/$1") 2> /dev/null; }

free_port() {
    local p
    for _ in $(seq 50); do
        p=$((20000 + RANDOM % 25000))
        port_is_free "$p" && { echo "$p"; return; }
    done
    fail "no free port was found on loopback"
}

# PostgreSQL does not run as root: a system user does it then.
as_postgres() {
    if [ "$(id -u)" = 0 ]; then
        # A folder that user may not enter would only make noise.
        (cd / && runuser -u postgres -- "$@")
    else "$@"; fi
}

postgres_program() {
    local newest
    newest=$(ls -d /usr/lib/postgresql/*/bin 2> /dev/null | sort -V | tail -n 1)
    [ -x "$newest/$1" ] || fail "PostgreSQL's $1 was not found under /usr/lib/postgresql"
    echo "$newest/$1"
}

# start_cluster FOLDER: a PostgreSQL of our own in FOLDER on loopback; sets CLUSTER_URL (without a database name).
start_cluster() {
    local folder="$1" port
    if [ "$(id -u)" = 0 ]; then
        mkdir -p "$folder" && chown postgres: "$folder" && chmod 700 "$folder"
    else
        mkdir -p "$folder" && chmod 700 "$folder"
    fi
    if ! as_postgres test -f "$folder/data/PG_VERSION"; then
        as_postgres sh -c "umask 077; od -An -N24 -tx1 /dev/urandom | tr -d ' \n' > '$folder/password'"
        as_postgres "$(postgres_program initdb)" -D "$folder/data" -U rhizograph -E UTF8 --locale=C \
            --auth=scram-sha-256 --pwfile="$folder/password" > /dev/null || fail "the database cluster could not be set up in $folder"
    fi
    if as_postgres "$(postgres_program pg_ctl)" -D "$folder/data" status > /dev/null 2>&1; then
        port=$(as_postgres sed -n 4p "$folder/data/postmaster.pid")
        CLUSTER_STARTED=
    else
        port=$(free_port)
        as_postgres "$(postgres_program pg_ctl)" -D "$folder/data" -l "$folder/log" -w -o \
            "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' ${CLUSTER_OPTIONS:-}" start > /dev/null ||
            fail "PostgreSQL did not start; see $folder/log"
        CLUSTER_STARTED=$folder
    fi
    CLUSTER_URL="postgres://rhizograph:$(as_postgres cat "$folder/password")@127.0.0.1:$port"
}

stop_cluster() {
    [ -n "${CLUSTER_STARTED:-}" ] || return 0
    as_postgres "$(postgres_program pg_ctl)" -D "$CLUSTER_STARTED/data" -m fast -w stop > /dev/null 2>&1 || true
    CLUSTER_STARTED=
}

# need_database URL NAME: makes the database if it is not there.
need_database() {
    local psql
    psql=$(postgres_program psql)
    if [ -z "$("$psql" "$1/postgres" -tAc "select 1 from pg_database where datname = '$2'")" ]; then
        "$psql" "$1/postgres" -qc "create database $2" || fail "the database $2 could not be made"
    fi
}
