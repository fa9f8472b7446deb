# What the commands share: finding and installing what is missing, and a PostgreSQL cluster of our own.
# Sourced by start, test and bench; defines functions only.

say() { printf '%s\n' "$*"; }
die() { printf '%s\n' "$*" >&2; exit 1; }

# The newest server binaries that Debian's package installed; psql alone is not enough.
find_postgres() {
  local dir
  for dir in $(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V -r); do
    [ -x "$dir/postgres" ] && [ -x "$dir/initdb" ] && { printf '%s' "$dir"; return 0; }
  done
  return 1
}

# install PACKAGE...: with Debian's package manager where we may, else say what is wanted.
install() {
  if [ "$(id -u)" -ne 0 ] && ! sudo -n true 2>/dev/null; then
    die "These packages are wanted and cannot be installed without root: $*
Ask an administrator to run:  apt-get install $*"
  fi
  command -v apt-get >/dev/null || die "These packages are wanted: $*. There is no apt-get here; install them by hand."
  say "Installing $* …"
  local run=""
  [ "$(id -u)" -eq 0 ] || run="sudo -n"
  # Creating the distribution's own cluster is not wanted: ours is in the data folder.
  $run mkdir -p /etc/postgresql-common
  [ -e /etc/postgresql-common/createcluster.conf ] || echo "create_main_cluster = false" | $run tee /etc/postgresql-common/createcluster.conf >/dev/null
  $run env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null 2>&1 && return 0
  $run apt-get update -qq >/dev/null 2>&1
  $run env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null || die "Installing $* failed."
}

need_dotnet() {
  # The SDK keeps its packages under HOME; where there is none it gets one, before it is asked anything.
  if [ -z "${HOME:-}" ] || ! mkdir -p "$HOME" 2>/dev/null || [ ! -w "$HOME" ]; then
    export HOME="$ROOT/.local/home"; mkdir -p "$HOME"
  fi
  export DOTNET_CLI_TELEMETRY_OPTOUT=1 DOTNET_NOLOGO=1
  command -v dotnet >/dev/null || die "The .NET SDK 10 is wanted: 'dotnet' is not on the PATH."
  case "$(dotnet --version 2>/dev/null)" in
    1[0-9].*) ;;
    *) die "The .NET SDK 10 is wanted; this is $(dotnet --version 2>/dev/null || echo one that does not answer)." ;;
  esac
}

need_postgres() {
  find_postgres >/dev/null || install postgresql
  PGBIN=$(find_postgres) || die "PostgreSQL was installed and its server is not under /usr/lib/postgresql."
}

# The browser without a window does a third less for the same pages; where it is not to be had, the whole one does.
need_browser() {
  command -v chromium-headless-shell >/dev/null && command -v chromedriver >/dev/null && return
  (install chromium-headless-shell chromium-driver) 2>/dev/null && return
  command -v chromium >/dev/null && command -v chromedriver >/dev/null || install chromium chromium-driver
}

# PostgreSQL refuses to run as root, so root runs it as the unprivileged user that its package made.
as_db_user() {
  if [ "$(id -u)" -eq 0 ]; then setpriv --reuid=postgres --regid=postgres --clear-groups --reset-env -- "$@"; else "$@"; fi
}

# The application is no more of root than the database is: root runs it as a user of its own, which has nothing.
APP_USER=assignum
need_app_user() {
  [ "$(id -u)" -eq 0 ] || return 0
  id "$APP_USER" >/dev/null 2>&1 || useradd --system --no-create-home --home-dir /nonexistent --shell /usr/sbin/nologin "$APP_USER" 2>/dev/null || APP_USER=nobody
}
as_app_user() {
  if [ "$(id -u)" -eq 0 ]; then setpriv --reuid="$APP_USER" --regid="$(id -g "$APP_USER")" --clear-groups -- "$@"; else "$@"; fi
}

