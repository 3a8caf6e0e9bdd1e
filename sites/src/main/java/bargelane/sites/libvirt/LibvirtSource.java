package bargelane.sites.libvirt;

import static bargelane.sites.libvirt.DomainXml.escape;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.libvirt.Catalogue.Marker;
import bargelane.sites.libvirt.Catalogue.Snapshot;
import bargelane.sites.libvirt.Catalogue.State;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;

/**
 * Reading a host's disks (libvirt "Checkpoint XML format" and "Backup XML format"; QEMU "Dirty
 * Bitmaps and Incremental Backup").
 *
 * <p>A snapshot of a running domain is a pull-mode backup of all its disks begun together with a
 * checkpoint; its disk server is the emulator's. A domain has one backup at a time: another
 * snapshot of it has to wait. What guests overwrite meanwhile is kept in scratch images that a
 * process on the host watches: when they reach their bound it ends the backup, because scratch room
 * that runs out would fail the guest's own writes.
 *
 * <p>A domain that is off is read through servers of ours on its images, which keep it from being
 * started while they run; its bitmaps are begun by {@code qemu-img} and told to libvirt.
 */
final class LibvirtSource implements Source {

  private static final String BITMAP = "since";

  private final Host host;

  final HostGuards guards;
  private final Stamps stamps;

  LibvirtSource(Host host) {
    this.host = host;
    this.guards = new HostGuards(host);
    this.stamps = new Stamps(host);
  }

  private DomainXml domainOf(State state, List<String> disks) {
    Set<String> found = new HashSet<>();
    DomainXml last = null;
    for (String disk : disks) {
      String file = state.fileOf(disk);
      last =
          host.user(file)
              .orElseThrow(() -> host.failure("missing", "no domain has the disk " + disk));
      found.add(last.uuid());
    }
    if (found.size() != 1) {
      throw host.failure("instant-too-wide", "a snapshot reaches one domain, not " + found.size());
    }
    return last;
  }

  private String socket(String snapshot) {
    return host.settings.runtime() + "/" + Names.brief(snapshot) + ".backup";
  }

  private String scratch(Catalogue catalogue) {
    return host.settings.scratch().isEmpty()
        ? catalogue.directory() + "/scratch"
        : host.settings.scratch();
  }

  private boolean runs(String snapshot, String domain) {
    return host.hypervisor.tracking.backup(domain).filter(of(snapshot)).isPresent();
  }

  /** Whether a backup is a snapshot's. */
  private Predicate<String> of(String snapshot) {
    return backup -> backup.contains(socket(snapshot));
  }

  /**
   * Whether a backup is of this catalogue's making and no snapshot's: left by a call whose answer
   * never came.
   */
  private boolean leftBehind(Catalogue catalogue, String backup) {
    return backup.contains(escape(scratch(catalogue) + "/"))
        && catalogue.read().snapshots().keySet().stream().noneMatch(s -> of(s).test(backup));
  }

