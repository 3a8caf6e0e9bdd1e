package bargelane.sites.libvirt;

import bargelane.sites.Source;
import bargelane.sites.Source.Taken;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
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
    host.shell.directory(host.settings.runtime());
    host.shell.put(token, new byte[0]);
    host.shell.guard(
        "bargelane-thaw",
        request(uuid).put("seconds", Source.LONGEST_HOLD.toSeconds()).put("token", token));
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
        host.shell.remove(token);
      }
    }
    return new Taken(quiesced, held);
  }

  /**
   * Leaves a process on the host that waits for the scratch images and ends the backup when they
   * reach their bound or the room around them runs short. It ends with them.
   */
  void watch(String name, String uuid, List<String> scratch) {
    ObjectNode request =
        request(uuid)
            .put("bound", host.settings.scratchMib() << 20)
            .put("reserve", host.settings.reserveMib() << 20)
            .put("told", host.settings.runtime() + "/" + Names.brief(name) + ".dropped");
    scratch.forEach(request.putArray("scratch")::add);
    host.shell.guard("bargelane-scratch-watch", request);
  }

  /** Why a snapshot was dropped by what watches it; empty if it was not. */
  String why(String snapshot) {
    return host.shell
        .read(host.settings.runtime() + "/" + Names.brief(snapshot) + ".dropped")
        .map(told -> ": " + new String(told, StandardCharsets.UTF_8).strip())
        .orElse("");
  }

  private ObjectNode request(String uuid) {
    return JsonNodeFactory.instance
        .objectNode()
        .put("uri", host.settings.uri())
        .put("domain", uuid);
  }
}
