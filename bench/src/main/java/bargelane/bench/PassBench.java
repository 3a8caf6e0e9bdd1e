package bargelane.bench;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.pass.DiskPass;
import bargelane.blocks.pass.PassEngine;
import bargelane.blocks.pass.PassKind;
import bargelane.blocks.pass.PassProgress;
import bargelane.blocks.pass.PassResult;
import bargelane.blocks.pass.PassWatcher;
import bargelane.e2e.Harness;
import bargelane.e2e.Platform;
import bargelane.sites.ExportRef;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;

/**
 * Passes over a disk of 8 GiB with 4 GiB of random data, from one simulated platform to the other,
 * by the engine as a tug runs it; beside each a plain read of the same source export and a plain
 * write of a like target volume, flushed, over as many connections in requests of the same size.
 * Three rounds, of which the medians are told. Before them one that is not measured.
 */
final class PassBench {

  private static final int CHUNK = 1 << 20;
  private static final int CONNECTIONS = 2;
  private static final int TRACKED = 65536;
  private static final long DISK = 8L << 30;
  private static final int ROUNDS = 3;
  private static final String VOLUME = "vm-201-photos";

  private static final String SEED =
      """
      traits: {kind: estate, name: mill-street, version: "4.2", instant: site, granularity: 65536, markersSurviveCrash: false, sized: false}
      tokens: {mill-street-demo: [read, snapshot, volumes, machines, exports, faults]}
      quota: {machines: 10, volumeGib: 500}
      zones: []
      networks: []
      storages: [{id: shelf-a, name: Shelf A, media: ssd, pricePerGibMonth: "0", currency: EUR}]
      sizes: []
      machines:
        - {id: vm-201, name: archive, cpus: 2, memoryMib: 4096, os: Debian GNU/Linux 12, firmware: bios, on: false,
           disks: [{name: photos, sizeMib: 8192, fillMib: 4096, storage: shelf-a}], nics: []}
      """;

  private final Platform estate;
  private final Source source;
  private final Target target;
  private final Map<String, List<Double>> seconds = new LinkedHashMap<>();
  private final Map<String, List<double[]>> processor = new LinkedHashMap<>();
  private final List<ProcessHandle> programs;
  private long data;
  private long delta;

  private PassBench(Harness harness) {
    this.estate = harness.estate();
    Platform cloud = harness.saltmarsh();
    this.programs =
        List.of(
            ProcessHandle.current(),
            harness.process("estate").toHandle(),
            harness.process("cloud").toHandle());
    this.source = estate.driver().source();
    this.target = cloud.driver().target();
  }

  static void run() throws Exception {
    Path seed = Files.createTempFile("bench", ".yaml");
    Files.writeString(seed, SEED);
    System.out.println("Making a disk of 8 GiB with 4 GiB of data ...");
    try (Harness harness = Harness.create().estate(seed.toString()).cloud()) {
      PassBench bench = new PassBench(harness);
      bench.round(-1);
      bench.seconds.clear();
      bench.processor.clear();
      for (int i = 0; i < ROUNDS; i++) {
        bench.round(i);
      }
      bench.tell();
    } finally {
      Files.delete(seed);
    }
  }

  private void round(int number) throws Exception {
    String first = "bench-" + number;
    String second = first + "-changed";
    source.snapshot(first, "bench", List.of(VOLUME), Optional.empty(), false);
    ExportRef from = source.openSnapshot("bench", first, VOLUME, Optional.empty());
    List<Extent> extents = allocated(from);
    data = extents.stream().mapToLong(Extent::length).sum();
    measure("read", () -> move(from, extents, (device, at, bytes) -> device.read(at, bytes)));
    plainWrite();
    full("full, not verified", from, false);
    drop();
    full("full", from, true);
    measure("compare by digests", () -> pass(from, PassKind.COMPARE, false, true));
    measure("compare of every byte", () -> pass(from, PassKind.COMPARE, true, true));
    measure("read again", () -> move(from, extents, (device, at, bytes) -> device.read(at, bytes)));
    source.closeExport("bench");
    source.dropSnapshot(first);
    change(extents, number);
    source.snapshot(second, "bench", List.of(VOLUME), Optional.of(first), false);
    ExportRef since = source.openSnapshot("bench", second, VOLUME, Optional.of(first));
    measure("1 % changed", () -> delta = pass(since, PassKind.DELTA, false, true));
    source.closeExport("bench");
    source.dropSnapshot(second);
    source.forgetMarker(first);
    source.forgetMarker(second);
    drop();
  }

