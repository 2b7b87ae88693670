#!/bin/bash
# Two network namespaces joined by a cable: the recorders in the other one, the client in this one (already made by `unshare --net`).
#   two_networks.sh PYTHON FOLDER HOST_HERE HOST_THERE NETWORK
set -eu
python=$1 folder=$2 here=$3 there=$4 network=$5
ip link set lo up
mkfifo "$folder/go"
# The other side waits until its end of the cable is there.
unshare --net bash -c '
  read -r _ <"$2/go"
  ip link set lo up; ip link set cable1 up; ip address add "$3" dev cable1 nodad 2>/dev/null || ip address add "$3" dev cable1
  exec "$1" -m kumpel.standins.dock --folder "$2" --recorders "$2/recorders.json" --host "${3%/*}"
' - "$python" "$folder" "$there" &
other=$!
# What was made as root has to be removable by whoever called.
trap 'kill $other 2>/dev/null || true; wait $other 2>/dev/null || true; chmod -R a+rwX "$folder"' EXIT
sleep 0.3
ip link add cable0 type veth peer name cable1
ip link set cable1 netns "$other"
ip link set cable0 up
ip address add "$here" dev cable0 nodad 2>/dev/null || ip address add "$here" dev cable0
echo go >"$folder/go"
"$python" -m tests.link.across "${here%/*}" "$network"
