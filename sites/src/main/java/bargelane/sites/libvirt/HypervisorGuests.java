package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.sun.jna.Native;
import com.sun.jna.Pointer;
import com.sun.jna.ptr.IntByReference;
import com.sun.jna.ptr.PointerByReference;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.AtomicReference;

/** What a host's guests tell through their agents, and what they use. */
final class HypervisorGuests {

  /** How long a guest's agent may think about a question. */
  private static final int AGENT_SECONDS = 5;

  /** How long the daemon may take to see that a machine has ended. */
  private static final Duration ENDING = Duration.ofSeconds(10);

  private static final int TYPED_SIZE = 96;
  private static final int TYPED_NAME = 80;
  private static final int TYPED_VALUE = 88;

  private final Hypervisor host;

  HypervisorGuests(Hypervisor host) {
    this.host = host;
  }

  /** Bytes of a disk as its guest sees it, by the disk's name in the description. */
  long size(String uuid, String disk) {
    AtomicLong size = new AtomicLong();
    AtomicReference<SiteException> failure = new AtomicReference<>();
    boolean told;
    try {
      told =
          host.events.await(
              ENDING,
              () -> {
                try {
                  size.set(asked(uuid, disk));
                  return true;
                } catch (SiteException e) {
                  // A machine that ends refuses each call until the daemon has seen its end.
                  if (e.kind() != SiteException.Kind.MAY_PASS
                      || e.code().equals(Hypervisor.UNREACHABLE)) {
                    throw e;
                  }
                  failure.set(e);
                  return false;
                }
              });
    } catch (SiteException e) {
      // A machine that ended while it was asked is gone or off now, and its disk's file tells.
      return asked(uuid, disk);
    }
    if (!told) {
      throw failure.get();
    }
    return size.get();
  }

  private long asked(String uuid, String disk) {
    LibVirt.BlockInfo info = new LibVirt.BlockInfo();
    host.act(
        uuid,
        "size of disk " + disk,
        p -> Hypervisor.lib().virDomainGetBlockInfo(p, disk, info, 0));
    return info.capacity;
  }

  /** Named values (libvirt-common.h, virTypedParameter: a name of 80 bytes, a type, a value). */
  private static Map<String, Object> values(Pointer array, int count) {
    Map<String, Object> values = new HashMap<>();
    for (int i = 0; i < count; i++) {
      Pointer p = array.share((long) i * TYPED_SIZE);
      Object value =
          switch (p.getInt(TYPED_NAME)) {
            case 1, 2 -> (long) p.getInt(TYPED_VALUE);
            case 3, 4 -> p.getLong(TYPED_VALUE);
            case 5 -> p.getDouble(TYPED_VALUE);
            case 6 -> p.getByte(TYPED_VALUE) != 0;
            default -> p.getPointer(TYPED_VALUE).getString(0, "UTF-8");
          };
      values.put(p.getString(0, "UTF-8"), value);
    }
    return values;
  }

  /** Whether an agent in a running guest has opened its channel. */
  boolean agent(String uuid) {
    return host.with(
        uuid,
        p ->
            host.active(p)
                && DomainXml.agent(
                    host.text(Hypervisor.lib().virDomainGetXMLDesc(p, 0), "description")));
  }

  /** What a guest's agent tells, by libvirt's names; nothing if there is none that answers. */
  Optional<Map<String, Object>> guest(String uuid) {
    if (!agent(uuid)) {
      return Optional.empty();
    }
    return host.with(
        uuid,
        p -> {
          Hypervisor.lib().virDomainAgentSetResponseTimeout(p, AGENT_SECONDS, 0);
          PointerByReference values = new PointerByReference();
          IntByReference count = new IntByReference();
          if (Hypervisor.lib().virDomainGetGuestInfo(p, LibVirt.GUEST_INFO, values, count, 0) < 0) {
            return Optional.empty();
          }
          try {
            return Optional.of(values(values.getValue(), count.getValue()));
          } finally {
            Hypervisor.lib().virTypedParamsFree(values.getValue(), count.getValue());
          }
        });
  }

  /** Has the agent hold the guest's writes; gives how many file systems are held, 0 if none is. */
  int freeze(String uuid) {
    return host.with(
        uuid,
        p -> {
          Hypervisor.lib().virDomainAgentSetResponseTimeout(p, AGENT_SECONDS, 0);
          return Math.max(0, Hypervisor.lib().virDomainFSFreeze(p, null, 0, 0));
        });
  }

  /** Lets the guest write again; gives how many file systems were still held. */
  int thaw(String uuid) {
    return host.with(uuid, p -> Math.max(0, Hypervisor.lib().virDomainFSThaw(p, null, 0, 0)));
  }

  /** What each running domain has used since it started, by libvirt's names, by UUID. */
  Map<String, Map<String, Object>> statistics() {
    LibVirt lib = Hypervisor.lib();
    PointerByReference list = new PointerByReference();
    int n =
        lib.virConnectGetAllDomainStats(
            host.connection(),
            LibVirt.STATS_CPU
                | LibVirt.STATS_BALLOON
                | LibVirt.STATS_INTERFACE
                | LibVirt.STATS_BLOCK,
            list,
            LibVirt.STATS_ACTIVE);
    host.must(n, "statistics");
    Map<String, Map<String, Object>> found = new HashMap<>();
    try {
      for (int i = 0; i < n; i++) {
        // virDomainStatsRecord: the domain, its values, how many.
        Pointer each = list.getValue().getPointer((long) i * Native.POINTER_SIZE);
        byte[] uuid = new byte[37];
        host.must(lib.virDomainGetUUIDString(each.getPointer(0), uuid), "identity");
        found.put(
            new String(uuid, 0, 36, StandardCharsets.US_ASCII),
            values(each.getPointer(Native.POINTER_SIZE), each.getInt(2L * Native.POINTER_SIZE)));
      }
    } finally {
      lib.virDomainStatsRecordListFree(list.getValue());
    }
    return found;
  }
}
