# What a script in the yard may use. A guest's disks are /dev/vda and on, in boot order.

export LD_LIBRARY_PATH=/lib64

sum() { sha256sum | cut -d' ' -f1; }

# activate : makes the nodes of logical volumes.
activate() {
  modprobe -q dm_mod
  mkdir -p /run/lock/lvm /etc/lvm
  [ -n "${active:-}" ] || /sbin/lvm vgchange -q -ay --config 'activation{udev_sync=0 udev_rules=0} devices{obtain_device_list_from_udev=0 external_device_info_source="none" use_devicesfile=0} global{event_activation=0}' > /run/lvm 2>&1 || { cat /run/lvm; return 1; }
  active=yes
}

# enter DEVICE WITHIN KIND [OPTIONS] : mounts a file system at /mnt. WITHIN says how it is reached from the device.
enter() {
  local device=$1 options=${4:-rw} word
  for word in $2; do
    case $word in
      volume:*) activate; device=/dev/${word#volume:} ;;
      subvolume:*) options=$options,subvol=${word#subvolume:} ;;
    esac
  done
  modprobe -q "$3" || true
  mount -t "$3" -o "$options" "$device" /mnt
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
  mkdir -p "${1%/*}"
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

put_away() { sync; umount /out; }

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

# tell DISK PARTITION WITHIN KIND UUID TROUBLE : what is known of one place, in /out/places.
tell() {
  printf '%s\t%s\t%s\t%s\t%s\t%s\t%s\n' "$number" "$1" "$2" "$3" "$4" "$5" "$6" >> /out/places
  number=$((number + 1))
}

# copy DISK PARTITION DEVICE [WITHIN] : copies what is wanted out of one file system, and tells of it.
copy() {
  local within=${4:-} kind uuid trouble='' sub
  kind=$(/sbin/blkid -p -o value -s TYPE "$3" || true)
  uuid=$(/sbin/blkid -p -o value -s UUID "$3" || true)
  case $kind in
    ext2|ext3|ext4|vfat|xfs|btrfs) ;;
    crypto_LUKS) tell "$1" "$2" "$within" luks '' 'it is encrypted, so it is not read'; return 0 ;;
    *) # A physical volume's volumes are copied each; a volume may well hold something else.
      [ -n "$within" ] || tell "$1" "$2" '' "$kind" '' 'the yard finds no file system there that it knows'
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
    mkdir "/out/$number"
    (cd /mnt && wanted | below | sort -z -u | cpio -0 -o -H newc 2> /run/packed) | (cd "/out/$number" && cpio -idm) 2> /run/why || trouble=copied
    if grep '^cpio: ' /run/packed > /run/missed; then cp /run/missed /run/why; trouble=copied; fi
    umount /mnt
  else
    trouble=mounted
  fi
  [ -z "$trouble" ] || trouble="the yard could not read it: $(tr '\n\t' '  ' < /run/why)"
  tell "$1" "$2" "$within" "$kind" "$uuid" "$trouble"
}

# copy_volumes : the same for each logical volume, told of at the place of the first part of it.
copy_volumes() {
  local group volume part rest disk partition seen=' '
  activate
  /sbin/lvm lvs -q --noheadings --separator ' ' -o vg_name,lv_name,devices 2> /dev/null | while read -r group volume part rest; do
    # A volume of several parts has several lines.
    case $seen in *" $group/$volume "*) continue ;; esac
    seen="$seen$group/$volume "
    # One that lies in other volumes, as thin and mirrored ones do, is not looked into.
    case $part in /dev/vd[a-z]*) ;; *) continue ;; esac
    part=${part%%(*}
    part=${part#/dev/vd}
    disk=$(printf '%d' "'$part")
    partition=${part#?}
    copy "$((disk - 97))" "${partition:-0}" "/dev/$group/$volume" "volume:$group/$volume"
  done
}
