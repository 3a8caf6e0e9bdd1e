#!/bin/sh
# Installs Barge Lane's agent on a Linux machine and starts it. Run it with the key that the service gave, in BARGELANE_KEY:
#   as root: in /opt/bargelane-agent, kept in /var/lib/bargelane-agent, run as the account bargelane-agent
#   as an ordinary account: in ~/.bargelane-agent, run as that account
# BARGELANE_SEE_PROCESSES=1 (root only) lets it see whose each socket is; it can then read, not change, everything here.
# BARGELANE_DIR names another directory. "remove" instead of a key takes all of it away again.
set -eu

service='@SERVICE@'
pin='@PIN@'
package='@PACKAGE@'
sum='@SUM@'

say() { printf '%s\n' "$*"; }
fail() { printf 'bargelane-agent: %s\n' "$*" >&2; exit 1; }
has() { command -v "$1" >/dev/null 2>&1; }

account=bargelane-agent
root=no
[ "$(id -u)" = 0 ] && root=yes
if [ -n "${BARGELANE_DIR:-}" ]; then
  program=$BARGELANE_DIR/program
  state=$BARGELANE_DIR/state
elif [ $root = yes ]; then
  program=/opt/bargelane-agent
  state=/var/lib/bargelane-agent
else
  program=$HOME/.bargelane-agent/program
  state=$HOME/.bargelane-agent/state
fi
unit=/etc/systemd/system/bargelane-agent.service
systemd=no
[ $root = yes ] && [ -d /run/systemd/system ] && systemd=yes

halt() {
  if [ $systemd = yes ]; then systemctl disable --now bargelane-agent >/dev/null 2>&1 || true; fi
  if [ -f "$state/pid" ]; then
    pid=$(cat "$state/pid")
    if grep -aq bargelane.agent.AgentMain "/proc/$pid/cmdline" 2>/dev/null; then kill "$pid" 2>/dev/null || true; fi
    n=0
    while [ $n -lt 100 ] && kill -0 "$pid" 2>/dev/null; do sleep 0.1; n=$((n + 1)); done
    rm -f "$state/pid"
  fi
}

remove() {
  halt
  rm -f "$unit"
  rm -rf "$program" "$state"
  if [ $systemd = yes ]; then systemctl daemon-reload; fi
  say "Barge Lane's agent is gone from this machine; take it from the service, too: bargelane agent list SITE"
}

fetch() {
  curl -fsS -k --pinnedpubkey "sha256//$pin" -o "$2" "$service$1" || fail "$service$1 can't be fetched: see curl's word above"
}

as_agent() { # the account that the agent runs as
  if [ $root = yes ]; then
    caps=
    if [ "${BARGELANE_SEE_PROCESSES:-0}" = 1 ]; then caps='--inh-caps +dac_read_search,+sys_ptrace --ambient-caps +dac_read_search,+sys_ptrace'; fi
    # shellcheck disable=SC2086
    setpriv --reuid=$account --regid=$account --clear-groups $caps "$@"
  else
    "$@"
  fi
}

install() {
  [ "$(uname -s)" = Linux ] || fail "this agent is for Linux; this is $(uname -s)"
  case " $package " in
    *" linux-$(uname -m).tar.gz "*) ;;
    *) fail "there is no agent for $(uname -m) here, but for: $package. Read this machine over SSH instead: bargelane server add" ;;
  esac
  for tool in curl tar gzip sha256sum; do has $tool || fail "the program '$tool' is missing: install it, and paste the line again"; done
  [ -n "${BARGELANE_KEY:-}" ] || fail "there is no key in BARGELANE_KEY: bargelane agent key SITE gives the line to paste"
  if [ $root = yes ]; then
    has setpriv || fail "the program 'setpriv' (package util-linux) is missing: install it, and paste the line again"
    if ! id $account >/dev/null 2>&1; then
      if has useradd; then useradd --system --no-create-home --shell /usr/sbin/nologin $account; else adduser -S -D -H $account; fi
    fi
  fi
  halt
  [ ! -f "$state/log" ] || mv "$state/log" "$state/log.before"
  rm -rf "$program.new"
  mkdir -p "$program.new" "$state"
  chmod 700 "$state"
  [ $root = no ] || chown $account "$state"
  fetch "/package/linux-$(uname -m).tar.gz" "$program.new/package.tar.gz"
  printf '%s  %s\n' "$sum" "$program.new/package.tar.gz" | sha256sum -c - >/dev/null || fail "the package is damaged: paste the line again"
  tar -xzf "$program.new/package.tar.gz" -C "$program.new" || fail "the package can't be unpacked: is there room for 60 MB at $program?"
  rm "$program.new/package.tar.gz"
  rm -rf "$program"
  mv "$program.new" "$program"
  as_agent "$program/bin/bargelane-agent" --version >/dev/null || fail "the agent does not run on this system; read this machine over SSH instead"
  as_agent "$program/bin/bargelane-agent" enrol --dir "$state" --service "$service" --pin "$pin"
  unset BARGELANE_KEY
  if [ $systemd = yes ]; then
    caps=
    if [ "${BARGELANE_SEE_PROCESSES:-0}" = 1 ]; then caps='AmbientCapabilities=CAP_DAC_READ_SEARCH CAP_SYS_PTRACE'; fi
    cat >"$unit" <<U
[Unit]
Description=Barge Lane's agent
Wants=network-online.target
After=network-online.target

[Service]
User=$account
ExecStart=$program/bin/bargelane-agent run --dir $state
Restart=always
RestartSec=10
RestartPreventExitStatus=4
NoNewPrivileges=yes
ProtectSystem=strict
ReadWritePaths=$state
$caps

[Install]
WantedBy=multi-user.target
U
    systemctl daemon-reload
    systemctl enable --now bargelane-agent
    say "The agent runs (systemctl status bargelane-agent)."
  else
    # The account's own shell writes the log and says its process.
    # shellcheck disable=SC2016
    as_agent setsid sh -c 'cd /; echo $$ >"$2/pid"; exec "$1/bin/bargelane-agent" run --dir "$2" ${3:+$3} >>"$2/log" 2>&1 </dev/null' agent "$program" "$state" ${BARGELANE_AGENT_OPTIONS:+"$BARGELANE_AGENT_OPTIONS"} &
    n=0
    while [ $n -lt 100 ] && ! grep -q ' tells ' "$state/log" 2>/dev/null; do sleep 0.1; n=$((n + 1)); done
    grep -q ' tells ' "$state/log" 2>/dev/null || fail "the agent did not start: see $state/log"
    say "The agent runs; its log is $state/log. There is no systemd here: have '$program/bin/bargelane-agent run --dir $state' started with the system."
  fi
}

# Last, so that a script that was cut off does nothing.
if [ "${1:-}" = remove ]; then remove; else install; fi
