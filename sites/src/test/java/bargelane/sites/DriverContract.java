package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.core.site.SiteKind;
import bargelane.standins.StandinServer;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.io.TempDir;

/**
 * What every driver promises, run on every platform there is, each as source, as target and as
 * compute: disks in {@code DisksContractTest}, machines in {@code MachinesContractTest}.
 */
abstract class DriverContract {

  static final long MIB = 1 << 20;
  static final Hardware VIRTIO = new Hardware("virtio", "virtio");

  @TempDir static Path dir;
  static final Map<String, StandinServer> SERVERS = new HashMap<>();

  static DemoHost host;
  static DemoHost system;
  static String overSsh;
  static Path images;
  static Path shortDir;

  /** A session's host over SSH, and a system's, which has bridges; directly is every other test. */
  static boolean onHost(String kind) {
    return kind.equals("remote") || kind.equals("system");
  }

  static SiteDriver driver(String kind) throws IOException {
    if (onHost(kind)) {
      if (images == null) {
        images = SmallMachines.guest();
        shortDir = SmallMachines.shortDirectory();
      }
      String settings = "&reserve-mib=16&devices=ide";
      if (kind.equals("system")) {
        assumeTrue(
            System.getProperty("user.name").equals("root"), "a system's daemon is started by root");
        if (system == null) {
          system = DemoHost.startSystem(shortDir.resolve("s"), "hall", "10.20.1.1");
        }
        return Drivers.open(
            SiteKind.LIBVIRT,
            kind,
            system.address(settings + "&runtime=" + shortDir.resolve("bl")),
            "",
            Clock.systemUTC());
      }
      if (host == null) {
        host = DemoHost.start("games", shortDir.resolve("h"), "shore", "10.20.1.1");
      }
      if (overSsh == null) {
        overSsh = host.overSsh(settings);
      }
      return Drivers.open(SiteKind.LIBVIRT, kind, overSsh, "", Clock.systemUTC());
    }
    if (!SERVERS.containsKey(kind)) {
      SERVERS.put(
          kind,
          StandinServer.start(
              kind, dir.resolve(kind), dir.resolve("r" + kind.charAt(0)), 0, kind.equals("cloud")));
    }
    return Drivers.open(
        SiteKind.STANDIN, kind, SERVERS.get(kind).address(), token(kind), Clock.systemUTC());
  }

  static String token(String kind) {
    return kind.equals("estate") ? "mill-street-demo" : "saltmarsh-demo";
  }

  static String storage(String kind) {
    return onHost(kind) ? "pool" : kind.equals("estate") ? "shelf-a" : "reed";
  }

  @AfterAll
  static void stop() throws IOException {
    for (StandinServer server : SERVERS.values()) {
      server.close();
    }
    for (DemoHost each : new DemoHost[] {host, system}) {
      if (each != null) {
        each.close();
      }
    }
    if (shortDir != null) {
      SmallMachines.delete(shortDir);
    }
    // The next class of this process begins anew.
    SERVERS.clear();
    host = null;
    system = null;
    overSsh = null;
    images = null;
    shortDir = null;
  }

  static Compute.Spec spec(SiteDriver d, String name, List<String> volumes, String network) {
    Inventory inventory = d.inventory();
    String cidr = inventory.networks().get(0).cidr();
    return new Compute.Spec(
        name,
        "bargelane/t",
        inventory.sizes().isEmpty() ? "" : inventory.sizes().get(0).id(),
        1,
        160,
        "Debian",
        "bios",
        "",
        "",
        "",
        "",
        0,
        false,
        volumes,
        // The address that the small guest has.
        List.of(new PlacedNic(network, cidr.replaceFirst("0/.*", "21"), true, "")),
        List.of(new Inventory.Ingress("tcp", 8080, "")),
        0,
        Map.of());
  }

  /**
   * Two drivers of one run do the same at once. One of the two may be told that it may pass; then
   * it is asked again, as a run does.
   */
  static void twice(Runnable change) throws IOException {
    try {
      both(change);
    } catch (ExecutionException | InterruptedException e) {
      throw new IOException("one of two who do the same at once fails: " + e.getMessage(), e);
    }
  }

  private static void both(Runnable change) throws ExecutionException, InterruptedException {
    CyclicBarrier start = new CyclicBarrier(2);
    Callable<Void> once =
        () -> {
          start.await();
          while (true) {
            try {
              change.run();
              return null;
            } catch (SiteException e) {
              if (e.kind() != SiteException.Kind.MAY_PASS) {
                throw e;
              }
            }
          }
        };
    ExecutorService both = Executors.newFixedThreadPool(2);
    try {
      for (Future<Void> f : both.invokeAll(List.of(once, once))) {
        f.get();
      }
    } finally {
      both.shutdownNow();
    }
  }

  static NbdClient open(ExportRef export) throws IOException {
    return NbdClient.connect(NbdAddress.parse(export.uri()));
  }

  static byte[] read(ExportRef export, int length) throws IOException {
    try (NbdClient disk = open(export)) {
      ByteBuffer bytes = ByteBuffer.allocate(length);
      disk.read(0, bytes);
      return bytes.array();
    }
  }

  static void write(SiteDriver d, String volume, long at, int value) throws IOException {
    try (NbdClient disk = open(d.target().openVolume("x-" + volume, volume, true))) {
      disk.write(at, ByteBuffer.wrap(new byte[] {(byte) value}));
    }
    d.target().closeExport("x-" + volume);
  }

