package bargelane.sites.libvirt;

import com.sun.jna.Callback;
import com.sun.jna.Library;
import com.sun.jna.Native;
import com.sun.jna.Pointer;
import com.sun.jna.Structure;
import com.sun.jna.ptr.IntByReference;
import com.sun.jna.ptr.LongByReference;
import com.sun.jna.ptr.PointerByReference;

/**
 * The functions of libvirt's C interface that we call, under their own names (libvirt.h and the
 * headers it includes). A null pointer or a negative number means failure; the calling thread's
 * last error tells why. What returns {@code Pointer} for text gives memory that the caller frees.
 */
interface LibVirt extends Library {

  // virterror.h, virErrorNumber
  int INTERNAL_ERROR = 1;
  int NO_CONNECT = 5;
  int INVALID_CONN = 6;
  int SYSTEM_ERROR = 38;
  int RPC = 39;
  int NO_DOMAIN = 42;
  int NO_NETWORK = 43;
  int AUTH_FAILED = 45;
  int NO_STORAGE_POOL = 49;
  int OPERATION_INVALID = 55;
  int OPERATION_TIMEOUT = 68;
  int RESOURCE_BUSY = 87;
  int ACCESS_DENIED = 88;
  int NO_DOMAIN_CHECKPOINT = 103;
  int NO_DOMAIN_BACKUP = 104;
  int CHECKPOINT_INCONSISTENT = 109;

  // libvirt-domain.h
  int DOMAIN_RUNNING = 1;
  int DOMAIN_SHUTOFF = 5;
  int XML_SECURE = 1;
  int XML_INACTIVE = 2;
  int METADATA_ELEMENT = 2;
  int AFFECT_LIVE = 1;
  int AFFECT_CONFIG = 2;
  int EVENT_LIFECYCLE = 0;
  int EVENT_JOB_COMPLETED = 21;
  int DESTROY_GRACEFUL = 1;
  int STATS_ACTIVE = 1;
  int STATS_CPU = 1 << 1;
  int STATS_BALLOON = 1 << 2;
  int STATS_INTERFACE = 1 << 4;
  int STATS_BLOCK = 1 << 5;

  /** VIR_DOMAIN_UNDEFINE_MANAGED_SAVE, _SNAPSHOTS_METADATA, _NVRAM and _CHECKPOINTS_METADATA. */
  int UNDEFINE_ALL = 1 | 2 | 4 | 16;

  /** VIR_DOMAIN_GUEST_INFO_OS, _HOSTNAME, _FILESYSTEM and _INTERFACES. */
  int GUEST_INFO = 2 | 8 | 16 | 64;

  // libvirt-domain-checkpoint.h
  int CHECKPOINT_REDEFINE = 1;
  int CHECKPOINT_METADATA_ONLY = 2;

  /** The loaded library. */
  final class Holder {
    private Holder() {}

    /** Errors are read per call; the library need not print them too. */
    private static final ErrorFunction QUIET = (data, error) -> {};

    static final LibVirt LIBRARY = load();

    private static LibVirt load() {
      LibVirt library = Native.load("virt", LibVirt.class);
      library.virSetErrorFunc(null, QUIET);
      library.virInitialize();
      library.virEventRegisterDefaultImpl();
      Thread events = new Thread(() -> pump(library), "libvirt-events");
      events.setDaemon(true);
      events.start();
      return library;
    }

    private static void pump(LibVirt library) {
      while (library.virEventRunDefaultImpl() >= 0) {
        // Each turn waits for one event.
      }
    }
  }

  /** virErrorFunc. */
  interface ErrorFunction extends Callback {
    void invoke(Pointer data, Pointer error);
  }

  /** virConnectDomainEventCallback for lifecycle events. */
  interface LifecycleFunction extends Callback {
    void invoke(Pointer connection, Pointer domain, int event, int detail, Pointer opaque);
  }

  /** virConnectDomainEventJobCompletedCallback. */
  interface JobFunction extends Callback {
    void invoke(Pointer connection, Pointer domain, Pointer values, int count, Pointer opaque);
  }

  /** Bytes of a virDomainJobInfo: its type and eleven counters. */
  int JOB_INFO_SIZE = 96;

  /** virStoragePoolInfo. */
  @Structure.FieldOrder({"state", "capacity", "allocation", "available"})
  class PoolInfo extends Structure {
    public int state;
    public long capacity;
    public long allocation;
    public long available;
  }

