package bargelane.service.replication;

import bargelane.api.LeaseDisk;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import java.util.Optional;
import java.util.function.Predicate;
import org.hibernate.LockMode;

/**
 * The exports of passes: made for one lease, whose epoch their names carry, recorded before they
 * are made, and revoked before anything else is opened or frozen.
 */
final class PassExports {

  private static final String EXPORT = "export";

  private final Db db;
  private final Sites sites;
  private final Ledger ledger;
  private final Events events;

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
      drop(disk.sourceSite(), pass.towId, exportName(pass, disk, "s"));
      if (!disk.targetVolume().isEmpty()) {
        drop(disk.targetSite(), pass.towId, exportName(pass, disk, "t"));
      }
    }
  }

  private void drop(String site, String towId, String name) {
    ledger.plan(site, towId, EXPORT, name);
    ledger.remove(site, EXPORT, name);
  }

  /** Revokes what passes of a tow that are over have left open. */
  void revokeLeft(String towId) {
    revoke(towId, o -> o.kind.equals(EXPORT) && !o.wanted);
  }

  /**
   * @throws SiteException that may pass, if one can't be revoked now
   */
  private void revoke(String towId, Predicate<SiteObjectEntity> which) {
    ledger
        .removeAll(towId, which)
        .ifPresent(
            why -> {
              throw new SiteException(
                  SiteException.Kind.MAY_PASS,
                  "export-open",
                  "what an earlier attempt wrote through can't be revoked yet: " + why,
                  null);
            });
  }

  /** Opens what a tug reads and writes for one disk. */
  LeaseDisk openDisk(PassEntity pass, PassDisk disk) {
    SiteDriver source = sites.driver(disk.sourceSite());
    String name = exportName(pass, disk, "s");
    ledger.plan(disk.sourceSite(), pass.towId, EXPORT, name);
    String sourceUri;
    if (disk.snapshot().isEmpty()) {
      sourceUri = source.target().openVolume(name, disk.sourceVolume(), false).uri();
    } else {
      sourceUri = openSnapshot(pass, disk, source, name);
    }
    String targetUri = "";
    if (!disk.targetVolume().isEmpty()) {
      String sink = exportName(pass, disk, "t");
      ledger.plan(disk.targetSite(), pass.towId, EXPORT, sink);
      targetUri =
          sites
              .driver(disk.targetSite())
              .target()
              .openVolume(sink, disk.targetVolume(), true)
              .uri();
    }
    return new LeaseDisk(
        disk.index(),
        disk.machine(),
        sourceUri,
        targetUri,
        disk.bytes(),
        disk.mayDiffer(),
        disk.anywhere(),
        !pass.digestPoint.isEmpty(),
        disk.watermark());
  }

  private String openSnapshot(PassEntity pass, PassDisk disk, SiteDriver source, String name) {
    Optional<String> since = Optional.of(disk.since()).filter(m -> !m.isEmpty());
    try {
      return source.source().openSnapshot(name, disk.snapshot(), disk.sourceVolume(), since).uri();
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
          .openSnapshot(name, disk.snapshot(), disk.sourceVolume(), Optional.empty())
          .uri();
    }
  }

  /** Revokes every export of a pass: when this returns nobody reads or writes through it. */
  void seal(String passId) {
    PassEntity pass = db.tx(s -> s.find(PassEntity.class, passId));
    revoke(pass.towId, o -> of(pass, o));
  }

  /** Has every export of a pass revoked as soon as its site allows. */
  void revokeLater(PassEntity pass) {
    ledger.removeAll(pass.towId, o -> of(pass, o));
  }
}