  private interface Work {
    void run() throws Exception;
  }

  private void measure(String what, Work work) throws Exception {
    double[] before = processor();
    long begun = System.nanoTime();
    work.run();
    seconds.computeIfAbsent(what, k -> new ArrayList<>()).add((System.nanoTime() - begun) / 1e9);
    double[] after = processor();
    for (int i = 0; i < after.length; i++) {
      after[i] -= before[i];
    }
    processor.computeIfAbsent(what, k -> new ArrayList<>()).add(after);
  }

  /** Seconds of processor time that this process, the source and the target have taken. */
  private double[] processor() {
    return programs.stream()
        .mapToDouble(p -> p.info().totalCpuDuration().orElse(Duration.ZERO).toMillis() / 1000.0)
        .toArray();
  }

  private void plainWrite() throws Exception {
    target.createVolume("plain", "bench", DISK, "reed", "");
    ExportRef export = target.openVolume("plain", "plain", true);
    measure(
        "write, flushed",
        () -> {
          move(
              export,
              List.of(new Extent(0, data, true)),
              (device, at, bytes) -> device.write(at, bytes));
          try (BlockDevice device = open(export)) {
            device.flush();
          }
        });
    target.closeExport("plain");
    target.deleteVolume("plain");
  }

  private void full(String what, ExportRef from, boolean verify) throws Exception {
    target.createVolume("replica", "bench", DISK, "reed", "");
    target.createVolume("digests", "bench", DigestVolume.bytesFor(DISK), "reed", "");
    target.openVolume("replica", "replica", true);
    measure(what, () -> pass(from, PassKind.FULL, false, verify));
  }

  private void drop() {
    for (String volume : List.of("replica", "digests")) {
      target.closeExport(volume);
      target.deleteVolume(volume);
    }
  }

  /** Runs a pass and gives the bytes that it sent. */
  private long pass(ExportRef from, PassKind kind, boolean anywhere, boolean verify)
      throws IOException {
    ExportRef to = target.openVolume("replica", "replica", true);
    ExportRef digests = target.openVolume("digests", "digests", true);
    PassResult result =
        new PassEngine(CONNECTIONS)
            .run(
                new NbdOpener(from.uri()),
                new NbdOpener(to.uri()),
                new NbdOpener(digests.uri()),
                new DiskPass(kind, new Ranges(), anywhere, 0, verify),
                new PassWatcher() {
                  @Override
                  public void intent(Ranges ranges, boolean everywhere) {}

                  @Override
                  public void progress(PassProgress progress) {}
                });
    return result.progress().sent();
  }

  /** One byte in each hundredth of the tracked blocks with data. */
  private void change(List<Extent> extents, long seed) throws IOException {
    List<Long> blocks = new ArrayList<>();
    for (Extent e : extents) {
      for (long at = e.offset(); at < e.offset() + e.length(); at += TRACKED) {
        blocks.add(at / TRACKED);
      }
    }
    Random random = new Random(seed);
    Collections.shuffle(blocks, random);
    try (BlockDevice disk = estate.open(VOLUME, true)) {
      for (long block : blocks.subList(0, blocks.size() / 100)) {
        byte[] one = {(byte) random.nextInt()};
        disk.write(block * TRACKED + random.nextInt(TRACKED), ByteBuffer.wrap(one));
      }
    } finally {
      estate.closeLook(VOLUME);
    }
  }

