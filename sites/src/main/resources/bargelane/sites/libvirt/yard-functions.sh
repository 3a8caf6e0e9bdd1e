# What a script in the yard may use. A guest's disks and their partitions are /disks/NUMBER-PARTITION, counted from 0 in
# boot order, partition 0 being the whole disk.

export LD_LIBRARY_PATH=/lib64

sum() { sha256sum | cut -d' ' -f1; }

# disks COUNT : waits until so many disks are there, which may be plugged in one after the other, and names them. Each has
# its number as its serial.
disks() {
  local number=0 tries=0 serial block part
  mkdir -p /disks
  while [ "$number" -lt "$1" ]; do
    for serial in /sys/block/*/serial; do
      if [ "$(cat "$serial")" != "d$number" ]; then continue; fi
      block=${serial%/serial}
      block=${block##*/}
      : < "/dev/$block" # opened once its partitions are known
      ln -s "/dev/$block" "/disks/$number-0"
      for part in "/dev/$block"[0-9]*; do
        if [ -e "$part" ]; then ln -s "$part" "/disks/$number-${part#"/dev/$block"}"; fi
      done
      number=$((number + 1))
      continue 2
    done
    tries=$((tries + 1))
    if [ "$tries" -gt 100 ]; then echo "disk $number did not appear"; return 1; fi
    sleep 0.1
  done
}

lvm_settings='activation{udev_sync=0 udev_rules=0} devices{obtain_device_list_from_udev=0 external_device_info_source="none" use_devicesfile=0} global{event_activation=0}'

# activate : makes the nodes of logical volumes.
activate() {
  modprobe -q dm_mod
  mkdir -p /run/lock/lvm /etc/lvm
  [ -n "${active:-}" ] || /sbin/lvm vgchange -q -ay --config "$lvm_settings" > /run/lvm 2>&1 || { cat /run/lvm; return 1; }
  active=yes
}

deactivate() { /sbin/lvm vgchange -q -an --config "$lvm_settings" > /run/lvm 2>&1; active=''; }

# array UUID : puts an array together from those of its parts that are there, and sets $assembled.
array() {
  assembled=$(cat "/run/md-$1" 2> /dev/null || true)
  [ -z "$assembled" ] || return 0
  # The kernel asks for the driver of the array's level by itself.
  echo /bin/modprobe > /proc/sys/kernel/modprobe
  modprobe -q md_mod || true
  arrays=$((${arrays:-0} + 1))
  assembled=/dev/md$arrays
  MDADM_NO_UDEV=1 /sbin/mdadm --assemble --run --config=partitions --uuid="$1" "$assembled" > /run/array 2>&1 || { cat /run/array; return 1; }
  echo "$assembled" > "/run/md-$1"
}

# leave : unmounts what was entered, and puts arrays away in order.
leave() { umount /mnt; stop_arrays; }

stop_arrays() {
  local known
  for known in /run/md-*; do
    if [ ! -e "$known" ]; then continue; fi
    [ -z "${active:-}" ] || deactivate
    MDADM_NO_UDEV=1 /sbin/mdadm --stop "$(cat "$known")" > /run/array 2>&1 || { cat /run/array; return 1; }
    rm "$known"
  done
}

# enter DEVICE WITHIN KIND [OPTIONS] : mounts a file system at /mnt. WITHIN says how it is reached from the device.
enter() {
  local device=$1 options=${4:-rw} word
  for word in $2; do
    case $word in
      array:*) array "${word#array:}"; device=$assembled ;;
      volume:*) activate; device=/dev/${word#volume:} ;;
      subvolume:*) options=$options,subvol=${word#subvolume:} ;;
    esac
  done
  modprobe -q "$3" || true
  mount -t "$3" -o "$options" "$device" /mnt
}

# like_its_directory PATH : gives what is new the security label of the directory that it is in, as a system with labels does
# (SELinux: by default an object has the type of its parent). Without one it may not be read there.
like_its_directory() {
  local label
  [ -x /usr/bin/getfattr ] || return 0
  label=$(/usr/bin/getfattr -h -n security.selinux --only-values --absolute-names "${1%/*}" 2> /dev/null || true)
  [ -z "$label" ] || /usr/bin/setfattr -h -n security.selinux -v "$label" "$1"
}

# made DIRECTORY : makes a directory and those above it that are not there.
made() {
  if [ -d "$1" ]; then return; fi
  made "${1%/*}"
  mkdir "$1"
  like_its_directory "$1"
}

