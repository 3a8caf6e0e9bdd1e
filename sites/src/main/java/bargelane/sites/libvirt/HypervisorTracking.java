package bargelane.sites.libvirt;

import com.sun.jna.Pointer;
import java.util.Optional;

/**
 * A host's backups and checkpoints: how it tells what changed (libvirt "Checkpoint XML format").
 */
final class HypervisorTracking {

  private final Hypervisor host;

  HypervisorTracking(Hypervisor host) {
    this.host = host;
  }

  void beginBackup(String uuid, String backup, String checkpoint) {
    host.act(
        uuid,
        "begin a backup",
        p -> Hypervisor.lib().virDomainBackupBegin(p, backup, checkpoint, 0));
  }

  /** The backup that runs on a domain, as XML. */
  Optional<String> backup(String uuid) {
    return host.with(
        uuid,
        p -> {
          if (Hypervisor.lib().virDomainIsActive(p) != 1) {
            return Optional.empty();
          }
          Pointer xml = Hypervisor.lib().virDomainBackupGetXMLDesc(p, 0);
          if (xml == null && Hypervisor.lib().virGetLastErrorCode() == LibVirt.NO_DOMAIN_BACKUP) {
            return Optional.empty();
          }
          return Optional.of(host.text(xml, "backup"));
        });
  }

  void abortJob(String uuid) {
    host.act(uuid, "end the backup", Hypervisor.lib()::virDomainAbortJob);
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
    return host.with(
        uuid,
        p -> {
          Pointer c = Hypervisor.lib().virDomainCheckpointLookupByName(p, name, 0);
          if (c == null) {
            if (Hypervisor.lib().virGetLastErrorCode() == LibVirt.NO_DOMAIN_CHECKPOINT) {
              return false;
            }
            throw host.failure("checkpoint " + name);
          }
          Hypervisor.lib().virDomainCheckpointFree(c);
          return true;
        });
  }

  /** Deletes a checkpoint, its bitmaps too where {@code whole}; gives whether that succeeded. */
  boolean deleteCheckpoint(String uuid, String name, boolean whole) {
    return host.with(
        uuid,
        p -> {
          Pointer c = Hypervisor.lib().virDomainCheckpointLookupByName(p, name, 0);
          if (c == null) {
            return true;
          }
          try {
            return Hypervisor.lib()
                    .virDomainCheckpointDelete(c, whole ? 0 : LibVirt.CHECKPOINT_METADATA_ONLY)
                == 0;
          } finally {
            Hypervisor.lib().virDomainCheckpointFree(c);
          }
        });
  }
}
