#!/bin/bash
# What an operator does with the packages, on a system of their own: this one's files, changed by nobody else, without systemd and with a
# loopback of its own. Usage: packages.sh DIR NEWER: directories with the packages of two versions.
set -euo pipefail
export PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin HOME=/root DEBIAN_FRONTEND=noninteractive
unset BARGELANE_HOME BARGELANE_SERVICE BARGELANE_TOKEN
step() { echo "step: $*"; }
fail() { echo "failed: $*"; tail -n 20 /tmp/service.log /tmp/tug.log 2>/dev/null; exit 1; }
holds() { "$@" >/dev/null || fail "$*"; }
settles() { for _ in $(seq 600); do if "$@" >/dev/null 2>&1; then return; fi; sleep 0.2; done; fail "never: $*"; }
says() { # says TEXT COMMAND...
  local text=$1 out; shift
  out=$("$@" 2>&1) || true
  case $out in *"$text"*) ;; *) fail "$* said: $out" ;; esac
}
service() { # starts it as its unit does, and waits until it serves
  rm -f /var/lib/bargelane/service/ready
  runuser -u bargelane -- bargelane-service run >>/tmp/service.log 2>&1 &
  settles test -f /var/lib/bargelane/service/ready
}
pid() { # the Java process of a program
  local process
  for process in /proc/[0-9]*; do
    case $(readlink "$process/exe" 2>/dev/null) in */java) ;; *) continue ;; esac
    if grep -aq "$1" "$process/cmdline" 2>/dev/null; then echo "${process#/proc/}"; fi
  done
}
ended() { # ended CLASS SIGNAL
  local pid; pid=$(pid "$1")
  [ -n "$pid" ] || fail "$1 does not run"
  kill "-$2" "$pid"
  while [ -d "/proc/$pid" ]; do sleep 0.1; done
}

step install
force=() # where Java did not come from Debian
dpkg -s openjdk-17-jre-headless >/dev/null 2>&1 || force=(--force-depends)
dpkg "${force[@]}" -i "$1"/*.deb >/tmp/install.log 2>&1 || { cat /tmp/install.log; fail dpkg -i; }
holds grep -q "bargelane-service database" /tmp/install.log
holds test "$(stat -c '%U %a' /var/lib/bargelane/service)" = "bargelane 700"
says "Example:" bargelane wave load --help
for page in man1/bargelane.1 man1/bargelane-wave-load.1 man8/bargelane-service.8 man8/bargelane-tug.8; do holds zgrep -q '^\.TH' "/usr/share/man/$page.gz"; done
holds bash -n /usr/share/bash-completion/completions/bargelane
holds test -s /var/cache/bargelane/client.jsa
if command -v systemd-analyze >/dev/null; then holds systemd-analyze verify /lib/systemd/system/bargelane-service.service /lib/systemd/system/bargelane-tug.service; fi

step database
says "the file /etc/bargelane/database-password can't be read" bargelane-service
pg_createcluster -p 5433 "$(ls /usr/lib/postgresql | sort -V | tail -n 1)" lanes >/dev/null
pg_ctlcluster "$(ls /usr/lib/postgresql | sort -V | tail -n 1)" lanes start
says "Set 'database' in /etc/bargelane/service.yaml" bargelane-service database --port 5433
password=$(cat /etc/bargelane/database-password)
holds bargelane-service database --port 5433
holds test "$password" = "$(cat /etc/bargelane/database-password)"
holds test "$(stat -c '%U %G %a' /etc/bargelane/database-password)" = "root bargelane 640"
holds test "$(runuser -u postgres -- psql -XAtqp 5433 -c "select rolsuper or rolcreatedb or rolcreaterole from pg_roles where rolname = 'bargelane'")" = f

step settings
echo "lisen: 0.0.0.0:7070" >> /etc/bargelane/service.yaml
line=$(wc -l < /etc/bargelane/service.yaml)
says "/etc/bargelane/service.yaml:$line:1: there is no setting 'lisen'" bargelane-service
sed -i '$ d' /etc/bargelane/service.yaml
echo "lease: soon" >> /etc/bargelane/service.yaml
says "/etc/bargelane/service.yaml:$line:8: lease: 'soon'" bargelane-service
sed -i -e '$ d' -e 's/:5432/:5433/' /etc/bargelane/service.yaml

step serve
service
says "No sites yet" bargelane site list
holds test "$(cat /var/lib/bargelane/service/address)" = https://127.0.0.1:7070
if runuser -u nobody -- bargelane site list >/dev/null 2>&1; then fail "nobody may look"; fi
bargelane token add tug-1 --tug tug-1 > /etc/bargelane/tug-token 2>/dev/null
chown root:bargelane /etc/bargelane/tug-token
chmod 640 /etc/bargelane/tug-token
echo "fingerprint: $(cat /var/lib/bargelane/service/fingerprint)" >> /etc/bargelane/tug.yaml
bargelane-tug >/tmp/tug.log 2>&1 &
settles bash -c "bargelane tug list | grep -q tug-1"

step backup
holds bargelane-service backup create /root/lanes.zip
says "is whole" bargelane-service backup verify /root/lanes.zip

step upgrade
master=$(sha256sum /var/lib/bargelane/service/master-key)
dpkg "${force[@]}" -i "$2"/*.deb >/tmp/upgrade.log 2>&1 || { cat /tmp/upgrade.log; fail upgrade; }
holds grep -q "start it again to run this version" /tmp/upgrade.log
holds grep -q 5433 /etc/bargelane/service.yaml
ended node.ServiceMain KILL
service
says "No sites yet" bargelane site list
settles grep -q "answers again" /tmp/tug.log
holds test "$master" = "$(sha256sum /var/lib/bargelane/service/master-key)"

step remove
ended tug.TugMain TERM
ended node.ServiceMain TERM
dpkg -r bargelane bargelane-service bargelane-tug >/dev/null
for gone in /usr/bin/bargelane /usr/bin/bargelane-service /usr/bin/bargelane-tug; do if [ -e "$gone" ]; then fail "$gone is left"; fi; done
holds test -f /etc/bargelane/service.yaml
says "are kept; remove them by hand" dpkg -P bargelane bargelane-service bargelane-tug
for gone in /etc/bargelane /usr/share/bargelane /var/cache/bargelane /usr/bin/bargelane; do if [ -e "$gone" ]; then fail "$gone is left: $(find "$gone" | head -n 5)"; fi; done
holds test -f /var/lib/bargelane/service/master-key
step end
