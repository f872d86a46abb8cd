#!/bin/sh
# Collects what this machine says of itself into one zip for Sortis.
# Run as root on a unit started from any live system:  sudo sh collect.sh [FOLDER]
# It reads and writes nothing but the zip; drives are only asked for their health.
set -u
target=${1:-.}
work=$(mktemp -d) || exit 1
trap 'rm -rf "$work"' EXIT
LC_ALL=C
export LC_ALL

if [ "$(id -u)" != 0 ]; then
  echo "Not root: memory and drives' health will be missing. Better: sudo sh $0" >&2
fi

take() { # FILE COMMAND...: the output of a command, where the command is there
  file=$1
  shift
  if command -v "$1" >/dev/null 2>&1; then
    "$@" >"$work/$file" 2>&1 || true
  else
    echo "  $1 is not on this system, so it is left out" >&2
  fi
}

take dmidecode.txt dmidecode
take lshw.json lshw -json
take upower.txt upower -d
take hwclock.txt hwclock --show --utc
take sensors.json sensors -j
take loadavg.txt cat /proc/loadavg
take lsblk.json lsblk -J -b -o NAME,TYPE,SIZE,ROTA,RM,TRAN,MODEL,SERIAL
[ -s "$work/lsblk.json" ] || take lsblk.json lsblk -J
for disk in /sys/block/*; do
  name=${disk##*/}
  case $name in
    sd* | nvme*) take "smartctl-$name.json" smartctl -j -a -x "/dev/$name" ;;
  esac
done

serial=$(cat /sys/class/dmi/id/product_serial 2>/dev/null | tr -cd 'A-Za-z0-9-' | cut -c1-24)
zip=$target/readout-${serial:-unit}.zip
rm -f "$zip"
if command -v zip >/dev/null 2>&1; then
  (cd "$work" && zip -q - ./*) >"$zip"
elif command -v python3 >/dev/null 2>&1; then
  python3 -m zipfile -c "$zip" "$work"/*
elif command -v perl >/dev/null 2>&1 && perl -MIO::Compress::Zip -e 1 2>/dev/null; then
  perl -MIO::Compress::Zip=zip,\$ZipError -e \
    'my $out = shift @ARGV; zip [@ARGV] => $out, FilterName => sub { s{.*/}{} } or die $ZipError' \
    "$zip" "$work"/*
else
  echo "No zip, python3 or perl here; copy these files into a zip yourself:" >&2
  cp -r "$work" "$target/readout-${serial:-unit}"
  zip=$target/readout-${serial:-unit}
fi
echo "$zip"
