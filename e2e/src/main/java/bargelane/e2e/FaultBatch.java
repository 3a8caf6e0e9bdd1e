package bargelane.e2e;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.client.ApiClient;
import bargelane.e2e.DiskHistory.Held;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.dataformat.yaml.YAMLFactory;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.function.Consumer;

/**
 * Faults one after the other, each drawn from a seed, against passes of a wave of two machines with
 * three disks. The machines are off and this writes to their disks, so it knows what each disk held
 * at any time; every point that survives is then read at the target and must hold exactly that. In
 * the end nothing may be left that nobody owns.
 */
public final class FaultBatch implements AutoCloseable {

  private static final List<SmallEstate.Machine> MACHINES =
      List.of(
          new SmallEstate.Machine(
              "ledger", false, List.of(new SmallEstate.Disk(40, 12), new SmallEstate.Disk(24, 6))),
          new SmallEstate.Machine("desk", false, List.of(new SmallEstate.Disk(40, 8))));

  private static final int BLOCK = BlockDigest.BLOCK;

  private enum Fault {
    KILL_SERVICE,
    KILL_TARGET,
    KILL_TARGET_LOSING_WHAT_IT_HELD,
    KILL_SOURCE,
    KILL_ALL,
    RESTART_DATABASE,
    CUT_SOURCE,
    CUT_TARGET,
    SLOW_SOURCE,
    SLOW_TARGET,
    STALLED_SOURCE,
    STALLED_TARGET,
    FULL_TARGET,
    FULL_SCRATCH,
    WRONG_BYTES_AT_TARGET;

    String words() {
      return name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }
  }

  private final Consumer<String> say;
  private final Harness harness;
  private final Path seedFile;
  private final ApiClient api;
  private final Journey journey;
  private final DiskHistory history;
  private final Map<String, Integer> injected = new TreeMap<>();
  private int compared;
  private int inFlight;

  /** Starts everything and loads the wave. */
  public FaultBatch(Consumer<String> say) throws IOException {
    this.say = say;
    this.seedFile = SmallEstate.seed(MACHINES);
    this.harness = Harness.create().database().estate(seedFile.toString()).cloud().service();
    this.api = harness.api();
    this.journey = new Journey(api, line -> {});
    SmallEstate.join(harness, journey);
    api.post(
        "/timetables",
        Map.of("name", "on-word", "everySeconds", 600, "rpoSeconds", 1200, "keepPoints", 6));
    List<String> names = MACHINES.stream().map(SmallEstate.Machine::name).toList();
    SmallEstate.wave(api, Journey.WAVE, "on-word", names);
    this.history = new DiskHistory(harness::estate, names);
    journey.work("/waves/lending/load", null);
  }

  /** Runs faults; each one's seed is the first one's and its number. */
  public void run(int count, long seed) throws IOException {
    for (int i = 0; i < count; i++) {
      one(seed + i);
    }
    say.accept(
        count
            + " faults from seed "
            + seed
            + ": "
            + compared
            + " points were read and each held what its disks held; "
            + inFlight
            + " faults met a pass in flight; "
            + injected);
  }

  private void one(long seed) throws IOException {
    // Seeds that follow each other begin alike otherwise.
    Random random = new Random(seed * 0x9E3779B97F4A7C15L);
    Fault fault = Fault.values()[random.nextInt(Fault.values().length)];
    injected.merge(fault.words(), 1, Integer::sum);
    history.change(random, 1 + random.nextInt(60));
    Instant changed = Instant.now();
    long begun = System.nanoTime();
    boolean met = inject(fault, random);
    inFlight += met ? 1 : 0;
    journey.awaitPoint(changed);
    int points = check(seed, fault);
    say.accept(
        String.format(
            Locale.ROOT,
            "seed %d: %s%s; a point after %.1f s, %d hold what they should",
            seed,
            fault.words(),
            met ? "" : " beside a pass",
            (System.nanoTime() - begun) / 1e9,
            points));
  }

