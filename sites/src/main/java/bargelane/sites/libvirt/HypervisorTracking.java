package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.sun.jna.Pointer;
import java.time.Duration;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import java.util.function.Predicate;

/**
 * A host's backups and checkpoints: how it tells what changed (libvirt "Checkpoint XML format").
 */
final class HypervisorTracking {

  /** How long a backup may take to end. */
  private static final Duration LONGEST_END = Duration.ofSeconds(10);

  /** How long a backup that another begins may take to be there. */
  private static final Duration LONGEST_BEGIN = Duration.ofSeconds(10);

  private final Hypervisor host;

  HypervisorTracking(Hypervisor host) {
    this.host = host;
  }

  void beginBackup(String uuid, String backup, String checkpoint) {
    try {
      host.act(
          uuid,
          "begin a backup",
          p -> Hypervisor.lib().virDomainBackupBegin(p, backup, checkpoint, 0));
    } finally {
      // The daemon tells of no begin, and others may wait for it.
      host.events.happened();
    }
  }

  /** The backup that runs on a domain, as XML. */
  Optional<String> backup(String uuid) {
    return host.with(
        uuid,
        p -> {
          if (!host.active(p)) {
            return Optional.empty();
          }
          Pointer xml = Hypervisor.lib().virDomainBackupGetXMLDesc(p, 0);
          if (xml == null && Hypervisor.lib().virGetLastErrorCode() == LibVirt.NO_DOMAIN_BACKUP) {
            return Optional.empty();
          }
          return Optional.of(host.text(xml, "backup"));
        });
  }

  /**
   * Ends the backup that runs on a domain; when this returns it is gone. The daemon answers before
   * it is, and may have done nothing.
   */
  void endBackup(String uuid, Predicate<String> which) {
    BooleanSupplier gone = () -> backup(uuid).filter(which).isEmpty();
    try {
      host.act(uuid, "end the backup", Hypervisor.lib()::virDomainAbortJob);
    } catch (SiteException e) {
      // Another who ends it may have been quicker.
      if (!gone.getAsBoolean()) {
        throw e;
      }
    }
    if (!host.events.await(LONGEST_END, gone)) {
      throw host.failed(
          SiteException.Kind.MAY_PASS, "busy", "the backup of domain " + uuid + " does not end");
    }
  }

  /**
   * Fails if the daemon holds a domain for a backup that is not there. One that dies while it
   * begins a backup has written down that it does, and not yet which; the next one waits for that
   * backup as long as the domain runs, and lets nothing else be done to it. A domain whose backup
   * is just being begun looks the same, so this waits for what may be one.
   *
   * @throws SiteException for good; what helps is said in it
   */
  void mustBeFree(String uuid) {
    host.with(
        uuid,
        p -> {
          LibVirt lib = Hypervisor.lib();
          BooleanSupplier free =
              () ->
                  !host.active(p)
                      || lib.virDomainGetJobInfo(p, new byte[LibVirt.JOB_INFO_SIZE]) == 0
                      || lib.virGetLastErrorCode() != LibVirt.INTERNAL_ERROR
                      || !lib.virGetLastErrorMessage().contains("backup job data missing");
          if (!host.events.await(LONGEST_BEGIN, free)) {
            String name = lib.virDomainGetName(p);
            throw host.failed(
                SiteException.Kind.FINAL,
                "held",
                name
                    + " is held by libvirt for a backup that was never begun, because libvirt died while beginning it;"
                    + " the guest runs on, but libvirt does nothing for it: switch "
                    + name
                    + " off, restart libvirt on the host, and start "
                    + name
                    + " again");
          }
          return null;
        });
  }

  /** Tells a domain of a bitmap that its disks have already. */
  void redefineCheckpoint(String uuid, String xml) {
    host.with(
        uuid,
        p -> {
          Pointer c =
              Hypervisor.lib().virDomainCheckpointCreateXML(p, xml, LibVirt.CHECKPOINT_REDEFINE);
          Hypervisor.lib().virDomainCheckpointFree(host.must(c, "record a checkpoint"));
          return null;
        });
  }

  boolean hasCheckpoint(String uuid, String name) {
    return host.with(uuid, p -> checkpoint(p, name, c -> true).orElse(false));
  }

  /** Deletes a checkpoint, its bitmaps too where {@code whole}; gives whether that succeeded. */
  boolean deleteCheckpoint(String uuid, String name, boolean whole) {
    int how = whole ? 0 : LibVirt.CHECKPOINT_METADATA_ONLY;
    return host.with(
        uuid,
        p ->
            checkpoint(p, name, c -> Hypervisor.lib().virDomainCheckpointDelete(c, how) == 0)
                .orElse(true));
  }

  /** Does something with a checkpoint of a domain; empty if there is none of that name. */
  private <T> Optional<T> checkpoint(Pointer domain, String name, Function<Pointer, T> use) {
    LibVirt lib = Hypervisor.lib();
    Pointer c = lib.virDomainCheckpointLookupByName(domain, name, 0);
    if (c == null) {
      if (lib.virGetLastErrorCode() == LibVirt.NO_DOMAIN_CHECKPOINT) {
        return Optional.empty();
      }
      throw host.failure("checkpoint " + name);
    }
    try {
      return Optional.of(use.apply(c));
    } finally {
      lib.virDomainCheckpointFree(c);
    }
  }
}
