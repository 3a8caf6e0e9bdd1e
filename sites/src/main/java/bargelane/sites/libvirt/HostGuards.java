package bargelane.sites.libvirt;

import bargelane.sites.Source;
import bargelane.sites.Source.Taken;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

/**
 * What a snapshot needs that outlives us: guests that write again whatever becomes of who held
 * them, and scratch room that is bounded. Each is a process on the host that ends by itself.
 */
final class HostGuards {

  private final Host host;

  HostGuards(Host host) {
    this.host = host;
  }

  /**
   * Does something while the guest holds its writes, if it is asked to and has an agent that can. A
   * process on the host lets it write again should nobody else do so; then it was not held for
   * certain.
   */
  Taken held(String uuid, boolean quiesce, Runnable what) {
    if (!quiesce || !host.hypervisor.guests.agent(uuid)) {
      what.run();
      return Taken.AT_ONCE;
    }
    String token = host.settings.runtime() + "/" + Names.brief(uuid + System.nanoTime()) + ".hold";
    host.shell.script(
        """
        mkdir -p "${4%/*}"
        : > "$4"
        export THAW='
          for try in 1 2 3 4 5 6; do
            sleep "$3"
            [ -e "$4" ] || exit
            virsh -q -c "$1" domfsthaw "$2" && break
          done
          rm -f "$4"'
        setsid sh -c "$THAW" bargelane-thaw "$@" </dev/null >/dev/null 2>&1 &
        """,
        host.settings.uri(), uuid, String.valueOf(Source.LONGEST_HOLD.toSeconds()), token);
    long began = System.nanoTime();
    int holds = host.hypervisor.guests.freeze(uuid);
    boolean quiesced = false;
    Duration held = Duration.ZERO;
    try {
      what.run();
    } finally {
      if (holds > 0) {
        quiesced = host.hypervisor.guests.thaw(uuid) >= holds;
        held = Duration.ofNanos(System.nanoTime() - began);
      }
      if (quiesced) {
        // Or it would let go of the next snapshot's hold.
        host.shell.run(new byte[0], "rm", "-f", token);
      }
    }
    return new Taken(quiesced, held);
  }

  /**
   * Leaves a process on the host that waits for the scratch images and ends the backup when they
   * reach their bound or the room around them runs short. It ends with them.
   */
  void watch(String name, String uuid, List<String> scratch) {
    List<String> arguments = new ArrayList<>();
    arguments.add(host.settings.uri());
    arguments.add(uuid);
    arguments.add(String.valueOf(host.settings.scratchMib() << 20));
    arguments.add(String.valueOf(host.settings.reserveMib() << 20));
    arguments.add(host.settings.runtime() + "/" + Names.brief(name) + ".dropped");
    arguments.addAll(scratch);
    host.shell.script(
        """
        export WATCH='
          uri=$1 domain=$2 bound=$3 reserve=$4 told=$5; shift 5
          tries=600
          until [ -e "$1" ]; do tries=$((tries - 1)); [ $tries -gt 0 ] || exit; sleep 0.05; done
          while [ -e "$1" ]; do
            used=0
            for f; do b=$(stat -c %b "$f" 2>/dev/null) || b=0; used=$((used + b * 512)); done
            room=$(stat -f -c "%a %S" "$1" 2>/dev/null) || break
            free=$((${room% *} * ${room#* }))
            if [ $used -gt $bound ] || [ $free -lt $reserve ]; then
              echo "scratch room: $used bytes used of $bound, $free free" > "$told"
              virsh -q -c "$uri" domjobabort "$domain" >/dev/null 2>&1
            fi
            sleep 0.05
          done'
        setsid sh -c "$WATCH" bargelane-scratch-watch "$@" </dev/null >/dev/null 2>&1 &
        """,
        arguments.toArray(String[]::new));
  }
}
