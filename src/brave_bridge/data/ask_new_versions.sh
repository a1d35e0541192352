# Asks programs of the system that stands at / whether they accept their settings: as they are
# now, and as they are once other packages are unpacked over them. All of it happens in a view of
# the system that is written to beside it, in namespaces of its own, and vanishes with them.
#
# PLACE is a folder for what is written. Behind it come pairs:
#   stays PATH    a config file that is not taken from a package
#   gone NAME     a package whose files go away
#   deb PATH      a package that is unpacked
#   ask WORDS     a name and a command, their words parted by the unit separator (ASCII 31)
# Printed is, for each question, a line "[asked] PHASE CODE NAME" and what was said.
set -u
place=$1
shift
root=$place/view room=$place/written stays=$place/stays number=0
unit=$(printf '\037')
spaces=$IFS
export PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL=C HOME=/nonexistent TERM=dumb

over() {
  number=$((number + 1))
  mkdir -p "$room/$number/upper" "$room/$number/work" &&
    mount -t overlay -o "lowerdir=$1,upperdir=$room/$number/upper,workdir=$room/$number/work" \
      view "$root$1"
}

one() {
  IFS=$spaces
  set +f
  phase=$1 name=$2
  shift 2
  timeout -k 2 20 chroot "$root" "$@" </dev/null >"$place/said" 2>&1
  printf '\n[asked] %s %s %s\n' "$phase" "$?" "$name"
  head -c 3000 "$place/said"
}

ask() {
  phase=$1
  shift
  while [ $# -gt 1 ]; do
    if [ "$1" = ask ]; then
      IFS=$unit
      set -f
      one "$phase" $2
    fi
    shift 2
  done
}

of_kind() {
  kind=$1
  shift
  while [ $# -gt 1 ]; do
    if [ "$1" = "$kind" ]; then printf '%s\n' "$2"; fi
    shift 2
  done
}

# In a tree that was entered / is no mount, and all is private already.
mount --make-rprivate / 2>/dev/null
if grep -q ' shared:' /proc/self/mountinfo; then
  echo "mounts would be seen outside"
  exit 1
fi
mkdir -p "$root" "$room" || exit 1
if ! over / 2>"$place/said"; then
  # A file system that cannot take what is written over it: memory takes it.
  mount -t tmpfs -o mode=755 tmpfs "$room" && over / || exit 1
fi
findmnt --raw --noheadings --output TARGET \
  --types ext2,ext3,ext4,xfs,btrfs,zfs,f2fs,vfat,tmpfs | sort -u >"$place/mounts"
while IFS= read -r at; do
  case $at in
    / | /dev | /dev/* | /proc | /proc/* | /sys | /sys/* | "$place"* | *[\\:,]*) ;;
    *) [ -d "$root$at" ] && over "$at" 2>/dev/null ;;
  esac
done <"$place/mounts"
mount -t proc proc "$root/proc" && mount --rbind /sys "$root/sys" &&
  mount --rbind /dev "$root/dev" || exit 1

ask now "$@"
of_kind stays "$@" | sed 's,^,.,' >"$stays"
of_kind gone "$@" | while IFS= read -r name; do dpkg-query --listfiles "$name" 2>/dev/null; done |
  grep -v '^/etc/' | chroot "$root" /bin/sh -c '
    # A package lists the folders on the way, and one of these may be a link to a folder.
    while IFS= read -r path; do [ -d "$path" ] || rm -f -- "$path"; done'
rm -f "$place/cut-off"
# One tar for all of them: it runs on as it was started, whatever is unpacked over it.
of_kind deb "$@" | while IFS= read -r deb; do
  dpkg-deb --fsys-tarfile "$deb" || : >"$place/cut-off"
done | (
  # Opened here: where the list stands is not seen from inside.
  exec chroot "$root" tar -x -p -i --numeric-owner --keep-directory-symlink \
    --anchored --no-wildcards -X /dev/fd/3 -f - 3<"$stays"
) || exit 1
[ ! -e "$place/cut-off" ] || exit 1
# Scripts of packages give some files other rights than these are shipped with: those of now stay.
find "$room/1/upper/etc" -type f 2>/dev/null | while IFS= read -r new; do
  path=${new#"$room/1/upper"}
  if [ -f "$path" ]; then
    chroot "$root" chmod "$(stat -c %a "$path")" "$path"
    chroot "$root" chown "$(stat -c %u:%g "$path")" "$path"
  fi
done
ask then "$@"