  /** A snapshot that can't hide what came after it must say that it is none any more. */
  static void laterWritesAreNotInIt(SiteDriver d) throws IOException {
    ExportRef again;
    try {
      again = d.source().openSnapshot("x", "c-2", "c-vol", Optional.of("c-1"));
    } catch (SiteException e) {
      assertEquals("snapshot-dropped", e.code());
      return;
    }
    try (NbdClient disk = open(again)) {
      ByteBuffer later = ByteBuffer.allocate(1);
      disk.read(3 * MIB, later);
      assertEquals(0, later.get(0), "the snapshot does not see what came after it");
    }
    d.source().closeExport("x");
  }

  /** What a refit decides after a look into disks. */
  interface Look {
    RefitPlan at(Guest guest) throws IOException;
  }

  static RefitPlan inside(SiteDriver d, List<String> volumes, Look look) throws IOException {
    List<NbdClient> disks = new ArrayList<>();
    try {
      for (String volume : volumes) {
        disks.add(open(d.target().openVolume("x-" + volume, volume, false)));
      }
      return look.at(Guest.look(disks));
    } finally {
      for (NbdClient disk : disks) {
        disk.close();
      }
      volumes.forEach(v -> d.target().closeExport("x-" + v));
    }
  }

  static List<String> paths(RefitPlan plan) {
    return plan.edits().stream().map(FileEdit::path).toList();
  }

  static long changed(SiteDriver d, String snapshot, String since) throws IOException {
    try (NbdClient disk =
        open(d.source().openSnapshot("x", snapshot, "m-vol", Optional.of(since)))) {
      return disk.status(Context.CHANGED, 0, disk.size()).stream()
          .filter(BlockDevice.Extent::set)
          .mapToLong(BlockDevice.Extent::length)
          .sum();
    } finally {
      d.source().closeExport("x");
    }
  }

  /** Its bridge is among the host's own interfaces, which we are not. */
  static final String UNTIL_IT_ANSWERS =
      "n=0; until timeout 3 bash -c 'exec 3<>/dev/tcp/10.20.1.21/8080; printf \"GET / HTTP/1.0\\r\\n\\r\\n\" >&3; head -n 1 <&3 | grep -q 200' 2>/dev/null; do n=$((n + 1)); [ $n -lt 150 ]; sleep 0.2; done";

  /** Waits until a machine's service answers; a real one takes its time to boot. */
  static void answers(Compute.WayIn way) throws IOException {
    long until = System.nanoTime() + java.util.concurrent.TimeUnit.SECONDS.toNanos(90);
    while (true) {
      var http =
          (java.net.HttpURLConnection)
              java.net
                  .URI
                  .create("http://" + way.host() + ":" + way.port() + "/")
                  .toURL()
                  .openConnection();
      http.setConnectTimeout(2000);
      http.setReadTimeout(2000);
      try {
        assertEquals(200, http.getResponseCode());
        return;
      } catch (IOException e) {
        if (System.nanoTime() > until) {
          throw e;
        }
        try {
          java.util.concurrent.TimeUnit.MILLISECONDS.sleep(200);
        } catch (InterruptedException x) {
          throw new IOException(x);
        }
      }
    }
  }

  /** Makes volumes that boot on this platform, the first one {@code m-vol}. */
  static List<String> bootDisks(SiteDriver d, String kind) throws IOException {
    if (onHost(kind)) {
      fill(d, "pool", "m-vol", images.resolve("guest-system.img"));
      fill(d, "pool", "m-data", images.resolve("guest-data.img"));
      return List.of("m-vol", "m-data");
    }
    SiteDriver from = driver("estate");
    from.source()
        .snapshot("boot", "bargelane/t", List.of("vm-101-system"), Optional.empty(), false);
    d.target().createVolume("m-vol", "bargelane/t", 192 * MIB, storage(kind), "");
    d.target()
        .createVolume(
            "m-digests", "bargelane/t", DigestVolume.bytesFor(192 * MIB), storage(kind), "");
    ExportRef source =
        from.source().openSnapshot("boot-s", "boot", "vm-101-system", Optional.empty());
    ExportRef target = d.target().openVolume("boot-t", "m-vol", true);
    ExportRef digests = d.target().openVolume("boot-d", "m-digests", true);
    new bargelane.blocks.pass.PassEngine(2)
        .run(
            () -> open(source),
            () -> open(target),
            () -> open(digests),
            bargelane.blocks.pass.DiskPass.full(),
            new Quiet());
    from.source().closeExport("boot-s");
    d.target().closeExport("boot-t");
    d.target().closeExport("boot-d");
    d.target().deleteVolume("m-digests");
    from.source().dropSnapshot("boot");
    from.source().forgetMarker("boot");
    return List.of("m-vol");
  }

  static void fill(SiteDriver d, String storage, String volume, Path image) throws IOException {
    long size = Files.size(image);
    d.target().createVolume(volume, "bargelane/t", size, storage, "");
    ExportRef target = d.target().openVolume("fill", volume, true);
    try (FileChannel from = FileChannel.open(image);
        NbdClient disk = open(target)) {
      ByteBuffer part = ByteBuffer.allocate((int) MIB);
      for (long at = 0; at < size; at += MIB) {
        part.clear();
        from.read(part, at);
        disk.write(at, part.flip());
      }
      disk.flush();
    }
    d.target().closeExport("fill");
  }

  static final class Quiet implements bargelane.blocks.pass.PassWatcher {
    @Override
    public void intent(bargelane.blocks.Ranges ranges, boolean anywhere) {}

    @Override
    public void progress(bargelane.blocks.pass.PassProgress progress) {}
  }
}
