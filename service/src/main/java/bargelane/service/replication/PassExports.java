package bargelane.service.replication;

import bargelane.api.LeaseDisk;
import bargelane.api.LeaseOpened;
import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.Ledger;
import bargelane.service.site.Ledger.Thing;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BooleanSupplier;
import java.util.function.Predicate;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * The exports of passes: made for one lease, whose epoch their names carry, recorded before they
 * are made, and revoked before anything else is opened or frozen.
 */
final class PassExports {

  private static final String EXPORT = "export";

  private static final Duration STALLED = Duration.ofSeconds(30);

  private final Db db;
  private final Sites sites;
  private final Ledger ledger;
  private final Events events;

  /** Addresses of the digests that are open through this node, by their exports' names. */
  private final Map<String, String> digests = new ConcurrentHashMap<>();

  PassExports(Db db, Sites sites, Ledger ledger, Events events) {
    this.db = db;
    this.sites = sites;
    this.ledger = ledger;
    this.events = events;
  }

  private static String exportName(PassEntity pass, PassDisk disk, String end) {
    return of(pass.id) + disk.index() + "-" + end + "-" + pass.epoch;
  }

  private static String of(String passId) {
    return "bl-" + passId + "-";
  }

  private static boolean of(PassEntity pass, SiteObjectEntity o) {
    return o.kind.equals(EXPORT) && o.name.startsWith(of(pass.id));
  }

  /** Revokes what former holders of a pass's lease may still have open. */
  void revokeFormer(PassEntity pass) {
    revoke(pass.towId, o -> of(pass, o) && !o.name.endsWith("-" + pass.epoch));
  }

  /**
   * Revokes what a holder opened that lost its lease meanwhile; nobody was given it. Whoever took
   * over may have struck it from the ledger before it was there.
   */
  void revokeOwn(PassEntity pass) {
    for (PassDisk disk : Passes.disks(pass)) {
      drop(disk.from().site(), pass.towId, exportName(pass, disk, "s"));
      drop(disk.digests().site(), pass.towId, exportName(pass, disk, "d"));
      if (disk.to() != null) {
        drop(disk.to().site(), pass.towId, exportName(pass, disk, "t"));
      }
    }
  }

  private void drop(String site, String towId, String name) {
    digests.remove(name);
    ledger.plan(site, towId, EXPORT, name);
    ledger.remove(site, EXPORT, name);
  }

  /** What passes of a tow that are over have left open; to be revoked before another begins. */
  Ledger.Claimed left(Session s, String towId) {
    return ledger.claim(s, towId, o -> o.kind.equals(EXPORT) && !o.wanted);
  }

  private void revoke(String towId, Predicate<SiteObjectEntity> which) {
    revoke(db.tx(s -> ledger.claim(s, towId, which.and(this::forget))));
  }

  /**
   * Revokes exports that were claimed: when this returns nobody reads or writes through them.
   *
   * @throws SiteException that may pass, if one can't be revoked now
   */
  void revoke(Ledger.Claimed exports) {
    ledger
        .removeClaimed(exports)
        .ifPresent(
            why -> {
              throw new SiteException(
                  SiteException.Kind.MAY_PASS,
                  why.code().equals(SiteException.BUSY) ? SiteException.BUSY : "export-open",
                  "what an earlier attempt wrote through can't be revoked yet: " + why.getMessage(),
                  why);
            });
  }

  /**
   * Records what disks are read through that are about to be opened, in the caller's transaction.
   */
  void recordSources(Session s, PassEntity pass, List<PassDisk> disks) {
    // Their names carry an epoch that nobody had before: nothing can be left under them.
    ledger.record(
        s,
        pass.towId,
        disks.stream()
            .map(d -> new Thing(d.from().site(), EXPORT, exportName(pass, d, "s")))
            .toList());
  }

  /** Records what a disk is written to that is about to be opened, in the caller's transaction. */
  void recordTarget(Session s, PassEntity pass, PassDisk disk) {
    List<Thing> exports = new ArrayList<>();
    exports.add(new Thing(disk.digests().site(), EXPORT, exportName(pass, disk, "d")));
    if (disk.to() != null) {
      exports.add(new Thing(disk.to().site(), EXPORT, exportName(pass, disk, "t")));
    }
    ledger.record(s, pass.towId, exports);
  }

  /**
   * Opens what a tug reads of one disk; see {@link #recordSources}.
   *
   * @param replica what may differ in it; empty where nothing is written
   * @param known the root of its digests if nothing may differ in it; empty otherwise
   */
  LeaseDisk openSource(
      PassEntity pass, PassDisk disk, Optional<ReplicaEntity> replica, String known) {
    PassDisk.From from = disk.from();
    String name = exportName(pass, disk, "s");
    return new LeaseDisk(
        disk.index(),
        disk.machine(),
        from.snapshot().isEmpty()
            ? openAsItIs(from, name)
            : openSnapshot(pass, disk, sites.driver(from.site()), name),
        disk.bytes(),
        replica.map(r -> r.intent).orElse(""),
        replica.map(r -> r.anywhere).orElse(false),
        disk.progress().watermark(),
        known);
  }

