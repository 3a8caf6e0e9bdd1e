package bargelane.e2e;

import bargelane.blocks.BlockDigest;
import bargelane.client.ApiClient;
import bargelane.standins.guest.Ring.Entry;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;

/**
 * The whole example in the terminal: two machines of the county libraries, there and back. Every
 * step is followed by checks that look past the service: at the platforms, at the bytes on the
 * disks, at what was left behind.
 */
public final class Tour extends Narration {

  private static final String HOME = "mill-street";
  private static final String AWAY = "saltmarsh";
  private static final List<String> MACHINES = List.of("lending-db", "lending-app");

  private final Harness harness;
  private final ApiClient api;
  private final Journey journey;
  private final Platform cloud;
  private final RingChecks rings;

  private Tour(Harness harness, boolean verbose, boolean killing) {
    super(verbose);
    this.harness = harness;
    this.api = harness.api();
    this.journey =
        new Journey(
            api, this::detail, killing ? Killings.inEachMove(harness) : Journey.Killing.NONE);
    this.cloud = harness.saltmarsh();
    this.rings = new RingChecks(this, harness, cloud, MACHINES, HOME);
  }

  /**
   * Runs the tour; exit code 0 only if every check held. With {@code --killing} the service is
   * killed in the middle of each move, and every check must hold all the same.
   */
  public static void main(String[] args) throws IOException {
    int failures;
    try (Harness harness = Harness.create()) {
      System.out.println(
          "Starting a database, the service, a machine room and a cloud of its own ...");
      Tour tour =
          new Tour(
              harness.all(),
              List.of(args).contains("--steps"),
              List.of(args).contains("--killing"));
      try {
        tour.run();
      } catch (IOException | RuntimeException e) {
        tour.check("the tour ends by itself and not with: " + e.getMessage(), false);
      }
      failures = tour.sum();
    }
    System.exit(failures == 0 ? 0 : 1);
  }

  private void run() throws IOException {
    Instant begun = Instant.now();
    sites();
    scan();
    JsonNode assessment = size();
    lane();
    wave(assessment);
    load();
    test();
    cutover();
    failback();
    Lost lost = failover();
    home(lost);
    say("The tour took " + Duration.between(begun, Instant.now()).toSeconds() + " s.");
  }

  private void sites() {
    step(1, "Sites: the machine room at Mill Street and the cloud Saltmarsh");
    journey.addSite(HOME, new Platform(harness.estate().address(), "a-wrong-token"));
    JsonNode refused = journey.check(HOME);
    check(
        "a wrong token is found, with a remedy",
        refused.path("findings").path(0).path("code").asText().equals("site-token-refused")
            && !refused.path("findings").path(0).path("remedy").isEmpty());
    api.put("/credentials/" + HOME, Map.of("secret", harness.estate().token()));
    JsonNode mended = journey.check(HOME);
    check(
        "with the right one the machine room is ready",
        mended.path("status").asText().equals("ready"));
    journey.addSite(AWAY, cloud);
    JsonNode ready = journey.check(AWAY);
    check("the cloud is ready", ready.path("status").asText().equals("ready"));
    check(
        "no token comes back from the service",
        !api.get("/sites").toString().contains(cloud.token()));
    say(
        "Mill Street tracks changes in blocks of "
            + mended.path("granularityBytes").asInt() / 1024
            + " KiB and forgets them when it is killed; Saltmarsh keeps them.");
  }

  private void scan() {
    step(2, "Scan: what is there");
    JsonNode first = journey.scan(HOME);
    journey.scan(AWAY);
    check("all 36 machines appear", first.path("appeared").size() == 36);
    check(
        "a second scan changes nothing, and says so",
        journey.scan(HOME).path("unchanged").asBoolean());
  }