  /** Asks for a pass, unless one runs or the service can't take the word now. */
  private void ask() {
    try {
      api.post("/waves/lending/passes", null);
    } catch (ApiClient.ProblemException e) {
      if (e.problem().status() != 409 && e.problem().status() < 500) {
        throw e;
      }
    }
  }

  /** Asks for a pass and has the fault come while it runs; gives whether it did. */
  private boolean inject(Fault fault, Random random) throws IOException {
    long held = random.nextInt(1500);
    int blocks = random.nextInt(40) * BLOCK;
    Platform source = harness.estate();
    Platform target = harness.saltmarsh();
    return switch (fault) {
      case CUT_SOURCE -> trouble(source, held, -1, -1, 0, blocks);
      case CUT_TARGET -> trouble(target, held, -1, -1, 0, blocks);
      case SLOW_SOURCE -> trouble(source, held, -1, -1, 200, -1);
      case SLOW_TARGET -> trouble(target, held, -1, -1, 200, -1);
      case STALLED_SOURCE -> trouble(source, 8_000 + held, -1, -1, 8_000, -1);
      case STALLED_TARGET -> trouble(target, 8_000 + held, -1, -1, 8_000, -1);
      case FULL_TARGET -> trouble(target, held, -1, 10L * blocks, 0, -1);
      case FULL_SCRATCH -> {
        source.faults((long) random.nextInt(3) * BLOCK, -1, 50, -1, "");
        boolean met = ask(random);
        history.change(random, 6);
        source.noFaults();
        yield met;
      }
      case WRONG_BYTES_AT_TARGET -> {
        target.wrongWrites(1 + random.nextInt(6));
        ask(random);
        journey.await(
            "a pass that failed or ended", w -> !w.path("lastPass").path("endedAt").isNull());
        target.noFaults();
        yield true;
      }
      default -> {
        source.faults(-1, -1, 40, -1, "");
        if (fault == Fault.KILL_TARGET_LOSING_WHAT_IT_HELD) {
          target.loseUnflushed(0);
        }
        boolean met = ask(random);
        kill(fault, held);
        harness.estate().noFaults();
        yield met;
      }
    };
  }

  private void kill(Fault fault, long held) throws IOException {
    switch (fault) {
      case KILL_SERVICE -> Killings.again(harness);
      case KILL_TARGET, KILL_TARGET_LOSING_WHAT_IT_HELD -> {
        harness.kill("cloud");
        Harness.pause(held);
        harness.cloud();
      }
      case KILL_SOURCE -> {
        harness.kill("estate");
        Harness.pause(held);
        harness.estate(seedFile.toString());
      }
      case KILL_ALL -> {
        for (String name : List.of("service", "cloud", "estate")) {
          harness.kill(name);
        }
        harness.estate(seedFile.toString()).cloud().service();
      }
      default -> harness.restartDatabase();
    }
  }

  /** Asks for a pass, and after a moment gives whether one runs. */
  private boolean ask(Random random) throws IOException {
    ask();
    Harness.pause(random.nextInt(1200));
    return journey.await("an answer", w -> true).path("lastPass").path("endedAt").isNull();
  }

  private boolean trouble(
      Platform at, long forMs, long scratch, long capacity, long delayMs, long cutAfter)
      throws IOException {
    at.faults(scratch, capacity, delayMs, cutAfter, "");
    ask();
    Harness.pause(forMs);
    at.noFaults();
    return true;
  }

  /** Reads every point at the target, and gives how many there are. */
  private int check(long seed, Fault fault) throws IOException {
    int checked = 0;
    Platform cloud = harness.saltmarsh();
    for (Target.PointRef point : cloud.driver().target().points("bargelane/")) {
      try {
        checked += check(seed, fault, cloud, point.name());
      } catch (SiteException e) {
        if (cloud.driver().target().points("bargelane/").stream()
            .anyMatch(p -> p.name().equals(point.name()))) {
          throw e;
        }
        // It was thinned meanwhile.
      }
    }
    if (checked == 0) {
      throw new IllegalStateException("seed " + seed + ": there is no point to read");
    }
    return checked;
  }