  /** virDomainBlockInfo: bytes as the guest sees them, as they are allocated, and of the file. */
  @Structure.FieldOrder({"capacity", "allocation", "physical"})
  class BlockInfo extends Structure {
    public long capacity;
    public long allocation;
    public long physical;
  }

  void virSetErrorFunc(Pointer data, ErrorFunction handler);

  int virInitialize();

  int virGetLastErrorCode();

  String virGetLastErrorMessage();

  int virEventRegisterDefaultImpl();

  int virEventRunDefaultImpl();

  Pointer virConnectOpen(String uri);

  int virConnectClose(Pointer connection);

  int virConnectSetKeepAlive(Pointer connection, int interval, int count);

  int virConnectGetLibVersion(Pointer connection, LongByReference version);

  int virConnectGetVersion(Pointer connection, LongByReference version);

  Pointer virConnectGetCapabilities(Pointer connection);

  Pointer virConnectGetDomainCapabilities(
      Pointer connection,
      String emulator,
      String architecture,
      String machine,
      String type,
      int flags);

  int virConnectDomainEventRegisterAny(
      Pointer connection,
      Pointer domain,
      int event,
      Callback callback,
      Pointer opaque,
      Pointer free);

  int virConnectListAllDomains(Pointer connection, PointerByReference list, int flags);

  int virConnectListAllNetworks(Pointer connection, PointerByReference list, int flags);

  int virConnectListAllStoragePools(Pointer connection, PointerByReference list, int flags);

  Pointer virDomainLookupByUUIDString(Pointer connection, String uuid);

  Pointer virDomainDefineXML(Pointer connection, String xml);

  int virDomainFree(Pointer domain);

  String virDomainGetName(Pointer domain);

  int virDomainIsActive(Pointer domain);

  int virDomainGetState(Pointer domain, IntByReference state, IntByReference reason, int flags);

  Pointer virDomainGetXMLDesc(Pointer domain, int flags);

  int virDomainGetUUIDString(Pointer domain, byte[] uuid);

  int virDomainCreate(Pointer domain);

  /** Plugs a device into a running domain; {@code flags} 1 (VIR_DOMAIN_AFFECT_LIVE). */
  int virDomainAttachDeviceFlags(Pointer domain, String xml, int flags);

  int virDomainShutdown(Pointer domain);

  int virDomainDestroy(Pointer domain);

  int virDomainUndefineFlags(Pointer domain, int flags);

  int virDomainSetAutostart(Pointer domain, int on);

  int virDomainSetMetadata(
      Pointer domain, int type, String metadata, String key, String uri, int flags);

  int virDomainBackupBegin(Pointer domain, String backup, String checkpoint, int flags);

  Pointer virDomainBackupGetXMLDesc(Pointer domain, int flags);

  int virDomainAbortJob(Pointer domain);

  int virDomainGetBlockInfo(Pointer domain, String disk, BlockInfo info, int flags);

  int virDomainGetJobInfo(Pointer domain, byte[] info);

  Pointer virDomainCheckpointCreateXML(Pointer domain, String xml, int flags);

  Pointer virDomainCheckpointLookupByName(Pointer domain, String name, int flags);

  int virDomainCheckpointDelete(Pointer checkpoint, int flags);

  int virDomainCheckpointFree(Pointer checkpoint);

  int virDomainFSFreeze(Pointer domain, Pointer mountpoints, int count, int flags);

  int virDomainFSThaw(Pointer domain, Pointer mountpoints, int count, int flags);

  int virDomainAgentSetResponseTimeout(Pointer domain, int seconds, int flags);

  int virDomainGetGuestInfo(
      Pointer domain, int types, PointerByReference values, IntByReference count, int flags);

  void virTypedParamsFree(Pointer values, int count);

  int virConnectGetAllDomainStats(
      Pointer connection, int stats, PointerByReference records, int flags);

  void virDomainStatsRecordListFree(Pointer records);

  int virNetworkFree(Pointer network);

  int virNetworkIsActive(Pointer network);

  Pointer virNetworkGetXMLDesc(Pointer network, int flags);

  Pointer virNetworkLookupByName(Pointer connection, String name);

  Pointer virNetworkDefineXML(Pointer connection, String xml);

  int virNetworkDestroy(Pointer network);

  int virNetworkUndefine(Pointer network);

  int virStoragePoolFree(Pointer pool);

  int virStoragePoolIsActive(Pointer pool);

  Pointer virStoragePoolGetXMLDesc(Pointer pool, int flags);

  int virStoragePoolGetInfo(Pointer pool, PoolInfo info);
}
