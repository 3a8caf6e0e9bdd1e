package bargelane.bench;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdServer;
import bargelane.blocks.pass.DiskPass;
import bargelane.blocks.pass.Opener;
import bargelane.blocks.pass.PassEngine;
import bargelane.blocks.pass.PassKind;
import bargelane.blocks.pass.PassProgress;
import bargelane.blocks.pass.PassResult;
import bargelane.blocks.pass.PassWatcher;
import bargelane.standins.store.VolumeRecord;
import bargelane.standins.store.VolumeStore;
import java.io.IOException;
import java.lang.management.ManagementFactory;
import java.lang.management.MemoryPoolMXBean;
import java.lang.management.MemoryType;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Random;
import java.util.stream.Stream;

/**
 * A disk of 15 TiB with 4 GiB of data scattered over it, from one store of a simulated platform to
 * another over NBD: full pass, delta with 1 % of the data changed, delta with nothing changed, and
 * compare, by the engine alone and in a process whose heap is bound to 400 MiB.
 */
final class LargeBench {

  private static final long SIZE = 15L << 40;
  private static final int BLOCK = BlockDigest.BLOCK;
  private static final int BLOCKS = (int) ((4L << 30) / BLOCK);
  private static final int HEAP_MIB = 400;

  private LargeBench() {}

  /** Starts itself again under the bound, which the caller's process need not have. */
  static void run() throws Exception {
    int code =
        new ProcessBuilder(
                ProcessHandle.current().info().command().orElse("java"),
                "-Xmx" + HEAP_MIB + "m",
                "-XX:+UseSerialGC",
                "-cp",
                System.getProperty("java.class.path"),
                LargeBench.class.getName())
            .inheritIO()
            .start()
            .waitFor();
    if (code != 0) {
      throw new IOException("the bench of a large disk ended with status " + code);
    }
  }

  public static void main(String[] args) throws Exception {
    Path dir = Files.createTempDirectory("large");
    try (VolumeStore source = VolumeStore.open(dir.resolve("source"), BLOCK, true);
        VolumeStore target = VolumeStore.open(dir.resolve("target"), BLOCK, true);
        NbdServer server = NbdServer.unix(dir.resolve("s"))) {
      measure(dir, source, target, server);
    } finally {
      try (Stream<Path> all = Files.walk(dir)) {
        for (Path p : all.sorted(Comparator.reverseOrder()).toList()) {
          Files.deleteIfExists(p);
        }
      }
    }
  }

  private static void measure(Path dir, VolumeStore source, VolumeStore target, NbdServer server)
      throws Exception {
    BlockDevice disk = source.create(new VolumeRecord("disk", SIZE, "shelf", "", false));
    target.create(new VolumeRecord("replica", SIZE, "shelf", "", false));
    target.create(new VolumeRecord("digests", DigestVolume.bytesFor(SIZE), "shelf", "", false));
    server.offer("replica", target.volume("replica"));
    server.offer("digests", target.volume("digests"));
    Random random = new Random(15);
    List<Long> blocks = new ArrayList<>();
    long step = SIZE / BLOCK / BLOCKS;
    ByteBuffer bytes = ByteBuffer.allocate(BLOCK);
    long begun = System.nanoTime();
    for (int i = 0; i < BLOCKS; i++) {
      blocks.add(i * step + random.nextInt((int) step));
      random.nextBytes(bytes.array());
      disk.write(blocks.get(i) * BLOCK, bytes.clear());
    }
    disk.flush();
    print("write of the same blocks, flushed", seconds(begun));
    begun = System.nanoTime();
    for (long block : blocks) {
      disk.read(block * BLOCK, bytes.clear());
    }
    print("read of the same blocks", seconds(begun));

    Opener from = snapshot(source, server, 1, Optional.empty(), dir);
    pass("full pass", from, PassKind.FULL, dir, BLOCKS);
    source.dropSnapshot("s1");
    for (int i = 0; i < BLOCKS; i += 100) {
      random.nextBytes(bytes.array());
      disk.write(blocks.get(i) * BLOCK + 4096, bytes.slice(0, 512));
    }
    from = snapshot(source, server, 2, Optional.of("s1"), dir);
    pass("delta, 1 % of the blocks changed", from, PassKind.DELTA, dir, (BLOCKS + 99) / 100);
    source.dropSnapshot("s2");
    from = snapshot(source, server, 3, Optional.of("s2"), dir);
    pass("delta, nothing changed", from, PassKind.DELTA, dir, 0);
    pass("compare by digests", from, PassKind.COMPARE, dir, 0);
    print("peak of the heap, both stores and the disk server included", mib(peak()));
  }

  private static Opener snapshot(
      VolumeStore source, NbdServer server, int number, Optional<String> since, Path dir)
      throws IOException {
    source.snapshot("s" + number, "bench", List.of("disk"));
    server.offer("s" + number, source.view("s" + number, "disk", since));
    return opener(dir, "s" + number);
  }

  private static Opener opener(Path dir, String export) {
    return new NbdOpener(new NbdAddress.Unix(dir.resolve("s"), export).uri());
  }

  private static void pass(String what, Opener from, PassKind kind, Path dir, int blocks)
      throws IOException {
    long begun = System.nanoTime();
    PassResult result =
        new PassEngine(2)
            .run(
                from,
                opener(dir, "replica"),
                opener(dir, "digests"),
                new DiskPass(kind, new Ranges(), false, 0, true),
                new PassWatcher() {
                  @Override
                  public void intent(Ranges ranges, boolean anywhere) {}

                  @Override
                  public void progress(PassProgress progress) {}
                });
    print(what, seconds(begun) + ", " + mib(result.progress().sent()) + " sent");
    if (result.progress().sent() != (long) blocks * BLOCK) {
      throw new IOException(
          what
              + " sent "
              + result.progress().sent()
              + " bytes, not those of "
              + blocks
              + " blocks");
    }
  }

  private static long peak() {
    return ManagementFactory.getMemoryPoolMXBeans().stream()
        .filter(p -> p.getType() == MemoryType.HEAP)
        .map(MemoryPoolMXBean::getPeakUsage)
        .mapToLong(u -> u.getUsed())
        .sum();
  }

  private static String seconds(long begun) {
    return String.format(Locale.ROOT, "%.2f s", (System.nanoTime() - begun) / 1e9);
  }

  private static String mib(long bytes) {
    return String.format(Locale.ROOT, "%.0f MiB", bytes / 1048576.0);
  }

  private static void print(String what, String figure) {
    System.out.println(String.format(Locale.ROOT, "%-42s %s", what, figure));
  }
}
