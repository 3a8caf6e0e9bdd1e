package bargelane.sites.libvirt;

import static bargelane.sites.libvirt.DomainXml.escape;

import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Initramfs;
import bargelane.sites.SiteException;
import bargelane.sites.libvirt.Catalogue.State;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * Edits files in volumes through a small machine on the host that has them as disks, so that the
 * writing is done by the file systems' own drivers. The machine is a kernel and an archive that
 * {@code scripts/small-machine yard} builds; what it is to do comes in a second archive. It has no
 * network, tells what it did on its serial line and switches itself off.
 */
final class Yard {

  private static final Duration PATIENCE = Duration.ofSeconds(180);

  private final Host host;
  private final Catalogue catalogue;

  Yard(Host host) {
    this.host = host;
    this.catalogue = host.catalogue();
  }

  private byte[] part(String name) {
    Path file = Path.of(host.settings.yard(), name);
    try {
      return Files.readAllBytes(file);
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "yard-missing",
          "the yard is not to be found at "
              + file
              + ": build it with scripts/small-machine yard DIR, and name DIR in the site's address as yard=DIR",
          e);
    }
  }

  private static String quote(String text) {
    return "'" + text.replace("'", "'\\''") + "'";
  }

  /** What the yard does: per file system, each file checked before and after. */
  static Map<String, byte[]> work(List<FileEdit> edits) {
    Map<String, List<Integer>> places = new LinkedHashMap<>();
    for (int i = 0; i < edits.size(); i++) {
      FileEdit e = edits.get(i);
      String device =
          "/dev/vd" + (char) ('a' + e.disk()) + (e.partition() == 0 ? "" : e.partition());
      places
          .computeIfAbsent(
              "mount -t " + e.fileSystem() + " " + device + " /mnt", k -> new ArrayList<>())
          .add(i);
    }
    StringBuilder script =
        new StringBuilder(
            """
            sum() { sha256sum | cut -d' ' -f1; }
            # A file is replaced through a copy beside it, so that a yard that is cut short goes on, and
            # in place, so that owner, mode and labels stay.
            edit() { # FILE KEEP BEFORE AFTER CONTENT
              have=
              if [ -s "$1" ]; then have=$(sum < "$1"); fi
              if [ "$have" = "$4" ]; then rm -f "$1.refit"; echo "was done: $1"; return; fi
              begun=
              if [ -f "$1.refit" ] && [ "$(sum < "$1.refit")" = "$4" ]; then begun=yes; fi
              if [ -z "$begun" ] && [ "$have" != "$3" ] && [ "$(head -c "$2" "$1" | sum)" != "$3" ]; then echo "was changed by others: $1"; exit 1; fi
              if [ -z "$4" ]; then rm -f "$1"; echo "gone: $1"; return; fi
              mkdir -p "${1%/*}"
              if [ "$2" -gt 0 ]; then truncate -s "$2" "$1"; cat "$5" >> "$1"
              else
                if [ -z "$begun" ]; then cat "$5" > "$1.refit"; sync; fi
                cat "$1.refit" > "$1"
              fi
              sync
              if [ "$(sum < "$1")" != "$4" ]; then echo "could not be written whole: $1"; exit 1; fi
              rm -f "$1.refit"
              echo "done: $1"
            }
            set -e
            """);
    Map<String, byte[]> files = new LinkedHashMap<>();
    places.forEach(
        (mount, numbers) -> {
          script.append(mount).append('\n');
          for (int i : numbers) {
            FileEdit e = edits.get(i);
            script.append("edit ").append(quote("/mnt" + e.path())).append(' ').append(e.keep());
            script.append(" '").append(e.before()).append("' '").append(e.after()).append("'");
            if (e.copyOf().isEmpty()) {
              script.append(" /refit/files/").append(i).append('\n');
              files.put("refit/files/" + i, e.content());
            } else {
              script.append(' ').append(quote("/mnt" + e.copyOf())).append('\n');
            }
          }
          script.append("umount /mnt\n");
        });
    files.put("refit/script", script.toString().getBytes(StandardCharsets.UTF_8));
    return files;
  }

  /** Carries the edits out, and gives what the yard told. */
  String run(String name, String owner, List<String> disks, List<FileEdit> edits) {
    byte[] kernel = part("yard-kernel");
    byte[] initrd = part("yard-initrd");
    byte[] work = Initramfs.write(work(edits));
    byte[] both =
        java.util.Arrays.copyOf(initrd, initrd.length + (-initrd.length & 3) + work.length);
    System.arraycopy(work, 0, both, both.length - work.length, work.length);
    String base = catalogue.directory() + "/yard/" + Names.brief(name);
    host.shell.putReadable(base + "-kernel", kernel);
    host.shell.putReadable(base + "-initrd", both);
    try {
      remove(name, owner);
      String id = host.hypervisor.define(describe(name, owner, disks, base));
      try {
        host.hypervisor.start(id);
        if (!host.hypervisor.events.await(PATIENCE, () -> host.hypervisor.domain(id).off())) {
          throw new SiteException(
              SiteException.Kind.MAY_PASS,
              "yard-slow",
              host.site + ": the yard did not end within " + PATIENCE.toSeconds() + " s",
              null);
        }
      } finally {
        new LibvirtCompute(host).remove(id);
      }
      String told =
          new String(host.shell.read(base + "-console").orElse(new byte[0]), StandardCharsets.UTF_8)
              .replace("\r", "")
              .strip();
      if (!told.endsWith("refit: done")) {
        throw host.failure("refit-failed", "the yard failed: " + told.replace('\n', ';'));
      }
      return told;
    } finally {
      host.shell.remove(List.of(), List.of(base + "-"), List.of());
    }
  }

  private void remove(String name, String owner) {
    host.hypervisor.domains().stream()
        .map(d -> new DomainXml(d.xml()))
        .filter(d -> d.name().equals(name) && d.owner().equals(owner))
        .forEach(d -> new LibvirtCompute(host).remove(d.uuid()));
  }

  private String describe(String name, String owner, List<String> disks, String base) {
    State state = catalogue.read();
    StringBuilder x = new StringBuilder();
    x.append("<domain type='")
        .append(host.hypervisor.domainType())
        .append("'><name>")
        .append(escape(name));
    x.append("</name><metadata>").append(new DomainXml.Mark(owner, false, "").element());
    x.append("</metadata><memory unit='MiB'>256</memory><vcpu>1</vcpu>");
    x.append("<os><type arch='x86_64' machine='pc'>hvm</type><kernel>").append(escape(base));
    x.append("-kernel</kernel><initrd>").append(escape(base)).append("-initrd</initrd>");
    x.append(
        "<cmdline>console=ttyS0 quiet loglevel=0 nokaslr mitigations=off cryptomgr.notests</cmdline></os>");
    x.append("<features><acpi/></features><on_reboot>destroy</on_reboot>");
    x.append("<on_crash>destroy</on_crash><devices>");
    for (int i = 0; i < disks.size(); i++) {
      String file = state.fileOf(disks.get(i));
      x.append("<disk type='file' device='disk'><driver name='qemu' type='");
      x.append(host.format(state, file)).append("'/><source file='").append(escape(file));
      x.append("'/><target dev='vd").append((char) ('a' + i)).append("' bus='virtio'/></disk>");
    }
    x.append("<serial type='file'><source path='").append(escape(base));
    x.append("-console'/></serial><memballoon model='none'/></devices></domain>");
    return x.toString();
  }
}
