package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.sun.jna.Native;
import com.sun.jna.Pointer;
import com.sun.jna.ptr.IntByReference;
import com.sun.jna.ptr.LongByReference;
import com.sun.jna.ptr.PointerByReference;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.function.Supplier;
import java.util.function.ToIntFunction;
import org.w3c.dom.Element;
import org.w3c.dom.NodeList;

/**
 * One connection to a libvirt daemon, shared by all who name the same address, opened again when it
 * broke. Failures become {@link SiteException}s whose code tells the kind of thing that was missing
 * or refused.
 */
final class Hypervisor {

  private static final Map<String, Hypervisor> OPEN = new ConcurrentHashMap<>();
  private static final int KEEPALIVE_SECONDS = 5;

  /** The code of a failure that says that what was asked about is not there. */
  static final String MISSING = "missing";

  /** The code of a failure that says that the host does not answer. */
  static final String UNREACHABLE = "unreachable";

  /** libvirt-domain.h, VIR_DOMAIN_AFFECT_LIVE. */
  private static final int LIVE = 1;

  private final String site;
  private final Supplier<String> uri;
  final HypervisorGuests guests = new HypervisorGuests(this);
  final HypervisorTracking tracking = new HypervisorTracking(this);
  final HostEvents events = new HostEvents();
  private final Opening opening;
  private Pointer connection;

  // Kept from being collected as long as the library may call them.
  private final LibVirt.LifecycleFunction onLifecycle =
      (c, d, event, detail, opaque) -> events.happened();
  private final LibVirt.JobFunction onJob = (c, d, values, count, opaque) -> events.happened();

  private Hypervisor(String site, Supplier<String> uri) {
    this.site = site;
    this.uri = uri;
    this.opening = new Opening(site, Opening.LONGEST);
  }

  /**
   * @param address what names the host
   * @param uri what the library is given, asked for each time that a connection is opened
   */
  static Hypervisor at(String site, String address, Supplier<String> uri) {
    return OPEN.computeIfAbsent(address, a -> new Hypervisor(site, uri));
  }