  private JsonNode size() {
    step(3, "Size: what they need at Saltmarsh, and what the month costs");
    JsonNode a = journey.assess();
    java.math.BigDecimal sum = java.math.BigDecimal.ZERO;
    for (String name : List.of("lending-db", "lending-app")) {
      JsonNode m = journey.assessed(a, name);
      JsonNode observed = m.path("observed");
      say(
          name
              + ": built as "
              + m.path("configured").path("size").asText()
              + ", used as "
              + observed.path("size").asText()
              + ", "
              + observed.path("monthly").asText()
              + " "
              + m.path("currency").asText()
              + " a month");
      java.math.BigDecimal lines = java.math.BigDecimal.ZERO;
      for (JsonNode line : observed.path("lines")) {
        lines = lines.add(line.path("monthly").decimalValue());
      }
      check(
          "its month is the sum of its lines",
          lines.compareTo(observed.path("monthly").decimalValue()) == 0);
      sum = sum.add(lines);
      check(
          "as configured it has at least the processors and the memory that it is built with",
          m.path("configured").path("cpus").asInt() >= m.path("row").path("cpus").asInt()
              && m.path("configured").path("memoryMib").asLong()
                  >= m.path("row").path("memoryMib").asLong());
    }
    check(
        "the total is the sum of what is shown",
        sum.compareTo(a.path("observed").path("monthly").decimalValue()) == 0);
    return a;
  }

  private void lane() {
    step(4, "Lane: where each network and storage goes");
    JsonNode lane = journey.lane(Map.of("net-data", "sub-data"));
    check(
        "preflight names the network that is not joined",
        lane.path("findings").path(0).path("code").asText().equals("network-not-joined"));
    JsonNode whole =
        api.put(
            "/lanes/mill-to-marsh",
            Map.of("networks", Journey.NETWORKS),
            "\"" + lane.path("revision").asLong() + "\"");
    check(
        "joined, nothing is missing but that somebody accepts what overlaps",
        whole.path("findings").size() == 1
            && whole.path("findings").path(0).path("code").asText().equals("range-overlaps"));
    JsonNode accepted =
        api.put(
            "/lanes/mill-to-marsh/rules",
            Map.of(
                "changes",
                List.of(
                    Map.of(
                        "scope", "network",
                        "of", "net-archive",
                        "setting", "overlap",
                        "value", "accepted"))),
            "\"" + whole.path("revision").asLong() + "\"");
    check("accepted, nothing is in the way", accepted.path("findings").isEmpty());
    check(
        "the way back is derived: " + whole.path("reverseNetworks"),
        whole.path("reverseNetworks").path("sub-data").asText().equals("net-data"));
  }

  private void wave(JsonNode assessment) {
    step(
        5,
        "Wave: lending's database (rank 1) and application (rank 2), a pass every 15 s, RPO 60 s, 6 points");
    journey.timetable(15, 60, 6);
    JsonNode planned = journey.plan();
    check("before a size is chosen the gate 'sized' is shut", !Journey.open(planned, "sized"));
    journey.size(assessment.path("id").asText());
    JsonNode wave = journey.wave();
    check(
        "found, sized and mapped are open",
        Journey.open(wave, "found") && Journey.open(wave, "sized") && Journey.open(wave, "mapped"));
    check(
        "every address is kept",
        all(wave.path("machines"), m -> all(m.path("nics"), n -> n.path("kept").asBoolean())));
  }

  private long allDisks() {
    long sum = 0;
    for (JsonNode m : journey.wave().path("machines")) {
      sum += m.path("bytes").asLong();
    }
    return sum;
  }

  private void load() throws IOException {
    step(6, "Load: a full pass, then deltas");
    journey.work("load");
    JsonNode full = journey.passes("full").get(0);
    say(
        "The full pass sent "
            + mib(full.path("sent").asLong())
            + " of disks of "
            + mib(allDisks())
            + ".");
    check(
        "holes are neither read nor sent",
        full.path("kind").asText().equals("full")
            && full.path("read").asLong() == full.path("total").asLong()
            && full.path("sent").asLong() < allDisks() / 2);
    Instant now = Instant.now();
    journey.awaitPoint(now);
    JsonNode wave = journey.awaitPoint(Instant.now());
    JsonNode delta = journey.passes("delta").get(0);
    say("A delta sent " + mib(delta.path("sent").asLong()) + ".");
    check(
        "a delta sends only tracked blocks",
        delta.path("sent").asLong() <= delta.path("total").asLong()
            && delta.path("sent").asLong() < full.path("sent").asLong() / 20);
    check(
        "the exposure is within the RPO",
        wave.path("rpoHeld").asBoolean() && wave.path("exposureSeconds").asDouble() <= 60);
    var newest =
        cloud
            .driver()
            .target()
            .points("bargelane/")
            .get(cloud.driver().target().points("bargelane/").size() - 1);
    String manifest =
        new String(
            cloud.driver().target().attachment(newest.name(), "manifest").orElse(new byte[0]),
            StandardCharsets.UTF_8);
    check(
        "its manifest lies beside the point at Saltmarsh",
        manifest.startsWith("format: bargelane/manifest/5\n") && manifest.contains("lending-db"));
    check("production saw no failed write", harness.estate().writeFailures("lending-db") == 0);
  }