  /** Gives 1 if the point was compared, 0 if it is not recorded or older than what is known. */
  private int check(long seed, Fault fault, Platform cloud, String point) throws IOException {
    byte[] manifest = cloud.driver().target().attachment(point, "manifest").orElse(null);
    if (manifest == null) {
      return 0;
    }
    JsonNode told = new ObjectMapper(new YAMLFactory()).readTree(manifest);
    Instant asOf = Instant.parse(told.path("asOf").asText());
    List<Held> may = history.at(asOf);
    List<Held> equal = new ArrayList<>(may);
    for (JsonNode machine : told.path("machines")) {
      for (JsonNode disk : machine.path("disks")) {
        String name = machine.path("name").asText() + " " + disk.path("disk").asInt();
        byte[] frozen = frozen(cloud, point, disk.path("volume").asText());
        equal.removeIf(h -> h.differs(name, frozen) >= 0);
      }
    }
    if (equal.isEmpty() && !may.isEmpty()) {
      throw new IllegalStateException(
          "seed "
              + seed
              + ", "
              + fault.words()
              + ": point "
              + point
              + " as of "
              + asOf
              + " does not hold what its disks held: "
              + differing(cloud, point, told, may));
    }
    compared += may.isEmpty() ? 0 : 1;
    return may.isEmpty() ? 0 : 1;
  }

  private String differing(Platform cloud, String point, JsonNode told, List<Held> may)
      throws IOException {
    StringBuilder text = new StringBuilder();
    for (JsonNode machine : told.path("machines")) {
      for (JsonNode disk : machine.path("disks")) {
        String name = machine.path("name").asText() + " " + disk.path("disk").asInt();
        byte[] frozen = frozen(cloud, point, disk.path("volume").asText());
        for (Held h : may) {
          long at = h.differs(name, frozen);
          text.append(name).append(at < 0 ? " equals" : " differs in the block at " + at);
          text.append(" what was held from ").append(h.ended()).append("; ");
        }
      }
    }
    return text.toString();
  }

  private static byte[] frozen(Platform cloud, String point, String volume) throws IOException {
    Target target = cloud.driver().target();
    try (BlockDevice disk =
        NbdClient.connect(
            NbdAddress.parse(target.openFrozen("check-" + volume, point, volume).uri()))) {
      return DiskHistory.read(disk);
    } finally {
      target.closeExport("check-" + volume);
    }
  }

  /** Nothing may be left at either site but what the wave goes on with. */
  public void end() throws IOException {
    journey.awaitPoint(Instant.now());
    JsonNode last = journey.pause().path("leg");
    List<String> points = new ArrayList<>();
    for (JsonNode p : api.get("/waves/lending/points")) {
      points.add("point " + p.path("number").asInt());
    }
    long at = harness.saltmarsh().driver().target().points("bargelane/").size();
    List<String> left = new ArrayList<>(harness.estate().ours());
    left.remove("marker " + last.path("marker").asText());
    harness.saltmarsh().ours().stream()
        .filter(o -> !o.startsWith("point "))
        .filter(o -> !o.startsWith("volume ") || !o.matches(".*-d\\d+(-digests)?"))
        .forEach(left::add);
    long volumes = harness.saltmarsh().ours().stream().filter(o -> o.startsWith("volume ")).count();
    if (!left.isEmpty() || at != points.size() || volumes != 6) {
      throw new IllegalStateException(
          "left behind: "
              + left
              + "; "
              + at
              + " points for "
              + points
              + ", "
              + volumes
              + " volumes for 3 disks");
    }
    say.accept(
        "Left are the wave's marker, its "
            + at
            + " points, and its 3 replicas with their digests.");
  }

  @Override
  public void close() throws IOException {
    harness.close();
    Files.deleteIfExists(seedFile);
  }
}