# build PROJECT [OPTION...]: compiles it. One compiler serves all projects and is ended after it (each would else start its
# own and warm it up: twice the time), nothing is counted before it is compiled well, and little is compiled well: it ends soon.
build() {
  local id code; id="assignum-$(random 6)"
  DOTNET_TieredPGO=0 DOTNET_TC_CallCountThreshold=1000 DOTNET_TC_CallCountingDelayMs=0 DOTNET_EnableWriteXorExecute=0 \
    DOTNET_gcServer=0 DOTNET_gcConcurrent=0 DOTNET_GCgen0size=0x8000000 dotnet build "$@" -c Release -v quiet --nologo \
    -clp:ErrorsOnly -p:UseSharedCompilation=true -p:SharedCompilationId="$id" 9>&-
  code=$?
  local process
  for process in /proc/[0-9]*; do
    if grep -q "pipename:$id" "$process/cmdline" 2>/dev/null; then kill "${process#/proc/}" 2>/dev/null; fi
  done
  return "$code"
}

random() { od -An -N"$1" -tx1 /dev/urandom | tr -d ' \n'; }

# Below those that the system gives to outgoing connections, which would take it before somebody listens.
free_port() {
  local port
  for _ in $(seq 50); do
    port=$((20000 + $(od -An -N2 -tu2 /dev/urandom) % 12000))
    (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null || { printf '%s' "$port"; return 0; }
  done
  die "No free port was found."
}

# How the runtime is set where the application serves (measured in docs/performance.md): what is made and let go of is
# collected seldom, what is called often is compiled well at once and without counting how it goes first, and whoever waits
# for work leaves the processor to the database. Whoever sets them is heeded.
RUNTIME=(
  "DOTNET_GCgen0size=${DOTNET_GCgen0size:-0x8000000}"
  "DOTNET_TC_CallCountingDelayMs=${DOTNET_TC_CallCountingDelayMs:-0}"
  "DOTNET_TieredPGO=${DOTNET_TieredPGO:-0}"
  "DOTNET_ThreadPool_UnfairSemaphoreSpinLimit=${DOTNET_ThreadPool_UnfairSemaphoreSpinLimit:-0}"
)

# cluster_start DIR: starts (and at first makes) the cluster of a data folder on loopback, with passwords, and sets
# DB_PORT, DB_OWNER (may migrate) and DB_APP (the application's rights only) as connection strings.
cluster_start() {
  local data="$1"
  mkdir -p "$data"
  data=$(cd "$data" && pwd -P)
  local secrets="$data/secrets"
  if [ ! -s "$secrets" ]; then
    (umask 077; printf 'OWNER_PASSWORD=%s\nAPP_PASSWORD=%s\n' "$(random 24)" "$(random 24)" > "$secrets")
  fi
  # What encrypts the keys of cookies stands here and not in the database; a restored one brings its own.
  grep -q '^RING=' "$secrets" || printf 'RING=%s\n' "${ASSIGNUM_RING:-$(random 24)}" >> "$secrets"
  # Which installation this folder is of: a copy of its database elsewhere is another, and pauses its connections.
  grep -q '^INSTALLATION=' "$secrets" || printf 'INSTALLATION=%s\n' "$(cat /proc/sys/kernel/random/uuid)" >> "$secrets"
  # shellcheck disable=SC1090
  . "$secrets"
  CLUSTER="$data/cluster"
  if [ "$(id -u)" -eq 0 ] && ! as_db_user test -x "$data"; then
    # The unprivileged user cannot come near this folder (a private home, say): the cluster lives beside the system's.
    # Its name is drawn once and kept in the folder, so that a folder made anew never meets another one's cluster.
    [ -s "$data/cluster-is-at" ] || printf '/var/lib/postgresql/assignum-%s\n' "$(random 8)" > "$data/cluster-is-at"
    CLUSTER=$(cat "$data/cluster-is-at")
  fi
  if [ ! -s "$CLUSTER/PG_VERSION" ]; then
    rm -rf "$CLUSTER"
    mkdir -p "$CLUSTER"; chmod 700 "$CLUSTER"
    [ "$(id -u)" -ne 0 ] || chown postgres:postgres "$CLUSTER"
    local words; words=$(as_db_user mktemp)
    printf '%s\n' "$OWNER_PASSWORD" > "$words"
    as_db_user "$PGBIN/initdb" -D "$CLUSTER" -U assignum_owner -A scram-sha-256 --pwfile="$words" -E UTF8 --locale=C.UTF-8 >/dev/null 2>&1 \
      || { rm -rf "$words" "$CLUSTER"; die "The database cluster could not be made in $CLUSTER."; }
    rm -f "$words"
  fi
  if as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" status >/dev/null 2>&1; then
    DB_PORT=$(as_db_user sed -n 4p "$CLUSTER/postmaster.pid")   # left running by a start that was killed
  else
    # Between looking for a free port and taking it somebody else may take it: another is tried.
    local try started=""
    for try in 1 2 3 4 5; do
      DB_PORT=$(free_port)
      cluster_run && { started=1; break; }
    done
    [ -n "$started" ] || die "PostgreSQL did not start; its log: $CLUSTER/server.log"
  fi
  PGPASSWORD="$OWNER_PASSWORD" "$PGBIN/psql" -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$DB_PORT" -U assignum_owner -d postgres >/dev/null <<SQL || { cluster_stop; die "The database does not take its owner's password."; }
select 'create role assignum_app login' where not exists (select from pg_roles where rolname = 'assignum_app') \gexec
alter role assignum_app login password '$APP_PASSWORD';
select 'create database assignum' where not exists (select from pg_database where datname = 'assignum') \gexec
SQL
  DB_OWNER="Host=127.0.0.1;Port=$DB_PORT;Database=assignum;Username=assignum_owner;Password=$OWNER_PASSWORD"
  DB_APP="Host=127.0.0.1;Port=$DB_PORT;Database=assignum;Username=assignum_app;Password=$APP_PASSWORD"
}

# Starts the server of the cluster on DB_PORT.
cluster_run() {
  as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" -l "$CLUSTER/server.log" -w -t 60 start \
    -o "-c listen_addresses=127.0.0.1 -c port=$DB_PORT -c unix_socket_directories='' -c max_connections=200 -c shared_buffers=512MB -c work_mem=16MB -c max_wal_size=2GB -c log_min_messages=warning -c log_file_mode=0600 ${CLUSTER_OPTIONS:-}" >/dev/null 2>&1 9>&-
}

# Starts the server again whenever it died, on the port that everybody knows; returns when that cannot be done.
cluster_watch() {
  local try
  while sleep 1; do
    as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" status >/dev/null 2>&1 && continue
    say "The database died; starting it again …"
    for try in 1 2 3 4 5 6 7 8 9 10; do
      # What served until then may still be going.
      cluster_run && { say "The database is back."; continue 2; }
      sleep 1
    done
    say "The database cannot be started again; its log: $CLUSTER/server.log"
    return 1
  done
}

cluster_stop() {
  [ -n "${CLUSTER:-}" ] && as_db_user "$PGBIN/pg_ctl" -D "$CLUSTER" -m fast -w -t 60 stop >/dev/null 2>&1
  return 0
}

# curl_status PORT [INSTANCE]: asks /readyz without needing curl; prints what is being done, succeeds when ready and, where
# an instance is named, when it is that one which answers.
curl_status() {
  local line head body="" last="" ours=""
  exec 3<>"/dev/tcp/127.0.0.1/$1" || return 1
  printf 'GET /readyz HTTP/1.0\r\nHost: 127.0.0.1\r\n\r\n' >&3
  read -r line <&3
  while IFS= read -r head <&3; do
    head=${head%$'\r'}
    [ -n "$head" ] || break
    [ "$head" = "Assignum-Instance: ${2:-}" ] && ours=1
  done
  while IFS= read -r body <&3 || [ -n "$body" ]; do body=${body%$'\r'}; [ -n "$body" ] && last="$body"; done
  exec 3<&- 3>&-
  [ -z "${2:-}" ] || [ -n "$ours" ] || return 1
  printf '%s' "$last"
  case "$line" in *" 200 "*) return 0 ;; *) return 1 ;; esac
}