  private void test() throws IOException {
    step(7, "Test cutover: clones of the newest point in an isolated network, while passes go on");
    int before = journey.wave().path("lastPass").path("number").asInt();
    JsonNode run = journey.work("test");
    for (JsonNode s : run.path("steps")) {
      if (s.path("name").asText().equals("tally")) {
        say("Tally: " + s.path("detail").asText() + ".");
        check(
            "every block of the clones is what the source held",
            s.path("detail").asText().contains("no block differs"));
      }
    }
    JsonNode wave =
        journey.await(
            "a pass after the test began", w -> w.path("lastPass").path("number").asInt() > before);
    check(
        "the machines answered in isolation, and the plan is proven", Journey.open(wave, "proven"));
    check(
        "no machine, network or clone is left at Saltmarsh",
        cloud.ours().stream()
            .noneMatch(
                o ->
                    o.startsWith("machine")
                        || o.startsWith("network")
                        || o.contains(run.path("id").asText())));
    check(
        "production ran on",
        harness.estate().runs("lending-db") && harness.estate().runs("lending-app"));
  }

  private void cutover() throws IOException {
    step(8, "Cutover: stopped there, started here, nothing lost");
    boolean refused = false;
    try {
      api.post("/waves/lending/cutover", Map.of("confirm", "something else"));
    } catch (ApiClient.ProblemException e) {
      refused = e.problem().code().equals("not-confirmed");
    }
    check("without the wave's name typed it is refused", refused);
    JsonNode result = journey.confirmed("cutover").path("result");
    say(
        "The machines were down for "
            + seconds(result.path("downtimeSeconds").asDouble())
            + "; the last pass sent "
            + mib(result.path("lastPassBytesSent").asLong())
            + ".");
    for (String machine : MACHINES) {
      check(
          machine + " runs at Saltmarsh and is stopped and fenced at Mill Street",
          cloud.runs(machine)
              && !harness.estate().runs(machine)
              && harness.estate().machine(machine).path("fenced").asBoolean());
    }
    check(
        "the database lets in who is to be let in, and nobody else",
        cloud.reached("lending-db", 5432, "10.20.1.9")
            && !cloud.reached("lending-db", 5432, "203.0.113.9"));
    rings.noneLost(harness.estate(), cloud, HOME);
  }

  private void failback() throws IOException {
    step(9, "Failback: the same work on the reverse lane");
    Instant now = Instant.now();
    journey.awaitPoint(now);
    JsonNode result = journey.confirmed("failback").path("result");
    long crossed = 0;
    for (JsonNode p : api.get("/waves/lending/points")) {
      crossed += p.path("direction").asText().equals("back") ? p.path("sent").asLong() : 0;
    }
    say(
        "Down for "
            + seconds(result.path("downtimeSeconds").asDouble())
            + "; "
            + mib(crossed)
            + " crossed back in all.");
    check("only what changed since the common point crossed", crossed < allDisks() / 50);
    check(
        "the machines run at Mill Street again",
        MACHINES.stream().allMatch(m -> runs(harness.estate(), m) && !runs(cloud, m)));
    rings.noneLost(cloud, harness.estate(), AWAY);
    JsonNode wave = journey.awaitPoint(Instant.now());
    check(
        "protection goes on towards Saltmarsh and is in step",
        Journey.open(wave, "in step") && wave.path("leg").path("to").asText().equals(AWAY));
  }

