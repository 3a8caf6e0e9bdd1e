package bargelane.e2e;

import bargelane.client.ApiClient;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayDeque;
import java.util.List;
import java.util.Map;

/**
 * The example on real machines: a guest with a kernel and disks of its own, from a hypervisor host
 * with old-bus devices to one that has paravirtual devices only, and back. Checks look past the
 * service: at both hosts, at the guest's answers, at the records on its disk.
 */
final class RealTour extends Narration {

  static final String HOME = "annex";
  static final String AWAY = "hithe";
  static final String GUEST = "lending-db";

  /** The guest's addresses in the annex: its first card's network is there alone. */
  static final String LEFT = "10.20.1.21";

  static final String KEPT = "10.20.2.21";
  static final int BOOT_SECONDS = 120;

  private final Harness harness;
  private final ApiClient api;
  private final Journey journey;
  private final Shore home;
  private final Shore away;

  /** The address that the first card gets on the hithe. */
  private String moved = "";

  RealTour(Harness harness, Shore home, Shore away, boolean verbose, boolean killing) {
    super(verbose);
    this.harness = harness;
    this.api = harness.api();
    this.journey =
        new Journey(
            api,
            this::detail,
            killing
                ? new Journey.Killing(
                    Map.of(
                        "test",
                        new ArrayDeque<>(List.of("refit")),
                        "failback",
                        new ArrayDeque<>(List.of("stop"))),
                    this::killWhileTheYardRuns)
                : Journey.Killing.NONE);
    this.home = home;
    this.away = away;
  }

  public static void main(String[] args) throws IOException {
    int failures;
    System.out.println(
        "Starting a database, the service, two hypervisor hosts and a guest of its own ...");
    // The service ends before the hosts it works with.
    try (RealHosts hosts = new RealHosts(0);
        Harness harness = Harness.create()) {
      RealTour tour =
          new RealTour(
              harness.database().service(),
              hosts.home,
              hosts.away,
              List.of(args).contains("--steps"),
              List.of(args).contains("--killing"));
      try {
        tour.run(List.of(args).contains("--brief"));
      } catch (IOException | RuntimeException e) {
        tour.check("the tour ends by itself and not with: " + e.getMessage(), false);
      }
      failures = tour.sum();
    }
    System.exit(failures == 0 ? 0 : 1);
  }

  /** The whole, or without the cutover and its failback: the way home takes the same road. */
  private void run(boolean brief) throws IOException {
    Instant begun = Instant.now();
    sites();
    scan();
    size();
    lane();
    wave();
    load();
    test();
    if (!brief) {
      cutover();
      failback();
    }
    Lost lost = failover();
    wayHome(lost);
    say("The tour took " + Duration.between(begun, Instant.now()).toSeconds() + " s.");
  }