  private interface Part {
    void move(BlockDevice device, long offset, ByteBuffer buffer) throws IOException;
  }

  private static NbdClient open(ExportRef export) throws IOException {
    return NbdClient.connect(NbdAddress.parse(export.uri()));
  }

  private static List<Extent> allocated(ExportRef export) throws IOException {
    try (NbdClient device = open(export)) {
      return device.status(Context.ALLOCATION, 0, device.size()).stream()
          .filter(Extent::set)
          .toList();
    }
  }

  /** Moves ranges over several connections. */
  private static void move(ExportRef export, List<Extent> ranges, Part part) throws Exception {
    List<Extent> chunks = new ArrayList<>();
    for (Extent e : ranges) {
      for (long at = e.offset(); at < e.offset() + e.length(); at += CHUNK) {
        chunks.add(new Extent(at, Math.min(CHUNK, e.offset() + e.length() - at), true));
      }
    }
    ExecutorService pool = Executors.newFixedThreadPool(CONNECTIONS);
    List<Future<?>> running = new ArrayList<>();
    for (int c = 0; c < CONNECTIONS; c++) {
      int first = c;
      running.add(
          pool.submit(
              () -> {
                byte[] bytes = new byte[CHUNK];
                new Random(first).nextBytes(bytes);
                ByteBuffer buffer = ByteBuffer.allocateDirect(CHUNK).put(bytes);
                try (NbdClient device = open(export)) {
                  for (int i = first; i < chunks.size(); i += CONNECTIONS) {
                    buffer.clear().limit((int) chunks.get(i).length());
                    part.move(device, chunks.get(i).offset(), buffer);
                  }
                }
                return null;
              }));
    }
    try {
      for (Future<?> f : running) {
        f.get();
      }
    } catch (ExecutionException e) {
      throw new IOException(e.getCause());
    } finally {
      pool.shutdownNow();
    }
  }

  private void tell() {
    Bench.print("data on the disk", Bench.mib(data) + " of " + Bench.mib(DISK));
    double read = (median("read") + median("read again")) / 2;
    double write = median("write, flushed");
    seconds.forEach(
        (what, all) ->
            Bench.print(
                what,
                String.format(
                    Locale.ROOT,
                    "%.2f s, %.0f MiB/s (%s); processor: ours %.1f s, source %.1f s, target %.1f s",
                    median(what),
                    data / 1048576.0 / median(what),
                    String.join(
                        ", ",
                        all.stream().map(s -> String.format(Locale.ROOT, "%.2f", s)).toList()),
                    median(what, 0),
                    median(what, 1),
                    median(what, 2))));
    double slower = Math.max(read, write);
    ratio("full, not verified / slower of plain read and write", slower, "full, not verified");
    ratio("full / slower of plain read and write", slower, "full");
    ratio("compare by digests / plain read", read, "compare by digests");
    ratio("compare of every byte / plain read", read, "compare of every byte");
    Bench.print("1 % changed: time / full pass", figure(median("1 % changed") / median("full")));
    Bench.print(
        "1 % changed: sent / changed", figure((double) delta / (data / TRACKED / 100 * TRACKED)));
  }

  private void ratio(String what, double plain, String pass) {
    Bench.print(what, figure(plain / median(pass)));
  }

  private static String figure(double ratio) {
    return String.format(Locale.ROOT, "%.3f", ratio);
  }

  private double median(String what, int program) {
    return median(processor.get(what).stream().mapToDouble(d -> d[program]).toArray());
  }

  private double median(String what) {
    return median(seconds.get(what).stream().mapToDouble(d -> d).toArray());
  }

  private static double median(double[] all) {
    Arrays.sort(all);
    return all[all.length / 2];
  }
}