  static LibVirt lib() {
    try {
      return LibVirt.Holder.LIBRARY;
    } catch (UnsatisfiedLinkError | NoClassDefFoundError e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "libvirt-missing",
          "libvirt's client library is not installed where the service runs: apt-get install libvirt0",
          e);
    }
  }

  /** The connection, after seeing that it answers. */
  synchronized Pointer connection() {
    LibVirt lib = lib();
    if (connection != null && lib.virConnectGetLibVersion(connection, new LongByReference()) == 0) {
      return connection;
    }
    if (connection != null) {
      lib.virConnectClose(connection);
      connection = null;
    }
    Pointer fresh = opening.opened(() -> Opening.open(site, uri.get()));
    lib.virConnectSetKeepAlive(fresh, KEEPALIVE_SECONDS, 3);
    lib.virConnectDomainEventRegisterAny(
        fresh, null, LibVirt.EVENT_LIFECYCLE, onLifecycle, null, null);
    lib.virConnectDomainEventRegisterAny(
        fresh, null, LibVirt.EVENT_JOB_COMPLETED, onJob, null, null);
    connection = fresh;
    return fresh;
  }

  /** The failure of the last call of this thread. */
  SiteException failure(String what) {
    LibVirt lib = lib();
    int code = lib.virGetLastErrorCode();
    String why = site + ": " + what + ": " + lib.virGetLastErrorMessage();
    return switch (code) {
      case LibVirt.NO_DOMAIN,
          LibVirt.NO_NETWORK,
          LibVirt.NO_STORAGE_POOL,
          LibVirt.NO_DOMAIN_BACKUP ->
          new SiteException(SiteException.Kind.FINAL, MISSING, why, null);
      case LibVirt.NO_DOMAIN_CHECKPOINT, LibVirt.CHECKPOINT_INCONSISTENT ->
          new SiteException(SiteException.Kind.MARKER_LOST, "marker-lost", why, null);
      case LibVirt.ACCESS_DENIED ->
          new SiteException(SiteException.Kind.FINAL, "not-permitted", why, null);
      case LibVirt.NO_CONNECT,
          LibVirt.INVALID_CONN,
          LibVirt.RPC,
          LibVirt.SYSTEM_ERROR,
          LibVirt.OPERATION_TIMEOUT,
          LibVirt.RESOURCE_BUSY ->
          new SiteException(SiteException.Kind.MAY_PASS, UNREACHABLE, why, null);
      default ->
          new SiteException(
              why.contains("closed") || why.toLowerCase(Locale.ROOT).contains("end of file")
                  ? SiteException.Kind.MAY_PASS
                  : SiteException.Kind.FINAL,
              "hypervisor",
              why,
              null);
    };
  }

  /** A failure that no call told. */
  SiteException failed(SiteException.Kind kind, String code, String why) {
    return new SiteException(kind, code, site + ": " + why, null);
  }

  Pointer must(Pointer p, String what) {
    if (p == null) {
      throw failure(what);
    }
    return p;
  }

  void must(int result, String what) {
    if (result < 0) {
      throw failure(what);
    }
  }

  /** A call's answer to whether something holds: 1 or 0; what can't be told is a failure. */
  boolean holds(int answer, String what) {
    must(answer, what);
    return answer == 1;
  }

  String text(Pointer p, String what) {
    must(p, what);
    String text = p.getString(0, "UTF-8");
    Native.free(Pointer.nativeValue(p));
    return text;
  }

  private interface Lister {
    int list(Pointer connection, PointerByReference into, int flags);
  }

  private <T> List<T> all(
      String what, Lister lister, Function<Pointer, T> each, Consumer<Pointer> free) {
    PointerByReference list = new PointerByReference();
    int n = lister.list(connection(), list, 0);
    must(n, what);
    List<T> found = new ArrayList<>();
    Pointer array = list.getValue();
    try {
      for (int i = 0; i < n; i++) {
        Pointer p = array.getPointer((long) i * Native.POINTER_SIZE);
        try {
          found.add(each.apply(p));
        } catch (SiteException e) {
          // What was removed since it was listed is none of the host's any more.
          if (!e.code().equals(MISSING)) {
            throw e;
          }
        } finally {
          free.accept(p);
        }
      }
    } finally {
      Native.free(Pointer.nativeValue(array));
    }
    return found;
  }

  // ---- the host

  /** Version as {@code major.minor.release}. */
  private static String version(LongByReference packed) {
    long v = packed.getValue();
    return v / 1_000_000 + "." + v / 1000 % 1000 + "." + v % 1000;
  }

  String libraryVersion() {
    LongByReference v = new LongByReference();
    must(lib().virConnectGetLibVersion(connection(), v), "version");
    return version(v);
  }

  String emulatorVersion() {
    LongByReference v = new LongByReference();
    must(lib().virConnectGetVersion(connection(), v), "version of the emulator");
    return version(v);
  }

  /** Capabilities as XML. */
  String capabilities() {
    return text(lib().virConnectGetCapabilities(connection()), "capabilities");
  }

  /**
   * How machines are run: {@code kvm} with the processor's help, where the emulator has it, or else
   * {@code qemu}.
   */
  String domainType() {
    Pointer xml =
        lib().virConnectGetDomainCapabilities(connection(), null, "x86_64", null, "kvm", 0);
    if (xml == null) {
      return "qemu";
    }
    Native.free(Pointer.nativeValue(xml));
    return "kvm";
  }

  /** Whether it has a UEFI firmware for machines (libvirt "Domain capabilities", "OS"). */
  boolean startsUefi() {
    String xml =
        text(
            lib()
                .virConnectGetDomainCapabilities(
                    connection(), null, "x86_64", "q35", domainType(), 0),
            "capabilities of machines");
    NodeList enums = DomainXml.parse(xml).getElementsByTagName("enum");
    for (int i = 0; i < enums.getLength(); i++) {
      Element e = (Element) enums.item(i);
      if (e.getAttribute("name").equals("firmware") && e.getTextContent().contains("efi")) {
        return true;
      }
    }
    return false;
  }

  /** A storage pool: its description and its bytes. */
  record Pool(String xml, long capacity, long available) {}

  List<Pool> pools() {
    LibVirt lib = lib();
    return all(
            "storage pools",
            lib::virConnectListAllStoragePools,
            p -> {
              if (!holds(lib.virStoragePoolIsActive(p), "storage pool")) {
                return Optional.<Pool>empty();
              }
              LibVirt.PoolInfo info = new LibVirt.PoolInfo();
              must(lib.virStoragePoolGetInfo(p, info), "storage pool");
              return Optional.of(
                  new Pool(
                      text(lib.virStoragePoolGetXMLDesc(p, 0), "storage pool"),
                      info.capacity,
                      info.available));
            },
            lib::virStoragePoolFree)
        .stream()
        .flatMap(Optional::stream)
        .toList();
  }

  /** A network: its description and whether the host carries it. */
  record Net(String xml, boolean active) {}

  List<Net> networks() {
    LibVirt lib = lib();
    return all(
        "networks",
        lib::virConnectListAllNetworks,
        p ->
            new Net(
                text(lib.virNetworkGetXMLDesc(p, 0), "network"),
                holds(lib.virNetworkIsActive(p), "network")),
        lib::virNetworkFree);
  }

  void defineNetwork(String xml) {
    Pointer p = must(lib().virNetworkDefineXML(connection(), xml), "define a network");
    lib().virNetworkFree(p);
  }

  /** Removes a network; one that is gone does nothing. */
  void removeNetwork(String name) {
    LibVirt lib = lib();
    Pointer p = lib.virNetworkLookupByName(connection(), name);
    if (p == null) {
      if (lib.virGetLastErrorCode() == LibVirt.NO_NETWORK) {
        return;
      }
      throw failure("network " + name);
    }
    try {
      String what = "remove network " + name;
      if (holds(lib.virNetworkIsActive(p), what) && lib.virNetworkDestroy(p) < 0) {
        SiteException failure = failure(what);
        if (holds(lib.virNetworkIsActive(p), what)) {
          throw failure;
        }
      }
      must(lib.virNetworkUndefine(p), what);
    } catch (SiteException e) {
      // Another may have removed it since it was looked up.
      if (!e.code().equals(MISSING)) {
        throw e;
      }
    } finally {
      lib.virNetworkFree(p);
    }
  }

  // ---- domains

  /** A domain: its persistent description and its state (virDomainState). */
  record Domain(String xml, int state) {
    boolean off() {
      return state == LibVirt.DOMAIN_SHUTOFF;
    }
  }

  private Domain domain(Pointer p) {
    IntByReference state = new IntByReference();
    must(lib().virDomainGetState(p, state, new IntByReference(), 0), "state");
    return new Domain(
        text(
            lib().virDomainGetXMLDesc(p, LibVirt.XML_INACTIVE | LibVirt.XML_SECURE), "description"),
        state.getValue());
  }

  List<Domain> domains() {
    return all("domains", lib()::virConnectListAllDomains, this::domain, lib()::virDomainFree);
  }

  <T> T with(String uuid, Function<Pointer, T> use) {
    Pointer p = must(lib().virDomainLookupByUUIDString(connection(), uuid), "domain " + uuid);
    try {
      return use.apply(p);
    } finally {
      lib().virDomainFree(p);
    }
  }

  void act(String uuid, String what, ToIntFunction<Pointer> call) {
    with(
        uuid,
        p -> {
          must(call.applyAsInt(p), what);
          return null;
        });
  }

  Domain domain(String uuid) {
    return with(uuid, this::domain);
  }

  /** Plugs a device into a running domain. */
  void plug(String uuid, String device) {
    act(uuid, "plug in a disk", p -> lib().virDomainAttachDeviceFlags(p, device, LIVE));
  }

  boolean active(Pointer domain) {
    return holds(lib().virDomainIsActive(domain), "state");
  }

  /** Defines a domain and gives its UUID. */
  String define(String xml) {
    Pointer p = must(lib().virDomainDefineXML(connection(), xml), "define a domain");
    try {
      byte[] uuid = new byte[37];
      must(lib().virDomainGetUUIDString(p, uuid), "identity");
      return new String(uuid, 0, 36, StandardCharsets.US_ASCII);
    } finally {
      lib().virDomainFree(p);
    }
  }

  void start(String uuid) {
    turn(uuid, "start", true, lib()::virDomainCreate);
  }

  void askToStop(String uuid) {
    turn(uuid, "shut down", false, lib()::virDomainShutdown);
  }

  void destroy(String uuid) {
    turn(uuid, "switch off", false, lib()::virDomainDestroy);
  }

  /** Turns a domain on or off; that it has come to that by itself meanwhile is no failure. */
  private void turn(String uuid, String what, boolean on, ToIntFunction<Pointer> call) {
    with(
        uuid,
        p -> {
          if (call.applyAsInt(p) < 0) {
            int code = lib().virGetLastErrorCode();
            SiteException failure = failure(what);
            if (code != LibVirt.OPERATION_INVALID || active(p) != on) {
              throw failure;
            }
          }
          return null;
        });
  }

  void undefine(String uuid) {
    act(uuid, "undefine", p -> lib().virDomainUndefineFlags(p, LibVirt.UNDEFINE_ALL));
  }

  void noAutostart(String uuid) {
    act(uuid, "autostart", p -> lib().virDomainSetAutostart(p, 0));
  }

  /** Replaces our element in a domain's metadata, in its running form too. */
  void metadata(String uuid, String element) {
    act(
        uuid,
        "metadata",
        p ->
            lib()
                .virDomainSetMetadata(
                    p,
                    LibVirt.METADATA_ELEMENT,
                    element,
                    DomainXml.PREFIX,
                    DomainXml.NAMESPACE,
                    LibVirt.AFFECT_CONFIG | (active(p) ? LibVirt.AFFECT_LIVE : 0)));
  }
}