  /** Opens what a tug writes one disk to, which it asks for; see {@link #recordTarget}. */
  LeaseOpened openTarget(PassEntity pass, PassDisk disk) {
    PassDisk.To to = disk.to();
    String name = exportName(pass, disk, "t");
    return new LeaseOpened(
        to == null
            ? ""
            : sites.driver(to.site()).target().openVolume(name, to.volume(), true).uri(),
        openDigests(pass, disk));
  }

  private String openAsItIs(PassDisk.From from, String name) {
    Target target = sites.driver(from.site()).target();
    return (from.point().isEmpty()
            ? target.openVolume(name, from.volume(), false)
            : target.openFrozen(name, from.point(), from.volume()))
        .uri();
  }

  private String openDigests(PassEntity pass, PassDisk disk) {
    PassDisk.Digests d = disk.digests();
    String name = exportName(pass, disk, "d");
    Target target = sites.driver(d.site()).target();
    String uri =
        (d.point().isEmpty()
                ? target.openVolume(name, d.volume(), true)
                : target.openFrozen(name, d.point(), d.volume()))
            .uri();
    digests.put(name, uri);
    return uri;
  }

  /**
   * The root of the digests that a disk's holder has finished, as the target holds them.
   *
   * @throws IOException saying why they are not the ones of this disk, or can't be read
   */
  String digestRoot(PassEntity pass, PassDisk disk) throws IOException {
    String name = exportName(pass, disk, "d");
    // Another node may have opened it; opening it again under its name revokes its holder's.
    String open = digests.get(name);
    if (open == null) {
      ledger.plan(disk.digests().site(), pass.towId, EXPORT, name);
    }
    String uri = open != null ? open : openDigests(pass, disk);
    try (BlockDevice device = NbdClient.connect(NbdAddress.parse(uri));
        StallGuard guard = new StallGuard(STALLED, device)) {
      guard.beat();
      return DigestVolume.root(device, disk.bytes());
    }
  }

  /** As {@link Passes#copyDigests} has it. */
  void copyDigests(
      String towId, String name, PassDisk.Digests from, PassDisk.Digests to, BooleanSupplier over) {
    String source = "bl-" + name + "-s";
    String sink = "bl-" + name + "-t";
    ledger.plan(from.site(), towId, EXPORT, source);
    ledger.plan(to.site(), towId, EXPORT, sink);
    String sourceUri =
        sites.driver(from.site()).target().openFrozen(source, from.point(), from.volume()).uri();
    String sinkUri = sites.driver(to.site()).target().openVolume(sink, to.volume(), true).uri();
    try (BlockDevice in = NbdClient.connect(NbdAddress.parse(sourceUri));
        BlockDevice out = NbdClient.connect(NbdAddress.parse(sinkUri));
        StallGuard guard = new StallGuard(STALLED, in, out)) {
      // While this is open nobody else writes; whoever was faster has what this would copy, and may
      // have gone on from it.
      if (!over.getAsBoolean()) {
        DigestVolume.copy(in, out, guard);
      }
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "digests-uncopied",
          "digests can't be copied from one site to the other: " + e.getMessage(),
          e);
    } finally {
      ledger.remove(from.site(), EXPORT, source);
      ledger.remove(to.site(), EXPORT, sink);
    }
  }

  private String openSnapshot(PassEntity pass, PassDisk disk, SiteDriver source, String name) {
    Optional<String> since = Optional.of(disk.from().since()).filter(m -> !m.isEmpty());
    try {
      return source
          .source()
          .openSnapshot(name, disk.from().snapshot(), disk.from().volume(), since)
          .uri();
    } catch (SiteException e) {
      if (e.kind() != SiteException.Kind.MARKER_LOST) {
        throw e;
      }
      db.run(
          s -> {
            PassEntity p = s.find(PassEntity.class, pass.id, LockMode.PESSIMISTIC_WRITE);
            p.disks = Json.text(Passes.disks(p).stream().map(PassDisk::withoutMarker).toList());
            events.tell(
                s,
                "pass",
                p.towId,
                p.runId,
                "pass " + p.number + " compares: " + e.getMessage(),
                null);
          });
      return source
          .source()
          .openSnapshot(name, disk.from().snapshot(), disk.from().volume(), Optional.empty())
          .uri();
    }
  }

  private boolean forget(SiteObjectEntity o) {
    digests.remove(o.name);
    return true;
  }

  /** Marks every export of a pass as unwanted in the caller's transaction; {@link #revoke} then. */
  Ledger.Claimed dropped(Session s, PassEntity pass) {
    return ledger.claim(s, pass.towId, o -> of(pass, o) && forget(o));
  }

  /** Revokes every export of a pass: when this returns nobody reads or writes through it. */
  void seal(String passId) {
    revoke(db.tx(s -> dropped(s, s.find(PassEntity.class, passId))));
  }

  /** Has every export of a pass revoked as soon as its site allows. */
  void revokeLater(PassEntity pass) {
    ledger.removeClaimed(db.tx(s -> dropped(s, pass)));
  }
}
