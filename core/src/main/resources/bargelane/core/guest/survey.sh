# Tells what a Linux system is, as docs/formats/survey.md describes. Reads only; writes nothing anywhere.
# For any POSIX shell; what is not there or may not be read is said and left out.
LC_ALL=C
PATH=$PATH:/usr/sbin:/sbin
export LC_ALL PATH
exec 3>&1

s() { # s NAME COMMAND...: a section of what a command prints, and what it complains about
  printf '= %s\n' "$1"
  shift
  told=$({ "$@" </dev/null | head -c 4000000 | tr -d '\000' | awk '{print " " $0}' >&3; } 2>&1 | head -n 2 | cut -c 1-200)
  [ -z "$told" ] || printf '%s\n' "$told" | sed 's/^/! /'
}

has() { command -v "$1" >/dev/null 2>&1; }

identity() {
  cat /etc/machine-id
}

host() {
  uname -n
  uname -s
  uname -r
  uname -m
}

firmware() {
  if [ -d /sys/firmware/efi ]; then echo uefi; elif [ -d /sys/class/dmi/id ]; then echo bios; else echo "not told by this machine" >&2; fi
}

hardware() {
  for f in sys_vendor product_name; do
    told=$(cat /sys/class/dmi/id/$f) && printf '%s %s\n' $f "$told"
  done
}

processors() {
  grep -E '^(processor|model name)' /proc/cpuinfo
}

blocks() { # name, sectors of 512 bytes, what it is part of, removable or not, model
  for d in /sys/class/block/*; do
    [ -e "$d/size" ] || continue
    n=${d##*/}
    parent=-
    if [ -e "$d/partition" ]; then parent=$(cd -P "$d/.." && pwd) && parent=${parent##*/}; fi
    for under in "$d"/slaves/*; do
      [ -e "$under" ] || continue
      if [ "$parent" = - ]; then parent=${under##*/}; else parent=$parent,${under##*/}; fi
    done
    removable=0
    [ -r "$d/removable" ] && read -r removable <"$d/removable"
    model=
    [ -r "$d/device/model" ] && read -r model <"$d/device/model"
    [ -r "$d/dm/name" ] && read -r model <"$d/dm/name"
    read -r size <"$d/size"
    printf '%s %s %s %s %s\n' "$n" "$size" "$parent" "$removable" "$model"
  done
}

cards() { # name, hardware address, state, physical or virtual
  for c in /sys/class/net/*; do
    [ -e "$c/address" ] || continue
    kind=virtual
    [ -e "$c/device" ] && kind=physical
    printf '%s %s %s %s\n' "${c##*/}" "$(cat "$c/address")" "$(cat "$c/operstate")" $kind
  done
}

addresses() {
  if has ip; then ip -o addr show; else echo "there is no program 'ip'" >&2; fi
}

routes() {
  if has ip; then ip route show; ip -6 route show; else echo "there is no program 'ip'" >&2; fi
}

packages() { # name, version, architecture
  if has dpkg-query; then
    dpkg-query -W -f '${db:Status-Abbrev} ${Package} ${Version} ${Architecture}\n' | sed -n 's/^ii *//p'
  elif has rpm; then
    rpm -qa --qf '%{NAME} %{VERSION}-%{RELEASE} %{ARCH}\n'
  elif [ -r /lib/apk/db/installed ]; then
    awk -F: '/^P:/{p=$2} /^V:/{v=$2} /^A:/{a=$2} /^$/{print p, v, a}' /lib/apk/db/installed
  else
    echo "no package manager that is known here" >&2
  fi
}

patched() { # when packages were changed last, in seconds of UNIX time
  for f in /var/lib/dpkg/status /var/lib/rpm/rpmdb.sqlite /usr/lib/sysimage/rpm/rpmdb.sqlite /var/lib/rpm/Packages /lib/apk/db/installed; do
    if [ -e $f ]; then stat -c %Y $f; return; fi
  done
  echo "no package manager that is known here" >&2
}

services() {
  if [ -d /run/systemd/system ]; then
    systemctl list-units --type=service --state=running --no-legend --plain --no-pager | awk '{print $1}'
  elif has rc-status; then
    rc-status -f ini 2>/dev/null | sed -n 's/ *= *started$//p'
  else
    echo "no service manager that is known here" >&2
  fi
}

sockets() {
  for t in tcp tcp6 udp udp6; do
    [ -r /proc/net/$t ] && sed -n "2,\$s/^/$t /p" /proc/net/$t
  done
}

owners() { # whose a socket is: process, inode
  ls /proc/1/fd >/dev/null 2>&1 || echo "processes of others are not told to $(id -un)" >&2
  ls -l /proc/[0-9]*/fd 2>/dev/null | awk '/^\/proc\//{split($1, p, "/"); id=p[3]} $NF ~ /^socket:\[/{gsub(/[^0-9]/, "", $NF); print id, $NF}'
}

commands() { # process, its name
  for p in /proc/[0-9]*; do
    { read -r name <"$p/comm"; } 2>/dev/null && printf '%s %s\n' "${p##*/}" "$name"
  done
}

counters() {
  head -n 1 /proc/stat
  sed 's/^/disk /' /proc/diskstats
  sed -n '3,$s/^/net /p' /proc/net/dev
}

echo 'format: bargelane/survey/1'
s time date +%s
s identity identity
s hardware-id cat /sys/class/dmi/id/product_uuid
s account id -un
s host host
s cards cards
s memory cat /proc/meminfo
s uptime cat /proc/uptime
s counters counters
s blocks blocks
if [ "${1:-all}" = all ]; then
  s os cat /etc/os-release
  s firmware firmware
  s hardware hardware
  s processors processors
  s mounts cat /proc/self/mountinfo
  s room df -kP
  s addresses addresses
  s routes routes
  s packages packages
  s patched patched
  s services services
fi
if [ "${1:-all}" != use ]; then
  s sockets sockets
  s owners owners
  s commands commands
fi
echo '= end'