  /**
   * Ends the service while the yard edits a clone, which is asked of a yard once more, or while a
   * machine is stopped and a yard waits for what it is to edit.
   */
  private void killWhileTheYardRuns() {
    try {
      long until = System.nanoTime() + Duration.ofSeconds(BOOT_SECONDS).toNanos();
      while (away.host.virsh("list", "--name").isBlank()) {
        if (System.nanoTime() > until) {
          throw new IllegalStateException("no yard was started");
        }
      }
      harness.kill("service");
      harness.service();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private void sites() throws IOException {
    step(
        1,
        "Sites: a hypervisor host in the annex with old-bus devices, one on the hithe, over SSH, with paravirtual ones");
    RealHosts.addSite(api, HOME, home.address);
    RealHosts.addSite(api, AWAY, away.address);
    for (String site : List.of(HOME, AWAY)) {
      JsonNode checked = journey.check(site);
      check(
          site
              + " is ready: "
              + checked.path("platform").asText()
              + ", "
              + checked.path("version").asText()
              + " "
              + checked.path("findings"),
          checked.path("status").asText().equals("ready"));
    }
    check(
        "the guest answers in the annex",
        RealHosts.answer(home).path("disk").asText().equals("sda"));
  }

  private void scan() {
    step(2, "Scan: what is there");
    JsonNode found = journey.scan(HOME);
    journey.scan(AWAY);
    check("one machine appears", found.path("appeared").size() == 1);
    JsonNode m = api.get("/machines/" + GUEST);
    say(
        GUEST
            + " has "
            + m.path("disks").size()
            + " disks and the address "
            + m.path("nics").path(0).path("address").asText()
            + ".");
    check(
        "its disks and its cards are known, of the second one what the guest tells",
        m.path("disks").size() == 2
            && card(m, 0).equals("reading-room " + LEFT)
            && card(m, 1).equals("stacks " + KEPT));
  }

  private static String card(JsonNode machine, int number) {
    JsonNode nic = machine.path("nics").path(number);
    return nic.path("network").asText() + " " + nic.path("address").asText();
  }

  /** What the guest itself says its addresses are. */
  private void addresses(JsonNode guest, String first) {
    String told = guest.path("addresses").asText();
    check(
        "the guest says that its addresses are " + told,
        told.equals(first + "/24 " + KEPT + "/24"));
  }

  private void size() {
    step(3, "Size: a host sells no sizes; the machine stays as it is built");
  }

  private void lane() {
    step(
        4,
        "Lane: the reading room's network to the quayside's, the stacks' to its like, pool to pool");
    JsonNode lane = RealHosts.join(api);
    check("nothing is missing: " + lane.path("findings"), lane.path("findings").isEmpty());
    journey.work("/lanes/annex-to-hithe/link", null);
    JsonNode link = api.get("/lanes/annex-to-hithe/link");
    check(
        "the link carries "
            + mib(link.path("there").asLong())
            + "/s there and "
            + mib(link.path("back").asLong())
            + "/s back, and nothing is left of its measurement",
        link.path("there").asLong() > 0
            && link.path("back").asLong() > 0
            && home.ours().isEmpty()
            && away.ours().isEmpty());
  }

  private void wave() {
    step(5, "Wave: a pass every 10 s, RPO 60 s, 4 points");
    RealHosts.plan(api, journey, 10);
    JsonNode wave = journey.wave();
    check(
        "found, sized and mapped are open",
        Journey.open(wave, "found") && Journey.open(wave, "sized") && Journey.open(wave, "mapped"));
    JsonNode nics = wave.path("machines").path(0).path("nics");
    moved = nics.path(0).path("address").asText();
    check(
        "the reading room's address does not exist there: it becomes " + moved,
        !nics.path(0).path("kept").asBoolean() && !moved.equals(LEFT));
    check(
        "the one in the stacks is kept: " + nics.path(1).path("address").asText(),
        nics.path(1).path("kept").asBoolean()
            && nics.path(1).path("address").asText().equals(KEPT));
  }

  private void load() throws IOException {
    step(6, "Load: a full pass from the running guest, then deltas");
    journey.work("load");
    JsonNode full = journey.passes("full").get(0);
    say(
        "The full pass sent "
            + mib(full.path("sent").asLong())
            + " of disks of "
            + mib(journey.wave().path("machines").path(0).path("bytes").asLong())
            + ".");
    journey.awaitPoint(Instant.now());
    JsonNode delta = newestPass();
    say("A delta sent " + mib(delta.path("sent").asLong()) + ".");
    check(
        "a delta sends only what its checkpoint's bitmaps tell",
        delta.path("kind").asText().equals("delta")
            && delta.path("sent").asLong() < full.path("sent").asLong() / 4);
    check(
        "the guest's file systems were at rest: "
            + api.get("/waves/lending/points").path(0).path("consistency").asText(),
        api.get("/waves/lending/points").path(0).path("consistency").asText().endsWith("at rest"));
    check("the guest saw no failed write", RealHosts.answer(home).path("failed").asInt() == 0);
  }

  private JsonNode newestPass() {
    for (JsonNode p : api.get("/waves/lending/passes")) {
      if (p.path("state").asText().equals("complete")) {
        return p;
      }
    }
    throw new IllegalStateException("there is no complete pass");
  }

  private void test() throws IOException {
    step(
        7,
        "Test cutover: the guest is refitted in a clone, boots in isolation and answers, while the source runs on");
    journey.work("/waves/lending/refit", null);
    JsonNode plan = api.get("/waves/lending/refit").path(0);
    say(
        plan.path("machine").asText()
            + ", "
            + plan.path("os").asText()
            + ": "
            + plan.path("summary").asText()
            + ".");
    plan.path("edits")
        .forEach(e -> say("  " + e.path("path").asText() + ": " + e.path("reason").asText()));
    check(
        "the plan names boot drivers, device names and the address, and refuses nothing",
        plan.path("edits").size() == 4
            && plan.path("refused").isEmpty()
            && plan.path("unjudged").isEmpty());
    long before = RealHosts.answer(home).path("records").asLong();
    JsonNode run = journey.work("test");
    for (JsonNode s : run.path("steps")) {
      if (s.path("name").asText().startsWith("start")) {
        check(
            "it answered on the hithe: " + s.path("detail").asText(),
            s.path("state").asText().equals("done"));
      }
    }
    JsonNode after = RealHosts.answer(home);
    check(
        "the source ran on: "
            + (after.path("records").asLong() - before)
            + " more records, none failed",
        after.path("records").asLong() > before && after.path("failed").asInt() == 0);
    check("the plan is proven", Journey.open(journey.wave(), "proven"));
    check(
        "no machine, network or clone is left on the hithe",
        away.ours().stream()
            .noneMatch(
                o ->
                    o.startsWith("machine")
                        || o.startsWith("network")
                        || o.contains(run.path("id").asText())));
  }

  private void cutover() throws IOException {
    step(8, "Cutover: stopped there, started here on other hardware, nothing lost");
    JsonNode run = journey.confirmed("cutover");
    JsonNode result = run.path("result");
    say("Its steps took " + times(run) + ".");
    say(
        "Down for "
            + seconds(result.path("downtimeSeconds").asDouble())
            + "; the last pass sent "
            + mib(result.path("lastPassBytesSent").asLong())
            + ".");
    JsonNode there = RealHosts.answer(away);
    check(
        "the guest runs on the hithe, on paravirtual disks",
        there.path("disk").asText().equals("vda"));
    addresses(there, moved);
    check(
        "it is stopped and fenced in the annex", !home.runs(GUEST) && home.machine(GUEST).fenced());
    List<Records.Entry> left = home.records(GUEST);
    check(
        "record "
            + Records.last(left).number()
            + " was the last in the annex, and none of "
            + left.size()
            + " is missing",
        Records.missing(left) == 0 && there.path("records").asLong() > Records.last(left).number());
  }

  private void failback() throws IOException {
    step(9, "Failback: deltas only, and the old hardware again");
    journey.awaitPoint(Instant.now());
    List<Records.Entry> left = home.records(GUEST);
    String former = home.machine(GUEST).disks().get(1).volume();
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
    JsonNode back = RealHosts.answer(home);
    check(
        "the guest runs in the annex on the old hardware",
        back.path("disk").asText().equals("sda"));
    addresses(back, LEFT);
    check(
        "only what changed crossed",
        crossed < journey.wave().path("machines").path(0).path("bytes").asLong() / 4);
    List<Records.Entry> all = away.records(GUEST);
    check(
        "on the hithe's disk the records go on from "
            + Records.last(left).number()
            + " without a gap to "
            + Records.last(all).number(),
        Records.missing(all) == 0
            && all.stream()
                .anyMatch(
                    e -> e.number() == Records.last(left).number() + 1 && e.disk().equals("vda")));
    check(
        "and in the annex from there on",
        back.path("records").asLong() > Records.last(all).number());
    check("its former disk is kept", !home.machine(GUEST).disks().get(1).volume().equals(former));
    JsonNode wave = journey.awaitPoint(Instant.now());
    check(
        "protection goes on towards the hithe", wave.path("leg").path("to").asText().equals(AWAY));
  }

  /** What step 11 needs to know of step 10. */
  private record Lost(double shown, double exposure) {}

  private Lost failover() throws IOException {
    step(10, "Failover: the annex's daemon and guest are killed");
    JsonNode shown =
        journey.await("an exposure of some seconds", w -> w.path("exposureSeconds").asDouble() > 6);
    home.host.killDaemon();
    Instant killed = Instant.now();
    home.host.killGuest(GUEST);
    String newest = shown.path("newestAsOf").asText();
    say("Killed. The service showed an exposure of " + seconds(age(newest, killed)) + " then.");
    JsonNode result =
        journey
            .work("/waves/lending/failover", Map.of("confirm", "lending", "sourceLost", true))
            .path("result");
    say(
        "Running on the hithe "
            + seconds(result.path("rtoSeconds").asDouble())
            + " after it was asked for.");
    JsonNode there = RealHosts.answer(away);
    check("the guest runs on the hithe", there.path("disk").asText().equals("vda"));
    addresses(there, moved);
    // A pass that was shipping may still have become a point, newer than the one that was shown.
    return new Lost(age(newest, killed), age(result.path("asOf").asText(newest), killed));
  }

  private static double age(String asOf, Instant at) {
    return Duration.between(Instant.parse(asOf), at).toMillis() / 1000.0;
  }

  private void wayHome(Lost lost) throws IOException {
    step(11, "The way home: the annex comes back, with writes that the hithe never saw");
    home.host.startDaemon();
    List<Records.Entry> dead = home.records(GUEST);
    JsonNode measured = journey.work("/waves/lending/reconcile", Map.of()).path("result");
    say(
        "Since "
            + measured.path("commonPoint").asText()
            + " the annex changed "
            + mib(measured.path("homeBytes").asLong())
            + " and the hithe "
            + mib(measured.path("awayBytes").asLong())
            + ".");
    check(
        "it is fenced first, and the divergence is shown",
        home.machine(GUEST).fenced()
            && measured.path("homeBytes").asLong() > 0
            && measured.path("awayBytes").asLong() > 0);
    JsonNode kept =
        journey
            .work("/waves/lending/reconcile", Map.of("keep", AWAY, "confirm", "lending"))
            .path("result");
    say(
        mib(kept.path("bytesCrossed").asLong())
            + " crossed to make the annex's replica what the hithe is.");
    journey.confirmed("failback");
    JsonNode back = RealHosts.answer(home);
    check("the guest runs in the annex", back.path("disk").asText().equals("sda"));
    addresses(back, LEFT);
    List<Records.Entry> all = away.records(GUEST);
    // On the hithe's disk the annex's last record before the failover is what survived of it.
    Records.Entry survived = survivor(all, dead);
    double loss = (Records.last(dead).hundredths() - survived.hundredths()) / 100.0;
    double gap = Records.longestGap(dead);
    check(
        "the records say "
            + seconds(loss)
            + " ("
            + (Records.last(dead).number() - survived.number())
            + " records) lost; by the point's as-of "
            + seconds(lost.exposure)
            + ", longest gap "
            + seconds(gap),
        Math.abs(lost.exposure - loss) <= gap + 0.1);
    check(
        "no more was lost than was shown: " + seconds(lost.shown), loss <= lost.shown + gap + 0.1);
    check("no number is missing on the hithe's disk", Records.missing(all) == 0);
    journey.confirmed("settle");
    check("nothing of ours is left in the annex: " + home.ours(), home.ours().isEmpty());
    check("nothing of ours is left on the hithe: " + away.ours(), away.ours().isEmpty());
    check(
        "the guest runs on, and no write of it ever failed",
        RealHosts.answer(home).path("failed").asInt() == 0);
  }

  /** The last record that both have. */
  private static Records.Entry survivor(List<Records.Entry> all, List<Records.Entry> dead) {
    return all.stream().filter(dead::contains).reduce((a, b) -> b).orElseThrow();
  }
}