# edit FILE KEEP BEFORE AFTER CONTENT : makes FILE what has the digest AFTER, if it is what has the digest BEFORE. It is
# replaced through a copy beside it, so that a yard that is cut short goes on, and in place, so that owner, mode and
# labels stay.
edit() {
  local have='' begun=''
  if [ -s "$1" ]; then have=$(sum < "$1"); fi
  if [ "$have" = "$4" ]; then rm -f "$1.refit"; echo "was done: $1"; return; fi
  if [ -f "$1.refit" ] && [ "$(sum < "$1.refit")" = "$4" ]; then begun=yes; fi
  if [ -z "$begun" ] && [ "$have" != "$3" ] && [ "$(head -c "$2" "$1" | sum)" != "$3" ]; then echo "was changed by others: $1"; exit 1; fi
  if [ -z "$4" ]; then rm -f "$1"; echo "gone: $1"; return; fi
  made "${1%/*}"
  if [ ! -e "$1" ]; then : > "$1"; like_its_directory "$1"; fi
  if [ "$2" -gt 0 ]; then truncate -s "$2" "$1"; cat "$5" >> "$1"
  else
    if [ -z "$begun" ]; then cat "$5" > "$1.refit"; sync; fi
    cat "$1.refit" > "$1"
  fi
  sync
  if [ "$(sum < "$1")" != "$4" ]; then echo "could not be written whole: $1"; exit 1; fi
  rm -f "$1.refit"
  echo "done: $1"
}

# onto DEVICE : what is copied goes onto a file system that is made there.
onto() {
  [ -x /sbin/blkid ] || { echo "this yard was built before yards could look: build it again with ./bargelane yard"; return 1; }
  mkdir -p /out
  mke2fs "$1" > /run/made 2>&1 || { cat /run/made; return 1; }
  mount -t ext4 "$1" /out
  : > /out/places
  number=0
}

put_away() { sync; umount /out; stop_arrays; }

# wanted : the files at /mnt that a refit decides by, one a line.
wanted() {
  local path version
  for path in etc/fstab etc/crypttab etc/os-release etc/hostname etc/machine-id etc/network etc/netplan etc/systemd/network \
    etc/systemd/system etc/NetworkManager etc/sysconfig/network etc/sysconfig/network-scripts etc/udev/rules.d etc/cloud \
    etc/default/grub etc/modprobe.d usr/lib/os-release lib/systemd/system usr/lib/systemd/system lib/systemd/systemd-udevd \
    usr/lib/systemd/systemd-udevd usr/bin/udevadm var/lib/cloud/data var/lib/cloud/seed boot grub grub2 loader extlinux \
    syslinux syslinux.cfg extlinux.conf EFI; do
    # What lies behind a linked lib is listed under usr.
    if [ -L lib ] && [ "${path#lib/}" != "$path" ]; then continue; fi
    if [ -e "$path" ] || [ -L "$path" ]; then echo "$path"; fi
  done
  for path in lib initrd* initramfs* vmlinuz*; do
    if [ -L "$path" ] || [ -f "$path" ]; then echo "$path"; fi
  done
  for version in lib/modules/* usr/lib/modules/*; do
    if [ ! -f "$version/modules.dep" ] || { [ -L lib ] && [ "${version#lib/}" != "$version" ]; }; then continue; fi
    ls -d "$version"/modules.*
    for path in $drivers; do
      sed -n "s#^\([^:]*/\)\?$(echo "$path" | sed 's/_/[_-]/g')\.ko[^:]*:.*#&#p" "$version/modules.dep" | tr -d ':' | tr ' ' '\n' | sed "/./s#^#$version/#;/./!d"
    done
  done | sort -u
}

