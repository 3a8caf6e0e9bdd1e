package bargelane.service.lane;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.pass.LinkMeter;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.LanePlan;
import bargelane.core.site.Inventory;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.run.Note;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.Ledger.Thing;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.text.Sizes;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Measures the way between a lane's sites as passes use it: a small volume of ours at each end is
 * copied to the other and back, through the exports that a pass reads and writes. What could not be
 * reached is kept, too.
 *
 * <p>Cost: {@value #SCRATCH_MIB} MiB at each site, and about ten seconds of all that the link
 * carries.
 */
public final class LinkRun implements RunKind {

  /** The name of this kind of run. */
  public static final String KIND = "link";

  static final int SCRATCH_MIB = 64;

  private static final int ASKED = 5;
  private static final int CONNECTIONS = 2;

  /** How long the disk is filled, and copied each way. */
  private static final Duration COPYING = Duration.ofSeconds(3);

  private static final String FROM = "from";
  private static final String TO = "to";

  /** One end, as it was found. */
  record End(Long answers, String disks, Long delay, String problem) {}

  static final Note<Map<String, End>> ENDS = Note.each("ends", End.class);

  /** Bytes a second, there and back. */
  static final Note<Long> THERE = Note.of("there", Long.class);

  static final Note<Long> BACK = Note.of("back", Long.class);

  private final Db db;
  private final Sites sites;
  private final Ledger ledger;
  private final Events events;
  private final Clock clock;
  private final Duration copying;

  public LinkRun(Db db, Sites sites, Ledger ledger, Events events, Clock clock) {
    this(db, sites, ledger, events, clock, COPYING);
  }

  LinkRun(Db db, Sites sites, Ledger ledger, Events events, Clock clock, Duration copying) {
    this.copying = copying;
    this.db = db;
    this.sites = sites;
    this.ledger = ledger;
    this.events = events;
    this.clock = clock;
  }

  @Override
  public String name() {
    return KIND;
  }

  @Override
  public boolean leavesNothingToOthers() {
    return true;
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("reach", "Reach both sites and a disk at each", this::reach),
        new Step("carry", "Copy from each end to the other", this::carry),
        new Step("record", "Record what was measured", this::record),
        new Step("tidy", "Remove what was made for it", this::tidy));
  }

  @Override
  public List<Step> backOut(Work work) {
    return List.of(new Step("tidy", "Remove what was made for it", this::tidy));
  }

  private static String site(Work w, String end) {
    return w.input().path(end).asText();
  }

  private static String scratch(Work w) {
    return "bl-" + w.runId() + "-link";
  }

  private static List<Thing> things(Work w) {
    return Stream.of(FROM, TO)
        .flatMap(
            end ->
                Stream.of(
                    new Thing(site(w, end), "export", scratch(w)),
                    new Thing(site(w, end), "volume", scratch(w))))
        .toList();
  }

  /** What can't be reached is kept before the run ends with it. */
  private Outcome reach(Work w) {
    String owner = ledger.planFor(w.subjectId(), things(w));
    for (String end : List.of(FROM, TO)) {
      w.put(ENDS, end, reached(w, end, owner));
    }
    List<String> closed =
        w.need(ENDS).values().stream().map(End::problem).filter(p -> !p.isEmpty()).toList();
    if (closed.isEmpty()) {
      return Outcome.done("both are reached");
    }
    String lane = db.tx(s -> keep(s, w));
    throw new RunFailure(
        "link-closed",
        String.join("; ", closed),
        Remedy.of("open the way there and measure again", Action.LANE_LINK, lane));
  }

  private End reached(Work w, String end, String owner) {
    Long answers = null;
    String disks = "";
    try {
      SiteDriver driver = sites.driver(site(w, end));
      answers = answers(driver, owner);
      driver
          .target()
          .createVolume(scratch(w), owner, (long) SCRATCH_MIB << 20, storage(w, end), "");
      NbdAddress address = NbdAddress.parse(opened(w, end));
      disks = address instanceof NbdAddress.Tls t ? t.host() + ":" + t.port() : "connection";
      try (NbdClient disk = NbdClient.connect(address)) {
        return new End(answers, disks, micros(LinkMeter.delay(disk)), "");
      } catch (IOException e) {
        return new End(
            answers,
            disks,
            null,
            name(w, end)
                + (disks.equals("connection") ? "" : " offers disks at " + disks)
                + ", and none is reached from here: "
                + why(e));
      }
    } catch (SiteException e) {
      return new End(answers, disks, null, String.valueOf(e.getMessage()));
    }
  }

  private static long micros(Duration d) {
    return d.toNanos() / 1000;
  }

  private String name(Work w, String end) {
    return db.tx(s -> s.find(SiteEntity.class, site(w, end)).name);
  }

  /** The median time of a question that takes a site next to nothing. */
  private static long answers(SiteDriver driver, String owner) {
    long[] each = new long[ASKED];
    for (int i = 0; i < ASKED; i++) {
      long begun = System.nanoTime();
      driver.target().points(owner);
      each[i] = System.nanoTime() - begun;
    }
    Arrays.sort(each);
    return each[ASKED / 2] / 1000;
  }

  /** A storage of an end that the lane uses, or any. */
  private String storage(Work w, String end) {
    return db.tx(
        s -> {
          LaneEntity lane = lane(s, w);
          LanePlan plan = Json.read(lane.plan, LanePlan.class);
          List<String> there =
              new Inventories(s)
                  .maybe(s.find(SiteEntity.class, site(w, end)))
                  .map(i -> i.storages().stream().map(Inventory.Storage::id).toList())
                  .orElse(List.of());
          Collection<String> used =
              end.equals(FROM) ? plan.storages().keySet() : plan.storages().values();
          return used.stream()
              .filter(there::contains)
              .sorted()
              .findFirst()
              .or(() -> there.stream().findFirst())
              .orElseThrow(
                  () ->
                      new SiteException(
                          SiteException.Kind.FINAL,
                          "storage-unknown",
                          s.find(SiteEntity.class, site(w, end)).name
                              + " was not scanned yet, so none of its storages is known",
                          null));
        });
  }

  /** Opens the scratch volume of an end for us alone; gives how it is reached. */
  private String opened(Work w, String end) {
    SiteDriver driver = sites.driver(site(w, end));
    driver.target().closeExport(scratch(w));
    return driver.target().openVolume(scratch(w), scratch(w), true).uri();
  }

  private Outcome carry(Work w) {
    List<NbdClient> from = new ArrayList<>();
    List<NbdClient> to = new ArrayList<>();
    try {
      connect(opened(w, FROM), from);
      connect(opened(w, TO), to);
      long bytes = LinkMeter.fill(from.get(0), copying);
      // What is not yet compiled, and a window that still opens, are no matter of the link.
      int chunk =
          LinkMeter.copy(from, to, bytes, copying.dividedBy(3), LinkMeter.SMALL).chunk(bytes);
      LinkMeter.Moved there = LinkMeter.copy(from, to, bytes, copying, chunk);
      LinkMeter.Moved back = LinkMeter.copy(to, from, bytes, copying, chunk);
      w.put(THERE, there.rate());
      w.put(BACK, back.rate());
      return Outcome.done(
          Sizes.text(there.rate()) + "/s there, " + Sizes.text(back.rate()) + "/s back");
    } catch (IOException e) {
      throw new RunFailure(
          "link-broken",
          "the copy broke off: " + why(e),
          "see that both sites' disk servers run and that nothing on the way cuts connections");
    } finally {
      Stream.concat(from.stream(), to.stream()).forEach(LinkRun::close);
    }
  }

  /** What went wrong without the address, which holds the right to use the disk. */
  private static String why(IOException e) {
    return String.valueOf((e.getCause() == null ? e : e.getCause()).getMessage());
  }

  private static void connect(String uri, List<NbdClient> all) throws IOException {
    for (int i = 0; i < CONNECTIONS; i++) {
      all.add(NbdClient.connect(NbdAddress.parse(uri)));
    }
  }

  private static void close(BlockDevice disk) {
    try {
      disk.close();
    } catch (IOException e) {
      // What was measured is known.
    }
  }

  private Outcome record(Work w) {
    return Outcome.commit(
        s -> {
          keep(s, w);
          return "";
        });
  }

  private static LaneEntity lane(Session s, Work w) {
    return Optional.ofNullable(s.find(LaneEntity.class, w.subjectId()))
        .orElseThrow(
            () ->
                new RunFailure(
                    "lane-removed", "the lane was removed meanwhile", "nothing is to be done"));
  }

  /** Keeps what was measured in the caller's transaction; gives the lane's name. */
  private String keep(Session s, Work w) {
    LaneEntity lane = lane(s, w);
    LinkEntity link =
        Optional.ofNullable(s.find(LinkEntity.class, lane.id)).orElse(new LinkEntity());
    link.laneId = lane.id;
    link.measuredAt = clock.instant();
    keep(w.need(ENDS).get(FROM), link.from);
    keep(w.need(ENDS).get(TO), link.to);
    link.there = w.get(THERE).orElse(null);
    link.back = w.get(BACK).orElse(null);
    s.persist(link);
    events.tell(
        s, "lane", lane.id, w.runId(), "the link of lane " + lane.name + " was measured", null);
    return lane.name;
  }

  private static void keep(End found, LinkEntity.End end) {
    end.answers = found.answers();
    end.disks = found.disks();
    end.delay = found.delay();
    end.problem = found.problem();
  }

  private Outcome tidy(Work w) {
    return Outcome.done(
        ledger.remove(things(w)).map(left -> "still to be removed: " + left).orElse(""));
  }
}