  @Override
  public Taken snapshot(
      String name, String owner, List<String> disks, Optional<String> since, boolean quiesce) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    if (state.snapshots().containsKey(name) && !unbegun(state, name)) {
      return new Taken(state.snapshots().get(name).quiesced(), Duration.ZERO);
    }
    DomainXml domain = domainOf(state, disks);
    List<String> files = disks.stream().map(state::fileOf).toList();
    boolean tracks =
        domain.disks().stream()
            .filter(d -> files.contains(d.file()))
            .allMatch(d -> d.format().equals("qcow2"));
    if (since.isPresent() && !tracks) {
      throw lost("a disk of " + domain.name() + " is not qcow2 and keeps no bitmaps");
    }
    if (host.hypervisor.domain(domain.uuid()).off()) {
      still(catalogue, name, owner, domain, disks, files, since, tracks);
      return Taken.AT_ONCE;
    }
    return running(catalogue, name, owner, domain, disks, files, since, tracks, quiesce);
  }

  /**
   * Whether a call was cut short after it had written the snapshot down and before it was taken.
   */
  private boolean unbegun(State state, String name) {
    Snapshot s = state.snapshots().get(name);
    return s.stamps().isEmpty()
        && state.markers().containsKey(name)
        && !runs(name, s.domain())
        && !host.hypervisor.tracking.hasCheckpoint(s.domain(), name);
  }

  private static SiteException lost(String why) {
    return new SiteException(SiteException.Kind.MARKER_LOST, "marker-lost", why, null);
  }

  private Taken running(
      Catalogue catalogue,
      String name,
      String owner,
      DomainXml domain,
      List<String> disks,
      List<String> files,
      Optional<String> since,
      boolean tracks,
      boolean quiesce) {
    String uuid = domain.uuid();
    host.hypervisor.tracking.mustBeFree(uuid);
    Optional<String> other = host.hypervisor.tracking.backup(uuid);
    if (other.filter(b -> leftBehind(catalogue, b)).isPresent()) {
      host.hypervisor.tracking.endBackup(uuid, other.get()::equals);
      other = Optional.empty();
    }
    if (other.filter(of(name).negate()).isPresent()) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "busy",
          host.site + ": another backup of " + domain.name() + " is running",
          null);
    }
    if (other.isEmpty()) {
      String scratch = scratch(catalogue);
      host.shell.directory(scratch);
      host.runtime();
      StringBuilder backup = new StringBuilder("<domainbackup mode='pull'>");
      since.ifPresent(
          s -> backup.append("<incremental>").append(escape(s)).append("</incremental>"));
      backup.append("<server transport='unix' socket='").append(socket(name)).append("'/><disks>");
      StringBuilder checkpoint =
          new StringBuilder("<domaincheckpoint><name>" + escape(name) + "</name><disks>");
      List<String> kept = new ArrayList<>();
      for (DomainXml.Disk d : domain.disks()) {
        boolean wanted = files.contains(d.file());
        backup.append("<disk name='").append(d.target()).append("' backup='");
        if (wanted) {
          String file = scratch + "/" + Names.brief(name) + "-" + d.target();
          kept.add(file);
          backup
              .append("yes' type='file' exportname='")
              .append(d.target())
              .append(since.isPresent() ? "' exportbitmap='" + BITMAP : "")
              .append("'><scratch file='")
              .append(escape(file))
              .append("'/></disk>");
        } else {
          backup.append("no'/>");
        }
        checkpoint
            .append("<disk name='")
            .append(d.target())
            .append("' checkpoint='")
            .append(wanted ? "bitmap" : "no")
            .append("'/>");
      }
      backup.append("</disks></domainbackup>");
      checkpoint.append("</disks></domaincheckpoint>");
      // Written down and watched before it is there, so that it can be found and bounded whatever
      // becomes of us.
      catalogue.change(
          s -> {
            s.snapshots()
                .put(name, new Snapshot(owner, uuid, since.orElse(""), disks, Map.of(), false));
            if (tracks) {
              s.markers().put(name, new Marker(owner, uuid, files));
            }
            return null;
          });
      guards.watch(name, uuid, kept);
      try {
        Taken taken =
            guards.held(
                uuid,
                quiesce,
                () ->
                    host.hypervisor.tracking.beginBackup(
                        uuid, backup.toString(), tracks ? checkpoint.toString() : null));
        if (taken.quiesced()) {
          catalogue.change(
              s -> s.snapshots().computeIfPresent(name, (n, snapshot) -> snapshot.atRest()));
        }
        return taken;
      } catch (SiteException e) {
        if (e.kind() != SiteException.Kind.MAY_PASS && !runs(name, uuid)) {
          catalogue.change(
              s -> {
                s.snapshots().remove(name);
                return s.markers().remove(name);
              });
        }
        throw e;
      }
    }
    return Taken.AT_ONCE;
  }

  private void still(
      Catalogue catalogue,
      String name,
      String owner,
      DomainXml domain,
      List<String> disks,
      List<String> files,
      Optional<String> since,
      boolean tracks) {
    if (since.isPresent()) {
      for (String file : files) {
        if (!host.images.tracks(file, "qcow2", since.get()).orElse(false)) {
          throw lost(
              host.site + ": the bitmap " + since.get() + " of " + domain.name() + " is broken");
        }
      }
    }
    if (tracks) {
      mark(name, owner, disks);
    }
    Map<String, String> now = stamps.of(files);
    catalogue.change(
        s -> {
          s.snapshots()
              .put(name, new Snapshot(owner, domain.uuid(), since.orElse(""), disks, now, false));
          return null;
        });
  }

  @Override
  public ExportRef openSnapshot(
      String export, String snapshot, String disk, Optional<String> since) {
    State state = host.catalogue().read();
    Snapshot s = state.snapshots().get(snapshot);
    if (s == null || !s.volumes().contains(disk)) {
      throw host.failure("missing", "there is no snapshot " + snapshot + " of " + disk);
    }
    if (since.isPresent() && !since.get().equals(s.since())) {
      throw lost(host.site + ": snapshot " + snapshot + " was not taken against " + since.get());
    }
    String file = state.fileOf(disk);
    if (s.stamps().isEmpty()) {
      if (!runs(snapshot, s.domain())) {
        throw host.failure("snapshot-dropped", "the snapshot was dropped" + guards.why(snapshot));
      }
      String target =
          new DomainXml(host.hypervisor.domain(s.domain()).xml())
              .disks().stream()
                  .filter(d -> d.file().equals(file))
                  .findFirst()
                  .orElseThrow(() -> host.failure("missing", "disk " + disk + " was taken off"))
                  .target();
      return ref(export, host.shell.near(socket(snapshot)), target, since.map(x -> BITMAP));
    }
    if (s.stamps().get(file).equals(Stamps.CHANGING)) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "busy",
          host.site + ": a marker of " + disk + " is being removed",
          null);
    }
    if (!stamps.of(List.of(file)).equals(Map.of(file, s.stamps().get(file)))) {
      throw host.failure(
          "snapshot-dropped",
          "the snapshot was dropped: the machine was started or " + disk + " was changed");
    }
    String format = host.format(state, file);
    String socket = host.images.serve(export, file, format, false, since.orElse(""));
    return ref(export, socket, export, since);
  }

  private static ExportRef ref(String export, String socket, String name, Optional<String> bitmap) {
    return new ExportRef(
        export,
        new NbdAddress.Unix(
                Path.of(socket), name, bitmap.map(b -> "qemu:dirty-bitmap:" + b).orElse(""))
            .uri(),
        bitmap.isPresent());
  }

  @Override
  public void dropSnapshot(String name) {
    Catalogue catalogue = host.catalogue();
    Snapshot s = catalogue.read().snapshots().get(name);
    if (s == null) {
      return;
    }
    try {
      if (s.stamps().isEmpty()) {
        host.hypervisor.tracking.mustBeFree(s.domain());
        if (runs(name, s.domain())) {
          host.hypervisor.tracking.endBackup(s.domain(), of(name));
        }
      }
    } catch (SiteException e) {
      if (!e.code().equals("missing")) {
        throw e;
      }
      // The domain was removed, and its backup with it.
    }
    String ours = host.settings.runtime() + "/" + Names.brief(name);
    host.shell.remove(
        List.of(ours + ".backup", ours + ".dropped"),
        List.of(scratch(catalogue) + "/" + Names.brief(name) + "-"),
        List.of());
    host.shell.away(socket(name));
    catalogue.change(state -> state.snapshots().remove(name));
  }

  @Override
  public void mark(String name, String owner, List<String> disks) {
    Catalogue catalogue = host.catalogue();
    State state = catalogue.read();
    DomainXml domain = domainOf(state, disks);
    if (state.markers().containsKey(name)
        && host.hypervisor.tracking.hasCheckpoint(domain.uuid(), name)) {
      return;
    }
    if (!host.hypervisor.domain(domain.uuid()).off()) {
      throw host.failure("running", "a marker alone begins on a machine that is off");
    }
    List<String> files = disks.stream().map(state::fileOf).toList();
    catalogue.change(
        s -> {
          s.markers().put(name, new Marker(owner, domain.uuid(), files));
          return null;
        });
    StringBuilder checkpoint =
        new StringBuilder("<domaincheckpoint><name>" + escape(name) + "</name><creationTime>");
    checkpoint.append(System.currentTimeMillis() / 1000).append("</creationTime><disks>");
    for (DomainXml.Disk d : domain.disks()) {
      boolean wanted = files.contains(d.file());
      if (wanted) {
        host.images.beginBitmap(d.file(), d.format(), name);
      }
      checkpoint
          .append("<disk name='")
          .append(d.target())
          .append(
              wanted
                  ? "' checkpoint='bitmap' bitmap='" + escape(name) + "'/>"
                  : "' checkpoint='no'/>");
    }
    checkpoint.append("</disks></domaincheckpoint>");
    try {
      host.hypervisor.tracking.redefineCheckpoint(domain.uuid(), checkpoint.toString());
    } catch (SiteException e) {
      // Another who makes the same may have been quicker.
      if (!host.hypervisor.tracking.hasCheckpoint(domain.uuid(), name)) {
        throw e;
      }
    }
  }

  @Override
  public void forgetMarker(String name) {
    Catalogue catalogue = host.catalogue();
    Marker m = catalogue.read().markers().get(name);
    if (m == null) {
      return;
    }
    // Snapshots of a machine that is off go by when its images were changed last: that it is us who
    // change them now, and nothing of their disks, is told before and after.
    Map<String, String> before = stamps.of(m.files());
    stamps.tell(catalogue, before, Stamps.CHANGING);
    boolean gone = false;
    try {
      host.hypervisor.tracking.mustBeFree(m.domain());
      boolean off = host.hypervisor.domain(m.domain()).off();
      gone = !off && host.hypervisor.tracking.deleteCheckpoint(m.domain(), name, true);
      if (!gone) {
        // A running domain's broken bitmap goes when it is next found off.
        host.hypervisor.tracking.deleteCheckpoint(m.domain(), name, false);
      }
    } catch (SiteException e) {
      if (!e.code().equals("missing")) {
        throw e;
      }
    }
    if (!gone) {
      m.files().forEach(f -> host.images.removeBitmap(f, name));
    }
    Map<String, String> after = stamps.of(m.files());
    catalogue.change(
        s -> {
          after.forEach((file, stamp) -> Stamps.tell(s, file, Stamps.CHANGING, stamp));
          return s.markers().remove(name);
        });
  }

  @Override
  public Set<String> markers() {
    Set<String> there = new HashSet<>();
    host.catalogue()
        .read()
        .markers()
        .forEach(
            (name, m) -> {
              try {
                if (host.hypervisor.tracking.hasCheckpoint(m.domain(), name)) {
                  there.add(name);
                }
              } catch (SiteException e) {
                if (!e.code().equals("missing")) {
                  throw e;
                }
              }
            });
    return there;
  }

  @Override
  public void closeExport(String name) {
    host.images.close(name);
  }
}