# below : files and all that is below them, each ended by NUL. A guest says what its files and modules are called: what
# would lead out of it is passed over.
below() {
  local path
  while read -r path; do
    case $path in /*|..|../*|*/..|*/../*) continue ;; esac
    find "$path" -xdev -print0
  done
}

# tell DISK PARTITION WITHIN KIND UUID TROUBLE [BYTES FILES] : what is known of one place, in /out/places.
tell() {
  printf '%s\t%s\t%s\t%s\t%s\t%s\t%s\t%s\t%s\n' "$number" "$1" "$2" "$3" "$4" "$5" "$6" "${7:-0}" "${8:-0}" >> /out/places
  number=$((number + 1))
}

# room : how many bytes, and how many files, can be added at /mnt. Some file systems do not count files.
room() {
  # shellcheck disable=SC2046
  set -- $(stat -f -c '%a %S %c %d' /mnt)
  if [ "$3" = 0 ]; then set -- "$1" "$2" 1 1000000; fi
  echo "$(($1 * $2)) $4"
}

# copy_array DISK PARTITION DEVICE : the same for what an array holds, told of at its part that is seen first.
copy_array() {
  local uuid
  [ -x /sbin/mdadm ] || { echo "this yard was built before yards knew arrays: build it again with ./bargelane yard"; return 1; }
  uuid=$(/sbin/mdadm --examine --export "$3" | sed -n 's/^MD_UUID=//p')
  if [ -e "/run/at-$uuid" ]; then tell "$1" "$2" '' part '' ''; return; fi
  echo "$1 $2" > "/run/at-$uuid"
  if array "$uuid"; then
    copy "$1" "$2" "$assembled" "array:$uuid"
  else
    tell "$1" "$2" '' raid '' "the yard could not put the array together: $(tr '\n\t' '  ' < /run/array)"
  fi
}

# copy DISK PARTITION DEVICE [WITHIN] : copies what is wanted out of one file system, and tells of it.
copy() {
  local within=${4:-} kind uuid trouble='' sub free='0 0'
  kind=$(/sbin/blkid -p -o value -s TYPE "$3" || true)
  uuid=$(/sbin/blkid -p -o value -s UUID "$3" || true)
  case $kind in
    ext2|ext3|ext4|vfat|xfs|btrfs) ;;
    linux_raid_member) copy_array "$1" "$2" "$3"; return ;;
    crypto_LUKS) tell "$1" "$2" "$within" luks '' 'it is encrypted, so it is not read'; return 0 ;;
    LVM2_member) # Its volumes are copied each, and what it lies in needs no riddle.
      case $within in array:*) tell "$1" "$2" '' part '' '' ;; esac
      return 0 ;;
    *) # A volume may well hold something else.
      case $within in *volume:*) return 0 ;; esac
      tell "$1" "$2" '' "$kind" '' 'the yard finds no file system there that it knows'
      return 0 ;;
  esac
  modprobe -q "$kind" || true
  if mount -t "$kind" -o ro "$3" /mnt 2> /run/why; then
    if [ "$kind" = btrfs ] && [ ! -e /mnt/etc/fstab ]; then
      for sub in @rootfs @ root; do
        if [ -e "/mnt/$sub/etc/fstab" ]; then
          umount /mnt
          mount -t btrfs -o "ro,subvol=$sub" "$3" /mnt
          within="${within:+$within }subvolume:$sub"
          break
        fi
      done
    fi
    free=$(room)
    mkdir "/out/$number"
    (cd /mnt && wanted | below | sort -z -u | cpio -0 -o -H newc 2> /run/packed) | (cd "/out/$number" && cpio -idm) 2> /run/why || trouble=copied
    if grep '^cpio: ' /run/packed > /run/missed; then cp /run/missed /run/why; trouble=copied; fi
    umount /mnt
  else
    trouble=mounted
  fi
  [ -z "$trouble" ] || trouble="the yard could not read it: $(tr '\n\t' '  ' < /run/why)"
  # shellcheck disable=SC2086
  tell "$1" "$2" "$within" "$kind" "$uuid" "$trouble" $free
}

# copy_volumes : the same for each logical volume, told of at the place of the first part of it.
copy_volumes() {
  local group volume part rest disk partition known seen=' '
  activate
  /sbin/lvm lvs -q --noheadings --separator ' ' -o vg_name,lv_name,devices 2> /dev/null | while read -r group volume part rest; do
    # A volume of several parts has several lines.
    case $seen in *" $group/$volume "*) continue ;; esac
    seen="$seen$group/$volume "
    case $part in
      /dev/vd[a-z]*)
        part=${part%%(*}
        partition=${part##*[a-z]}
        disk=$(cat "/sys/block/$(basename "${part%"$partition"}")/serial")
        copy "${disk#d}" "${partition:-0}" "/dev/$group/$volume" "volume:$group/$volume" ;;
      /dev/md[0-9]*)
        for known in /run/md-*; do
          if [ "$(cat "$known")" = "${part%%(*}" ]; then
            # shellcheck disable=SC2046
            copy $(cat "/run/at-${known#/run/md-}") "/dev/$group/$volume" "array:${known#/run/md-} volume:$group/$volume"
          fi
        done ;;
      # One that lies in other volumes, as thin and mirrored ones do, is not looked into.
    esac
  done
}
