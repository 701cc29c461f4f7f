# The program against bench devices on a real USB bus; run in the guest by `test-wibbet`.
export WIBBET_HOME=/tmp/home
mkdir -p $WIBBET_HOME && cp /data/key.pem $WIBBET_HOME/host-key.pem && chmod 600 $WIBBET_HOME/host-key.pem
chown -R user $WIBBET_HOME && chmod 777 /tmp
as_user() { su user -c "WIBBET_HOME=$WIBBET_HOME $*"; }
step=0
now() { step=$((step + 1)); echo "--- $step: $*"; }
fail() { echo "FAILED in step $step: $*"; for f in /tmp/out /tmp/watch /tmp/events.*; do echo "== $f"; tail -n 12 "$f" | cut -c1-400; done; exit 1; }
has() { grep -q -- "$1" "${2:-/tmp/out}" || fail "no “$1” in ${2:-/tmp/out}"; }
lacks() { ! grep -q -- "$1" "${2:-/tmp/out}" || fail "“$1” in ${2:-/tmp/out}"; }
replug() { # DESCRIPTOR SERIAL: pulls a cable and plugs it in again, at another place of the bus, which may be opened then
  old=$(usb-node "$2") && echo unplug >&"$1" || return
  for _ in $(seq 300); do [ -e "$old" ] || break; usleep 200000; done
  # For as long as somebody notices.
  sleep 1; echo plug >&"$1"
  chmod 666 "$(usb-node "$2" 60)"
}
wait_for() { # TEXT FILE: until it is there
  for _ in $(seq 300); do grep -q -- "$1" "$2" 2>/dev/null && return; usleep 200000; done
  fail "waited in vain for “$1” in $2"
}
attach() { # NAME PORT ARGUMENTS: a device on the bus, steered through /tmp/cable.NAME
  name=$1 port=$2; shift 2
  mkfifo "/tmp/cable.$name"
  usb-attach --to "127.0.0.1:$port" "$@" < "/tmp/cable.$name" > "/tmp/events.$name" 2>&1 &
  eval "exec $fd> /tmp/cable.$name"
}

wibbet sim --device crew-phone --port 5601 --allow 0 --json --transcript /tmp/transcript.phone > /tmp/sim.phone < /dev/null &
wibbet sim --device spare-handset --port 5602 --allow 0 --json > /tmp/sim.handset < /dev/null &
wait_for serial /tmp/sim.phone; wait_for serial /tmp/sim.handset

now "nothing on the bus"
as_user wibbet bench --json > /tmp/out 2>&1; [ $? = 5 ] || fail "exit code"
has '"devices":\[\]'

now "found, and no permission to open it; the debugging interface is the second one, and a former host left data"
fd=3 attach phone 5601 --serial CT5-0417-2291 --interfaces mtp+adb --stale 70000
node=$(usb-node CT5-0417-2291) || fail "the bus has no device"
as_user wibbet bench --json > /tmp/out 2>/tmp/err; [ $? = 5 ] || fail "exit code"
has '"link":"no-permission"'; has "$node"; has "usb-rule"
as_user wibbet link CT5-0417-2291 > /tmp/out 2>&1
has 'free for Wibbet  *missing'; has 'wibbet usb-rule'

now "permission given: linked and surveyed"
chmod 666 "$node"
as_user wibbet link CT5-0417-2291 --json > /tmp/out 2>/tmp/err || fail "exit code"
has '"link":"ready"'; has '"kind":"cable"'
as_user wibbet packages CT5-0417-2291 --quick --json > /tmp/out 2>/tmp/err || fail "exit code"
[ "$(grep -o '"kind":"[a-z-]*system"\|"kind":"user"' /tmp/out | wc -l)" = 236 ] || fail "packages"
lacks 'usb:' /tmp/transcript.phone

now "a run, read back"
as_user wibbet run CT5-0417-2291 --user 0 --uninstall com.android.music com.android.email --disable com.android.deskclock --yes --json > /tmp/out 2>/tmp/err || fail "exit code"
[ "$(grep -o '"outcome":"done"' /tmp/out | wc -l)" = 3 ] || fail "outcomes"

now "two devices, one of an older kind, at SuperSpeed and at high speed"
fd=4 attach handset 5602 --serial OP-66-1083 --speed super
chmod 666 "$(usb-node OP-66-1083)" || fail "the bus has no second device"
as_user wibbet bench --json > /tmp/out 2>/tmp/err || fail "exit code"
[ "$(grep -o '"link":"ready"' /tmp/out | wc -l)" = 2 ] || fail "two devices"

now "unplugged in the middle of a run and plugged in again"
( as_user wibbet run CT5-0417-2291 --user 0 --uninstall com.corvane.notes com.corvane.radio com.corvane.mirror com.corvane.tips com.corvane.health com.corvane.wallet com.corvane.fonts com.corvane.video --yes --json > /tmp/run 2>/tmp/run.err; echo "ended with $?" >> /tmp/run ) &
wait_for 'uninstall --user 0 com.corvane.radio\|uninstall.*com.corvane.radio' /tmp/transcript.phone
replug 3 CT5-0417-2291 || fail "it did not come back"
wait_for 'ended with' /tmp/run
has 'ended with 0' /tmp/run
[ "$(grep -o '"outcome":"done"' /tmp/run | wc -l)" = 8 ] || fail "outcomes of the interrupted run"

now "watched, with the system's messages: a pulled cable, a stall and a failing bus, each told and recovered from"
uevent-relay & relay=$!
( as_user wibbet bench --watch --json > /tmp/watch 2>/tmp/watch.err ) &
wait_for '"id":"CT5-0417-2291".*"link":"ready"' /tmp/watch
wait_for '"id":"OP-66-1083".*"link":"ready"' /tmp/watch
: > /tmp/watch; echo unplug >&3
wait_for '"id":"CT5-0417-2291".*"link":"unplugged"' /tmp/watch
: > /tmp/watch; echo plug >&3
chmod 666 "$(usb-node CT5-0417-2291)"
wait_for '"id":"CT5-0417-2291".*"link":"ready"' /tmp/watch
for fault in stall eproto; do
  : > /tmp/watch; echo $fault >&4
  wait_for '"id":"OP-66-1083".*"link":"unplugged"' /tmp/watch
  [ $fault = stall ] || replug 4 OP-66-1083 || fail "it did not come back"
  : > /tmp/watch.mark
  wait_for '"id":"OP-66-1083".*"link":"ready"' /tmp/watch
done

now "held by another program"
as_user wibbet link CT5-0417-2291 > /tmp/out 2>&1
has 'free for Wibbet  *missing'; has 'another program on this computer holds'
kill $relay
echo "--- all is well"