  private static boolean runs(Platform at, String machine) {
    try {
      return at.runs(machine);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** What step 11 needs to know of step 10. */
  private record Lost(Instant killed, Map<String, List<String>> disks) {}

  private Lost failover() throws IOException {
    step(10, "Failover: the machine room is gone");
    Map<String, List<String>> disks = new java.util.LinkedHashMap<>();
    for (String m : MACHINES) {
      disks.put(m, harness.estate().disks(m));
    }
    JsonNode shown =
        journey.await("an exposure of some seconds", w -> w.path("exposureSeconds").asDouble() > 6);
    harness.kill("estate");
    Instant killed = Instant.now();
    say(
        "Killed. The service showed an exposure of "
            + seconds(shown.path("exposureSeconds").asDouble())
            + " just before.");
    JsonNode result =
        journey
            .work("/waves/lending/failover", Map.of("confirm", "lending", "sourceLost", true))
            .path("result");
    say(
        "Running at Saltmarsh "
            + seconds(result.path("rtoSeconds").asDouble())
            + " after it was asked for.");
    check("the machines run at Saltmarsh", runs(cloud, "lending-db") && runs(cloud, "lending-app"));
    Instant asOf = Instant.parse(result.path("asOf").asText());
    check(
        "they began at the newest point that was shown, or at a newer one",
        !asOf.isBefore(Instant.parse(shown.path("newestAsOf").asText())));
    double exposure = Duration.between(asOf, killed).toMillis() / 1000.0;
    for (String m : MACHINES) {
      for (int i = 0; i < disks.get(m).size(); i++) {
        rings.lossWithin(m, i, disks.get(m).get(i), exposure);
      }
    }
    List<Entry> first = cloud.ring(cloud.disks("lending-db").get(0));
    List<Entry> second = cloud.ring(cloud.disks("lending-db").get(1));
    long apart =
        Rings.newest(first, HOME, Instant.MAX).orElseThrow().sequence()
            - Rings.newest(second, HOME, Instant.MAX).orElseThrow().sequence();
    check(
        "the database's two disks are of one instant: " + apart + " records apart",
        apart == 0 || apart == 1);
    return new Lost(killed, disks);
  }

  private void home(Lost lost) throws IOException {
    step(11, "The way home: the machine room comes back, with writes that the cloud never saw");
    harness.estate("estate");
    Platform estate = harness.estate();
    check("its machines came up by themselves and wrote", estate.runs("lending-db"));
    JsonNode measured = journey.work("/waves/lending/reconcile", Map.of()).path("result");
    say(
        "Since "
            + measured.path("commonPoint").asText()
            + " Mill Street changed "
            + mib(measured.path("homeBytes").asLong())
            + " and Saltmarsh "
            + mib(measured.path("awayBytes").asLong())
            + "; both may have run for "
            + seconds(measured.path("overlapSeconds").asDouble())
            + ".");
    check(
        "it is fenced first, and the divergence is shown",
        !estate.runs("lending-db")
            && estate.machine("lending-db").path("fenced").asBoolean()
            && measured.path("homeBytes").asLong() > 0
            && measured.path("awayBytes").asLong() > 0);
    JsonNode kept =
        journey
            .work("/waves/lending/reconcile", Map.of("keep", AWAY, "confirm", "lending"))
            .path("result");
    say(
        mib(kept.path("bytesCrossed").asLong())
            + " crossed to make Mill Street's replica what Saltmarsh is.");
    check(
        "no more crossed than either side changed, and little since",
        kept.path("bytesCrossed").asLong()
            <= measured.path("homeBytes").asLong()
                + measured.path("awayBytes").asLong()
                + (4 << 20));
    check(
        "Mill Street's own writes are kept until the move is settled",
        Rings.newest(estate.ring(estate.disks("lending-db").get(1)), HOME, Instant.MAX)
            .orElseThrow()
            .at()
            .isAfter(lost.killed()));
    JsonNode result = journey.confirmed("failback").path("result");
    check(
        "the machines run at Mill Street",
        runs(estate, "lending-db") && runs(estate, "lending-app") && !runs(cloud, "lending-db"));
    List<BlockDigest> keys = estate.digestKeys();
    for (String m : MACHINES) {
      for (int i = 0; i < cloud.disks(m).size(); i++) {
        String told = result.path("digests").path(m + " disk " + i).asText();
        boolean same = false;
        for (BlockDigest key : keys) {
          same |= cloud.digest(cloud.disks(m).get(i), key).equals(told);
        }
        check(
            m
                + " disk "
                + i
                + ": the bytes at Saltmarsh and those started at Mill Street have one digest",
            same);
      }
    }
    rings.noneLost(cloud, estate, AWAY);
    journey.confirmed("settle");
    check("nothing of ours is left at Mill Street: " + estate.ours(), estate.ours().isEmpty());
    check("nothing of ours is left at Saltmarsh: " + cloud.ours(), cloud.ours().isEmpty());
    check(
        "the machines run on, and no write of theirs ever failed",
        runs(estate, "lending-db")
            && estate.writeFailures("lending-db") == 0
            && estate.writeFailures("lending-app") == 0);
    check("the wave is settled", journey.wave().path("state").asText().equals("settled"));
  }
}
