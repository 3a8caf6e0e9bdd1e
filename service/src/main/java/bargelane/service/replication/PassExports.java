package bargelane.service.replication;

import bargelane.api.LeaseDisk;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import java.util.Optional;
import org.hibernate.LockMode;

/**
 * The exports of passes: made for one pass, recorded before they are made, and revoked before
 * anything is frozen.
 */
final class PassExports {

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
    return "bl-" + pass.id + "-" + disk.index() + "-" + end;
  }

  /** Opens what a tug reads and writes for one disk; an export of an earlier holder ends. */
  LeaseDisk openDisk(PassEntity pass, PassDisk disk) {
    SiteDriver source = sites.driver(disk.sourceSite());
    String name = exportName(pass, disk, "s");
    ledger.plan(disk.sourceSite(), pass.towId, "export", name);
    String sourceUri;
    if (disk.snapshot().isEmpty()) {
      sourceUri = source.target().openVolume(name, disk.sourceVolume(), false).uri();
    } else {
      sourceUri = openSnapshot(pass, disk, source, name);
    }
    String targetUri = "";
    if (!disk.targetVolume().isEmpty()) {
      String sink = exportName(pass, disk, "t");
      ledger.plan(disk.targetSite(), pass.towId, "export", sink);
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
    for (PassDisk disk : Passes.disks(pass)) {
      sites.driver(disk.sourceSite()).source().closeExport(exportName(pass, disk, "s"));
      ledger.release(disk.sourceSite(), "export", exportName(pass, disk, "s"));
      if (!disk.targetVolume().isEmpty()) {
        sites.driver(disk.targetSite()).target().closeExport(exportName(pass, disk, "t"));
        ledger.release(disk.targetSite(), "export", exportName(pass, disk, "t"));
      }
    }
  }

  /** Has every export of a pass revoked as soon as its site allows. */
  void revokeLater(PassEntity pass) {
    for (PassDisk disk : Passes.disks(pass)) {
      ledger.remove(disk.sourceSite(), "export", exportName(pass, disk, "s"));
      if (!disk.targetVolume().isEmpty()) {
        ledger.remove(disk.targetSite(), "export", exportName(pass, disk, "t"));
      }
    }
  }
}
